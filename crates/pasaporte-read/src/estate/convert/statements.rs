//! Statements: which actions on which things, under which conditions.

use pasaporte_core::estate::{
    self as model, ActionsId, Attribute, Effect, PatternId, ResourcesId, Selection, StatementId, Statements,
};
use pasaporte_core::pattern::Pattern;

use super::{Converter, Short};
use crate::estate::conditions::{Test, When};
use crate::estate::statements::{Picked, Statement};
use crate::estate::values::{ActionPattern, AnyPattern, ResourcePattern};

impl Converter<'_, '_> {
    pub(super) fn statements(&mut self, statements: &[Statement<'_>]) -> Statements {
        let before = self.builder.statements_so_far();
        for statement in statements {
            self.statement(statement);
        }
        self.builder.statements_since(before)
    }

    pub(super) fn statement(&mut self, it: &Statement<'_>) -> StatementId {
        let resources = match &it.on {
            Some(on) => self.resources(on),
            None => self.any_resource(),
        };
        let statement = model::Statement {
            effect: if it.allows { Effect::Allow } else { Effect::Deny },
            actions: self.actions(&it.actions),
            resources,
            conditions: self.conditions(&it.when),
            origin: self.origin(it.at),
        };
        self.builder.statement(statement)
    }

    pub(super) fn actions(&mut self, picked: &Picked<'_, ActionPattern<'_>>) -> ActionsId {
        let selection = self.selection(picked, |pattern| pattern.0);
        self.builder.actions(selection)
    }

    pub(super) fn resources(&mut self, picked: &Picked<'_, ResourcePattern<'_>>) -> ResourcesId {
        let selection = self.selection(picked, |pattern| pattern.0);
        self.builder.resources(selection)
    }

    pub(super) fn any_resource(&mut self) -> ResourcesId {
        let selection = Selection::One(self.pattern("*"));
        self.builder.resources(selection)
    }

    /// What is picked; all but the exceptions where nothing else is listed.
    pub(super) fn selection<P>(&mut self, picked: &Picked<'_, P>, text: impl Fn(&P) -> &str) -> Selection {
        match (picked.any, picked.except) {
            ([only], []) => Selection::One(self.pattern(text(only))),
            (any, except) => {
                let any: Short<PatternId> = any.iter().map(|pattern| self.pattern(text(pattern))).collect();
                let any = if any.is_empty() { Short::from_iter([self.pattern("*")]) } else { any };
                let except: Short<PatternId> =
                    except.iter().map(|pattern| self.pattern(text(pattern))).collect();
                Selection::new(&any, &except)
            }
        }
    }

    pub(super) fn pattern(&mut self, text: &str) -> PatternId {
        self.builder.pattern(text).expect("patterns are checked as they are read")
    }

    pub(super) fn conditions(&mut self, when: &When<'_>) -> Box<[model::Condition]> {
        let mut conditions: Vec<model::Condition> = when
            .tests
            .iter()
            .filter_map(|(name, test)| {
                let attribute = self.attribute(name)?;
                Some(model::Condition::Test(attribute, self.test(test)))
            })
            .collect();
        for text in when.opaque {
            conditions.push(model::Condition::Opaque(self.builder.name(text.0)));
        }
        conditions.into()
    }

    pub(super) fn attribute(&mut self, name: &str) -> Option<Attribute> {
        Attribute::parse(name, |tag| Some(self.builder.name(tag)))
    }

    pub(super) fn test(&mut self, test: &Test<'_>) -> model::Test {
        match test {
            Test::Equals(values) => model::Test::Equals(self.names(values).into_vec().into()),
            Test::NotEquals(values) => model::Test::NotEquals(self.names(values).into_vec().into()),
            Test::Like(patterns) => model::Test::Like(patterns.iter().map(any_pattern).collect()),
            Test::InNetwork(nets) => model::Test::InNetwork(nets.iter().map(|net| net.0).collect()),
            Test::Before(time) => model::Test::Before(time.0),
            Test::After(time) => model::Test::After(time.0),
            Test::Present(present) => model::Test::Present(*present),
        }
    }
}

pub(super) fn any_pattern(pattern: &AnyPattern<'_>) -> Pattern {
    Pattern::parse(pattern.0).expect("patterns are checked as they are read")
}
