//! Which findings make an audit fail.

use pasaporte_audit::Severity;

/// A severity, and whether only what is new counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Threshold {
    /// Findings of this severity, or worse.
    pub severity: Severity,
    /// Only those that are new, or worse than they were.
    pub new: bool,
}

impl Threshold {
    /// The words for thresholds, worst first: each severity, and the same for what is new.
    pub const WORDS: [&str; 10] = [
        "critical",
        "high",
        "medium",
        "low",
        "info",
        "new:critical",
        "new:high",
        "new:medium",
        "new:low",
        "new:info",
    ];

    /// What a word asks for.
    pub fn parse(word: &str) -> Option<Self> {
        use pasaporte_core::estate::Vocabulary;
        let (new, severity) = match word.strip_prefix("new:") {
            Some(severity) => (true, severity),
            None => (false, word),
        };
        Severity::parse(severity).map(|severity| Self { severity, new })
    }
}

impl std::fmt::Display for Threshold {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}{}", if self.new { "new:" } else { "" }, self.severity)
    }
}

#[cfg(test)]
mod tests {
    use pasaporte_core::estate::Vocabulary;

    use super::*;

    #[test]
    fn every_severity_has_its_words_and_each_is_read_as_it_is_written() {
        let severities = || Severity::ALL.iter().rev().map(|(word, _)| *word);
        let words: Vec<String> =
            severities().map(str::to_owned).chain(severities().map(|word| format!("new:{word}"))).collect();
        assert_eq!(Threshold::WORDS.to_vec(), words);
        for word in words {
            assert_eq!(Threshold::parse(&word).map(|it| it.to_string()), Some(word));
        }
        assert_eq!(Threshold::parse("new:"), None);
    }
}
