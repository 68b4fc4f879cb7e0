//! Dates as answers say them.

use jiff::Timestamp;
use pasaporte_audit::Audit;
use pasaporte_core::estate::{KeyId, LastUse};

/// The day of a time: "2026-11-20".
pub(crate) fn date(time: Timestamp) -> String {
    time.strftime("%Y-%m-%d").to_string()
}

/// When a key was last used, as far as the estate or logs say: a date, `never`, or none where that is not known.
pub(crate) fn last_used(audit: &Audit<'_>, id: KeyId) -> Option<String> {
    let said_never = || audit.estate().get(id).is_some_and(|key| matches!(key.last_used, LastUse::Never));
    audit.last_use_of(id).map(date).or_else(|| said_never().then(|| "never".to_owned()))
}
