//! One page of an answer: where it is, how it is asked for, what the adapter makes of it, and where the answer goes on.

use jaq_json::Val;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};
use rayon::prelude::*;
use serde_json::value::RawValue;

use crate::adapter::{Ask, At, Gives, Pages, Template, one};
use crate::address::{shown, with_parameter};
use crate::entity::checked;
use crate::http::{Answer, Asking, Failure, Platform, parsed};
use crate::journal::Page;
use crate::log::{self, Lines, LogAsk};
use crate::program::{self, PartId};
use crate::run::{Answers, Run, Task};
use crate::saved;
use crate::sealed::sealed;
use crate::stack;
use crate::tried::unread;

/// From how many items on a page is made sense of by several threads.
const SIDE_BY_SIDE: usize = 100;

/// A page, or why there is none.
pub(crate) enum Had {
    Page(Page),
    /// There is nothing of it.
    Nothing(u32),
    /// What was begun must be begun again.
    Again(u32),
    /// It cannot be had.
    Missed(String, u32),
}

impl Run<'_> {
    /// Where an answer is: below the source, or where the platform says; or why it is not asked for.
    pub(crate) fn path(&self, ask: &Ask, parent: &Val) -> Result<Result<String, String>, Diagnostics> {
        let part = match &ask.at {
            At::Path(path) => return self.fill(ask, path, parent, true).map(Ok),
            At::Link(part) => *part,
        };
        let link = self.adapter.program.text(part, &self.known(parent.clone()), parent.clone());
        let link = link.map_err(|error| self.wrong(ask, &error))?;
        let path = match &self.from {
            // What was saved of an address stands under its path.
            Answers::Saved(_) => Some(path_of(&link).to_owned()),
            Answers::Platform(platform) => {
                platform.follow("", &link).and_then(|address| platform.below(&address))
            }
        };
        Ok(path.ok_or_else(|| {
            "it is at another address than the source, where no credential is sent".to_owned()
        }))
    }

    /// Reads a page.
    pub(crate) fn page(
        &self,
        ask: &Ask,
        task: &Task,
        path: &str,
        at: &str,
        number: usize,
    ) -> Result<Had, Diagnostics> {
        let (address, answer) = match &self.from {
            Answers::Saved(folder) => match saved::page(folder, at, number) {
                Ok((address, answer)) => (address, answer),
                Err(why) => return Ok(Had::Missed(why, 0)),
            },
            Answers::Platform(platform) => {
                let address =
                    if number == 1 { self.first(ask, &platform.address(at)) } else { at.to_owned() };
                match self.asked(ask, task, platform, &address)? {
                    Ok(answer) => (address, answer),
                    Err(had) => return Ok(had),
                }
            }
        };
        // What a log says is kept nowhere.
        if let Some(folder) = self.save.filter(|_| ask.log.is_none()) {
            let kept = saved::keep(folder, path, number, &answer.body);
            kept.map_err(|error| self.wrong(ask, &format!("its answer cannot be kept: {error}")))?;
        }
        let tries = answer.tries;
        if let Gives::Document(name) = &ask.gives {
            let name = self.fill(ask, name, &task.parent, false)?;
            let document = self.document(ask, name, &answer.body)?;
            return Ok(Had::Page(Page { tries, items: 1, document: Some(document), ..Page::default() }));
        }
        let body = parsed(self.source, &address, &answer.body).map_err(one)?;
        let goes_on = self.goes_on(ask, task, &address, &answer, &body, number)?;
        let next = match &self.from {
            // A page that should be there and is not is noted, once it is looked for.
            Answers::Saved(_) => answer.next.or(goes_on.map(|_| path.to_owned())),
            Answers::Platform(_) => goes_on,
        };
        let unread = unread(&body, &ask.named_beside);
        let made = self.made(ask, &task.parent, body)?;
        let page = Page { etag: answer.etag, next, tries, unread, ..made };
        checked(&format!("{}: {} of {}", self.source, ask.name, shown(&address)), &page.entities)?;
        Ok(Had::Page(page))
    }

    /// The address of the first page: of a log, for the time that is asked for.
    fn first(&self, ask: &Ask, address: &str) -> String {
        let range = ask.log.as_ref().and_then(|log| log.range.as_ref());
        match (range, &self.range) {
            (Some(range), Some((of, _))) => range.asked(address, *of),
            _ => address.to_owned(),
        }
    }

    /// Asks a platform; what its statuses mean to the ask.
    fn asked(
        &self,
        ask: &Ask,
        task: &Task,
        platform: &Platform<'_>,
        address: &str,
    ) -> Result<Result<Answer, Had>, Diagnostics> {
        let header = |(name, value): &(String, Template)| {
            Ok((name.clone(), self.fill(ask, value, &task.parent, false)?))
        };
        let headers: Vec<(String, String)> =
            ask.headers.iter().map(header).collect::<Result<_, Diagnostics>>()?;
        let telling = [&ask.nothing_here[..], &ask.begin_again[..]].concat();
        match platform.get(address, &Asking { headers: &headers, telling: &telling }) {
            Ok(answer) => Ok(Ok(answer)),
            Err(Failure::Everything(wrong)) => Err(one(wrong)),
            Err(Failure::This { status: Some(status), tries, .. }) if ask.nothing_here.contains(&status) => {
                Ok(Err(Had::Nothing(tries)))
            }
            Err(Failure::This { status: Some(status), tries, .. }) if ask.begin_again.contains(&status) => {
                Ok(Err(Had::Again(tries)))
            }
            // Who does not answer what everything begins with does not answer at all.
            Err(Failure::This { why, tries, .. })
                if ask.of.is_none() && ask.log.is_none() && !why.starts_with("HTTP") =>
            {
                let message = format!("{} does not answer: {why}, asked {tries} times", shown(address));
                let help = "check `url` of the source, and that this machine may reach it";
                Err(one(Diagnostic::of_file(self.source, message, help)))
            }
            Err(Failure::This { why, tries, .. }) => Ok(Err(Had::Missed(why, tries))),
        }
    }

    /// Where an answer goes on, if it does. A list ends where nothing says that there is more: no `Link` with
    /// `rel="next"`, no token or a null one, or the last of its pages.
    fn goes_on(
        &self,
        ask: &Ask,
        task: &Task,
        address: &str,
        answer: &Answer,
        body: &Val,
        number: usize,
    ) -> Result<Option<String>, Diagnostics> {
        let run = |part| {
            let known = self.known(task.parent.clone());
            self.adapter.program.run(part, &known, body.clone()).map_err(|error| self.wrong(ask, &error))
        };
        match &ask.paging {
            Pages::One => Ok(None),
            Pages::Link => match (&answer.next, &self.from) {
                (Some(link), Answers::Platform(platform)) => {
                    platform.follow(address, link).map(Some).ok_or_else(|| {
                        let host =
                            url::Url::parse(link).ok().and_then(|link| link.host_str().map(str::to_owned));
                        let message = format!(
                            "{} says that its next page is at another host{}",
                            shown(address),
                            host.map_or_else(String::new, |host| format!(": {host}")),
                        );
                        one(Diagnostic::of_file(
                            self.source,
                            message,
                            "a credential is sent to one host only",
                        ))
                    })
                }
                // Headers are not saved.
                _ => Ok(None),
            },
            Pages::Token { token, parameter } => match run(*token)?.as_slice() {
                [] | [Val::Null] => Ok(None),
                [Val::TStr(token)] => {
                    Ok(Some(with_parameter(address, parameter, &String::from_utf8_lossy(token))))
                }
                [other] => Ok(Some(with_parameter(address, parameter, &program::json(other)))),
                _ => Err(self.wrong(ask, "paging: more than one token")),
            },
            Pages::Number { pages, parameter } => {
                let pages = run(*pages)?;
                let pages = pages.first().map(program::json).and_then(|text| text.parse::<usize>().ok());
                let pages =
                    pages.ok_or_else(|| self.wrong(ask, "paging: the number of pages is no number"))?;
                Ok((number < pages).then(|| with_parameter(address, parameter, &(number + 1).to_string())))
            }
        }
    }

    /// A document under its name, which stays in the estate's folder; what looks like a secret in it is covered.
    fn document(&self, ask: &Ask, name: String, body: &[u8]) -> Result<(String, String), Diagnostics> {
        let is_inside = !name.is_empty()
            && name
                .split('/')
                .all(|step| !step.is_empty() && !step.starts_with('.') && !step.contains(['\\', ':']));
        let is_document = ["json", "yaml", "yml"].iter().any(|ending| name.ends_with(&format!(".{ending}")));
        if !is_inside || !is_document {
            let message =
                format!("document: `{name}` is no name of a .json or .yaml file in the estate's folder");
            return Err(self.wrong(ask, &message));
        }
        let text = String::from_utf8(saved::covered(body))
            .map_err(|_| self.wrong(ask, "document: it is not a text"))?;
        Ok((name, text))
    }

    /// What the adapter makes of a body.
    pub(crate) fn made(&self, ask: &Ask, parent: &Val, body: Val) -> Result<Page, Diagnostics> {
        let run = |part, input| {
            let known = self.known(parent.clone());
            self.adapter.program.run(part, &known, input).map_err(|error| self.wrong(ask, &error))
        };
        let Gives::Items(part) = ask.gives else { return Ok(Page::default()) };
        if let Some(log) = &ask.log {
            return self.events(ask, log, part, parent, body);
        }
        let beside = self.tried.as_ref().map(|_| unread(&body, &ask.named_beside)).unwrap_or_default();
        let items = run(part, body)?;
        let raw =
            |line: String| RawValue::from_string(line).map_err(|error| self.wrong(ask, &error.to_string()));
        let all = |part: Option<PartId>, item: &Val| -> Result<Vec<Box<RawValue>>, Diagnostics> {
            let Some(part) = part else { return Ok(Vec::new()) };
            let lines = run(part, item.clone())?.into_iter().map(|value| program::json(&value));
            lines.flat_map(|line| sealed(line, self.seal)).map(raw).collect()
        };
        let one = |item: &Val| Ok((all(ask.keep, item)?, all(ask.entities, item)?));
        let made: Result<Vec<(Vec<_>, Vec<_>)>, Diagnostics> = if items.len() < SIDE_BY_SIDE {
            items.iter().map(one).collect()
        } else {
            stack::side_by_side(|| items.par_iter().map(one).collect())
        };
        let made = made?;
        if let Some(tried) = &self.tried {
            let mut tried = tried.lock().expect("nobody panics while holding it");
            let tried = tried.entry(ask.name.clone()).or_default();
            tried.unread.extend(beside);
            for (item, (_, entities)) in items.iter().zip(&made) {
                tried.item(item, &ask.named);
                tried.made(entities);
            }
        }
        let (kept, entities): (Vec<_>, Vec<_>) = made.into_iter().unzip();
        Ok(Page {
            items: items.len(),
            kept: kept.into_iter().flatten().collect(),
            entities: entities.into_iter().flatten().collect(),
            ..Page::default()
        })
    }
}

