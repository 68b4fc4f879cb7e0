//! The worst that somebody may do, in words that the decision confirmed.

use super::found::{Direct, Doing, To, What, more_like};
use super::worst::Survey;
use super::{Effects, Impact, Road};
use crate::access::{On, Verdict};
use crate::estate::{IdentityId, KeyReach, Principal};

impl Effects<'_> {
    /// The worst that whoever controls an identity may do, in words to be read after "may"; none where it is no more
    /// than running code.
    pub fn may_at_worst(&self, identity: IdentityId) -> Option<&str> {
        use crate::estate::Id;
        let told = || self.tell(Principal::Identity(identity)).map(String::into_boxed_str);
        self.told[identity.index()].get_or_init(told).as_deref()
    }

    /// The worst that whoever acts as somebody may do, in words to be read after "may".
    pub fn may_as(&self, who: Principal) -> Option<String> {
        match who {
            Principal::Identity(id) => self.may_at_worst(id).map(str::to_owned),
            other => self.tell(other),
        }
    }

    /// The worst that a principal may do, in words to be read after "may".
    pub fn tell(&self, who: Principal) -> Option<String> {
        if let Principal::Key(key) = who {
            let it = self.estate().get(key)?;
            let all = || format!("invoke and manage all of {}", self.estate().label(it.opens()));
            match self.accepted(key) {
                Verdict::Yes if it.reach == KeyReach::Admin => return Some(all()),
                Verdict::Depends if it.reach == KeyReach::Admin => return Some(format!("perhaps {}", all())),
                _ => {}
            }
        }
        let direct = match who {
            Principal::Identity(id) => self.direct(id).clone(),
            _ => self.direct_of(who),
        };
        self.tell_from(who, direct, false, || self.own_roads(who))
    }

    /// The worst that one road lets somebody do, in words to be read after "may".
    pub fn tell_by(&self, who: Principal, road: Road) -> Option<String> {
        let mut survey = Survey::new(self, who, None).alone();
        survey.go(&[road]);
        self.tell_from(who, survey.into_direct(), true, || vec![road])
    }

    fn tell_from(
        &self,
        who: Principal,
        direct: Direct,
        alone: bool,
        roads: impl FnOnce() -> Vec<Road>,
    ) -> Option<String> {
        let own = direct.harm;
        let control: Vec<_> = direct.edges.iter().map(|edge| (edge.to, edge.control)).collect();
        let (harm, path) = self.follow(who, direct, false);
        if harm.impact >= Impact::RunsCode {
            return None;
        }
        if path.is_empty() {
            if let (Principal::Identity(id), false) = (who, alone) {
                return self.direct_words(id).map(str::to_owned);
            }
            let survey = Survey::new(self, who, Some(own.impact));
            let mut survey = if alone { survey.alone() } else { survey };
            survey.go(&roads());
            return self.say(&survey);
        }
        let (last, surely) = *path.last()?;
        let becomes = control.iter().any(|(to, control)| *to == path[0].0 && *control);
        let verb = match path[0].0 {
            Principal::Key(_) => "use",
            _ if becomes => "become",
            _ => "make code run as",
        };
        let name = self.estate().principal_label(last);
        let through = match path.len() {
            1 => String::new(),
            steps => format!(" in {steps} steps"),
        };
        let perhaps = if surely { "" } else { "perhaps " };
        let then = match last {
            Principal::Identity(id) if last != who => self.direct_words(id).map(str::to_owned),
            Principal::Key(_) | Principal::User(_) | Principal::Group(_) => {
                self.words_of(last, self.direct_of(last).harm.impact)
            }
            _ => None,
        };
        let then = then.map_or_else(String::new, |then| format!(", which may {then}"));
        Some(format!("{perhaps}{verb} {name}{through}{then}"))
    }

    /// The worst that an identity may do itself, in words.
    fn direct_words(&self, id: IdentityId) -> Option<&str> {
        use crate::estate::Id;
        let find = || -> Option<Box<str>> {
            self.words_of(Principal::Identity(id), self.direct(id).harm.impact).map(String::into_boxed_str)
        };
        self.told_itself[id.index()].get_or_init(find).as_deref()
    }

    /// What is as bad as that among what somebody may do by what it is given, in words.
    fn words_of(&self, who: Principal, impact: Impact) -> Option<String> {
        if impact >= Impact::RunsCode {
            return None;
        }
        let mut survey = Survey::new(self, who, Some(impact));
        survey.go(&self.own_roads(who));
        self.say(&survey)
    }

    /// The most telling of what a survey found, and how many more there are like it.
    fn say(&self, survey: &Survey<'_, '_>) -> Option<String> {
        let first = survey.doings.iter().min_by(|one, other| {
            (one.verdict != Verdict::Yes, &one.what, &one.label)
                .cmp(&(other.verdict != Verdict::Yes, &other.what, &other.label))
                .then_with(|| one.act.order().cmp(&other.act.order()))
        })?;
        let action = first.action();
        let label = &first.label;
        let text = match &first.what {
            What::AnyAccess => format!("change who may do what {label}"),
            What::Access => format!("do {action}, which changes who may do what, {label}"),
            What::All { kind } => format!("do {action} on every {kind} {label}"),
            What::Key { ended: false } => format!("do {action} on {label}, an admin key"),
            What::Key { ended: true } => format!("do {action} on {label}, an admin key past its end"),
            What::Change => format!("do {action} on {label}"),
            What::Unseen { kind } => format!("do {action} on every {kind}{label}, though none was gathered"),
            What::Data { confidential } => {
                let word = if *confidential { "confidential " } else { "" };
                format!("do {action} on {word}{label}")
            }
        };
        let residual = match (&first.on, first.verdict) {
            (_, Verdict::Yes) => String::new(),
            (To::There(thing), _) => self.open_conditions(survey, first, On::There(*thing)),
            (To::New(new), _) => self.open_conditions(survey, first, On::New(new)),
            (To::Nowhere, _) => " perhaps".to_owned(),
        };
        let more = more_like(&survey.doings, first);
        Some(format!("{text}{residual}{more}"))
    }

    fn open_conditions(&self, survey: &Survey<'_, '_>, doing: &Doing<'_>, on: On<'_>) -> String {
        let answer = self.answer_on(survey.who, &doing.act.action, on, self.given(survey.who));
        let residual = answer.residual(self.estate());
        if residual.is_empty() { " perhaps".to_owned() } else { format!(", {residual}") }
    }
}
