//! What a platform has: lists by path, cut into pages.

use std::collections::{BTreeMap, HashMap};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::Mutex;

use serde_json::Value;

use crate::logs::Served;
use crate::platform::{Paging, Platform};

/// How many items of a log are on a page.
const LOG_PAGE: usize = 2000;

/// The lists of a platform; their items as JSON texts.
pub(crate) struct World {
    pub(crate) platform: &'static Platform,
    lists: BTreeMap<String, Vec<String>>,
    page_length: usize,
    /// How often each list has changed, where lists change.
    changes: Option<Mutex<HashMap<String, u32>>>,
}

/// A page as it is sent.
pub(crate) struct Sent {
    pub(crate) body: String,
    pub(crate) etag: String,
    pub(crate) link: Option<String>,
}

/// Why there is no page.
pub(crate) enum NoPage {
    /// There is no such list.
    Unknown,
    /// There is no such page of it.
    Beyond,
    /// It is out of order.
    OutOfOrder,
}

impl World {
    pub(crate) fn new(platform: &'static Platform, functions: usize, shifting: bool) -> Self {
        let lists: BTreeMap<String, Vec<Value>> =
            serde_json::from_str(platform.world).expect("a world is JSON: lists by path");
        let mut lists: BTreeMap<String, Vec<String>> = lists
            .into_iter()
            .map(|(path, items)| (path, items.iter().map(Value::to_string).collect()))
            .collect();
        if let Some((path, item)) = platform.grows {
            lists.entry(path.to_owned()).or_default().extend((0..functions).map(item));
        }
        let page_length = if functions > 0 { 1000 } else { 5 };
        Self { platform, lists, page_length, changes: shifting.then(Mutex::default) }
    }

    /// The paths of all lists.
    #[cfg(test)]
    pub(crate) fn paths(&self) -> impl Iterator<Item = &str> {
        self.lists.keys().map(String::as_str)
    }

    /// Whether a page of a list is never answered.
    pub(crate) fn is_out_of_order(&self, path: &str, parameter: Option<&str>) -> bool {
        self.broken_page(path).is_some_and(|page| number(parameter) == Some(page))
    }

    fn broken_page(&self, path: &str) -> Option<usize> {
        self.platform.out_of_order.filter(|(of, _)| *of == path).map(|(_, page)| page)
    }

    /// A page of a list, by what the parameter for pages says.
    pub(crate) fn page(&self, path: &str, parameter: Option<&str>) -> Result<Sent, NoPage> {
        let items = self.lists.get(path).ok_or(NoPage::Unknown)?;
        let number = number(parameter).ok_or(NoPage::Beyond)?;
        if self.is_out_of_order(path, parameter) {
            return Err(NoPage::OutOfOrder);
        }
        let broken = self.broken_page(path);
        let pages = items.len().div_ceil(self.page_length).max(1).max(broken.unwrap_or(1));
        if !(1..=pages).contains(&number) {
            return Err(NoPage::Beyond);
        }
        let changes = self.changes(path, number);
        let start = (number - 1) * self.page_length;
        let mut mine: Vec<&str> =
            items.iter().skip(start).take(self.page_length).map(String::as_str).collect();
        if changes == 0 && self.changes.is_some() {
            mine.reverse();
        }
        let next = (number < pages).then_some(number + 1);
        let mut hasher = DefaultHasher::new();
        path.hash(&mut hasher);
        let etag = format!("\"{:08x}-{changes}\"", hasher.finish() >> 32);
        Ok(Sent {
            body: self.wrapped(path, &mine.join(","), number, pages, next),
            etag,
            link: self.link(path, next, ""),
        })
    }

    /// How often a list has changed by now: once, as soon as somebody goes on reading what they began.
    fn changes(&self, path: &str, number: usize) -> u32 {
        let Some(changes) = &self.changes else { return 0 };
        let mut changes = changes.lock().expect("nobody panics while holding it");
        let count = changes.entry(path.to_owned()).or_insert(0);
        if number > 1 {
            *count = 1;
        }
        *count
    }

    /// A page of a log, of a range of time.
    pub(crate) fn log_page(
        &self,
        path: &str,
        log: &Served,
        range: (i64, i64),
        asked: &str,
        parameter: Option<&str>,
    ) -> Result<Sent, NoPage> {
        let number = number(parameter).ok_or(NoPage::Beyond)?;
        let items: Vec<&str> = log.items(range).collect();
        let pages = items.len().div_ceil(LOG_PAGE).max(1);
        if !(1..=pages).contains(&number) {
            return Err(NoPage::Beyond);
        }
        let mine: Vec<&str> = items.iter().skip((number - 1) * LOG_PAGE).take(LOG_PAGE).copied().collect();
        let next = (number < pages).then_some(number + 1);
        let mut body = self.wrapped(path, &mine.join(","), number, pages, next);
        if let Some(beside) = &log.beside {
            body.insert_str(1, &format!("{beside},"));
        }
        Ok(Sent { body, etag: format!("\"{:x}\"", items.len()), link: self.link(path, next, asked) })
    }

    fn link(&self, path: &str, next: Option<usize>, asked: &str) -> Option<String> {
        let asked = if asked.is_empty() { String::new() } else { format!("{asked}&") };
        match self.platform.paging {
            Paging::NamedWithLink => next.map(|next| {
                let name = self.platform.name;
                format!("</{name}/{path}?{asked}after=p-{next}>; rel=\"next\"")
            }),
            Paging::BareWithLink => next.map(|next| format!("<?{asked}after=p-{next}>; rel=\"next\"")),
            _ => None,
        }
    }

    fn wrapped(&self, path: &str, items: &str, number: usize, pages: usize, next: Option<usize>) -> String {
        let token = next.map_or("null".to_owned(), |next| format!("\"t-{next}\""));
        match self.platform.paging {
            Paging::NamedWithLink => {
                let name = path.rsplit('/').next().unwrap_or(path);
                format!("{{\"{name}\":[{items}]}}")
            }
            Paging::BareWithLink => format!("[{items}]"),
            Paging::Nodes => format!("{{\"nodes\":[{items}],\"more\":{token}}}"),
            Paging::Entries => format!("{{\"data\":{{\"entries\":[{items}],\"next\":{token}}}}}"),
            Paging::Rows => format!("{{\"rows\":[{items}],\"page\":{number},\"pages\":{pages}}}"),
            Paging::Result => {
                format!("{{\"result\":[{items}],\"page\":{{\"number\":{number},\"of\":{pages}}}}}")
            }
        }
    }
}

/// The number of a page, from 1, by what the parameter for pages says: a number, perhaps with letters before it.
fn number(parameter: Option<&str>) -> Option<usize> {
    parameter.map_or(Some(1), |text| text.rsplit('-').next()?.parse().ok())
}