/// What an adapter makes of the items of a log.
impl Run<'_> {
    fn events(
        &self,
        ask: &Ask,
        log: &LogAsk,
        items: PartId,
        parent: &Val,
        body: Val,
    ) -> Result<Page, Diagnostics> {
        let known = self.known(parent.clone());
        let run = |part, input| self.adapter.program.run(part, &known, input);
        let wrong = |error: String| self.wrong(ask, &error);
        let beside = self.tried.as_ref().map(|_| unread(&body, &ask.named_beside)).unwrap_or_default();
        let covers = match log.covers {
            Some(part) => run(part, body.clone()).map_err(wrong)?,
            None => Vec::new(),
        };
        let items = run(items, body).map_err(wrong)?;
        // One odd item among millions is no reason to see none of them.
        let one = |item: &Val| match log.events {
            None => Ok(vec![log::line(item)]),
            Some(part) => run(part, item.clone()).map(|all| all.iter().map(log::line).collect()),
        };
        let made: Vec<Result<Vec<String>, String>> = if items.len() < SIDE_BY_SIDE {
            items.iter().map(one).collect()
        } else {
            stack::side_by_side(|| items.par_iter().map(one).collect())
        };
        if let Some(tried) = &self.tried {
            let mut tried = tried.lock().expect("nobody panics while holding it");
            let tried = tried.entry(ask.name.clone()).or_default();
            tried.unread.extend(beside);
            for (item, made) in items.iter().zip(&made) {
                tried.item(item, &ask.named);
                tried.events(made.as_deref().unwrap_or_default());
            }
        }
        let mut lines = Lines { covers: covers.iter().map(covers_line).collect(), ..Lines::default() };
        for made in made {
            match made {
                Ok(events) => lines.events.extend(events),
                Err(error) => {
                    lines.events.push(log::NOT_UNDERSTOOD.to_owned());
                    lines.trouble.get_or_insert(error);
                }
            }
        }
        Ok(Page { items: items.len(), lines: Box::new(lines), ..Page::default() })
    }
}

/// What a log covers, as a line of its own.
fn covers_line(covers: &Val) -> String {
    format!("{{\"covers\":{}}}", program::json(covers))
}

/// The path of an address, without its first slash.
fn path_of(link: &str) -> &str {
    let rest = link.find("://").map_or(link, |scheme| &link[scheme + 3..]);
    let rest = if link.contains("://") { rest.split_once('/').map_or("", |(_, path)| path) } else { rest };
    rest.trim_start_matches('/').split(['?', '#']).next().unwrap_or_default()
}
