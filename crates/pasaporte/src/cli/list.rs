//! `pasaporte list`: what is there, as a table.

mod rows;

use clap::{Args, ValueEnum};
use pasaporte_core::pattern::Pattern;

use super::{Done, Input, Sheet, Stop};
use crate::view::{self, Cell, Table};

#[derive(Debug, Args)]
pub(crate) struct List {
    /// What to list
    #[arg(value_enum)]
    what: What,
    #[command(flatten)]
    input: Input,
    /// Only rows where a column is so: COLUMN=PATTERN, COLUMN!=PATTERN, COLUMN>NUMBER, COLUMN<NUMBER (repeat)
    #[arg(long = "where", value_name = "COLUMN=PATTERN")]
    wheres: Vec<String>,
    /// Order by a column; with - before it from the end
    #[arg(long, value_name = "COLUMN", allow_hyphen_values = true)]
    sort: Option<String>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Written,
}

/// How a list is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Written {
    /// For people
    Text,
    /// For programs
    Json,
    /// For spreadsheets
    Csv,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum What {
    /// Functions: what they run as, what makes them run, who can
    Functions,
    /// Endpoints: how callers are checked, and who gets through in effect
    Endpoints,
    /// Operations of API contracts: what each declares, and how what is deployed stands to it
    Operations,
    /// Triggers: what makes which function run
    Triggers,
    /// Identities: who runs as them, and the worst they may do
    Identities,
    /// People, and what they hold
    Users,
    /// Groups: who is in them, and what they hold
    Groups,
    /// Grants: who holds what, where, until when
    Grants,
    /// Permission sets: what they include, and who holds them
    PermissionSets,
    /// Keys: what they open, their age and use
    Keys,
    /// Token verifiers: what they accept, and what they guard
    Verifiers,
    /// Tokens known by their claims: which verifiers they pass
    Tokens,
    /// Resources: how sensitive they are, and whose
    Resources,
    /// Organizations, folders, accounts and apps
    Scopes,
    /// Records in other systems, and which identity has the client id
    Enrolments,
}

impl List {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let estate = self.input.load()?;
        let audit = pasaporte_audit::Audit::new(estate, pasaporte_audit::Settings::default());
        let mut table = match self.what {
            What::Functions => rows::functions(&audit),
            What::Endpoints => rows::endpoints(&audit),
            What::Operations => rows::operations(&audit),
            What::Triggers => rows::triggers(&audit),
            What::Identities => rows::identities(&audit),
            What::Users => rows::users(&audit),
            What::Groups => rows::groups(&audit),
            What::Grants => rows::grants(&audit),
            What::PermissionSets => rows::permission_sets(&audit),
            What::Keys => rows::keys(&audit),
            What::Verifiers => rows::verifiers(&audit),
            What::Tokens => rows::tokens(&audit),
            What::Resources => rows::resources(&audit),
            What::Scopes => rows::scopes(&audit),
            What::Enrolments => rows::enrolments(&audit),
        };
        for text in &self.wheres {
            Where::parse(text, &table.names())?.apply(&mut table);
        }
        if let Some(sort) = &self.sort {
            let name = sort.strip_prefix('-').unwrap_or(sort);
            table.order_by(column(name, &table.names())?, name != sort);
        }
        match self.format {
            Written::Text => sheet.text(&view::table(sheet.page, &table))?,
            Written::Json => sheet.json(&table.to_json())?,
            Written::Csv => sheet.out.write_all(&table.to_csv().map_err(std::io::Error::other)?)?,
        }
        Ok(0)
    }
}

/// What rows must be like.
struct Where {
    column: usize,
    wanted: Test,
}

enum Test {
    Is(Pattern),
    IsNot(Pattern),
    Over(i64),
    Under(i64),
}

impl Where {
    fn parse(text: &str, names: &[&str]) -> Result<Self, Stop> {
        let wrong = |message: String| Stop::Misused {
            message,
            help:
                "write --where 'effective=anyone', 'check!=identity' or 'age_days>180'; * and ? are wildcards"
                    .to_owned(),
        };
        let operators = ["!=", "=", ">", "<"];
        let found = operators.iter().filter_map(|operator| Some((text.find(operator)?, *operator)));
        let Some((at, operator)) = found.min_by_key(|(at, operator)| (*at, operator.len() == 1)) else {
            return Err(wrong(format!("`{}` says nothing of a column", view::safe(text))));
        };
        let (name, value) = (text[..at].trim(), text[at + operator.len()..].trim());
        let pattern =
            || Pattern::parse(value).map_err(|error| wrong(format!("`{}`: {error}", view::safe(value))));
        let number = || {
            let wrong = |_| wrong(format!("`{}` is not a whole number", view::safe(value)));
            value.parse::<i64>().map_err(wrong)
        };
        let wanted = match operator {
            "=" => Test::Is(pattern()?),
            "!=" => Test::IsNot(pattern()?),
            ">" => Test::Over(number()?),
            _ => Test::Under(number()?),
        };
        Ok(Self { column: column(name, names)?, wanted })
    }

    /// A cell of several texts is as wanted if one of them is; what is said of it only perhaps counts too.
    fn apply(&self, table: &mut Table) {
        let matches = |cell: &Cell, pattern: &Pattern| {
            let texts = cell.texts();
            texts.iter().any(|text| pattern.matches(text.strip_suffix(" (perhaps)").unwrap_or(text)))
        };
        table.keep(self.column, |cell| match &self.wanted {
            Test::Is(pattern) => matches(cell, pattern),
            Test::IsNot(pattern) => !matches(cell, pattern),
            Test::Over(least) => cell.number().is_some_and(|number| number > *least),
            Test::Under(most) => cell.number().is_some_and(|number| number < *most),
        });
    }
}

/// The column of a name.
fn column(name: &str, names: &[&str]) -> Result<usize, Stop> {
    names.iter().position(|known| *known == name).ok_or_else(|| Stop::Misused {
        message: format!("there is no column `{}` in this list", view::safe(name)),
        help: match pasaporte_read::nearest(name, names) {
            Some(near) => format!("did you mean {near}?"),
            None => format!("the columns are {}", names.join(", ")),
        },
    })
}
