//! The page that text is set on: its width, its styles, its paragraphs.
//!
//! Text is always built with styles; the stream it goes to takes them out where they are not wanted.

use anstyle::{AnsiColor, Style};
use pasaporte_audit::Severity;
use textwrap::{Options, WordSeparator, WordSplitter};

/// Widest line of running text: beyond that the eye loses the next line.
const WIDEST: usize = 110;
/// The width where nothing is known.
const USUAL: usize = 80;

/// A page of some width.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Page {
    pub(crate) width: usize,
}

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();
pub(crate) const NAME: Style = AnsiColor::Cyan.on_default();
/// What is open to whoever is in an internal network.
pub(crate) const WITHIN: Style = AnsiColor::Yellow.on_default();
pub(crate) const FIX: Style = AnsiColor::Green.on_default();

impl Page {
    /// A page of the asked width, else that of the terminal, else the usual one.
    pub(crate) fn new(width: Option<usize>) -> Self {
        let terminal =
            || terminal_size::terminal_size_of(std::io::stdout()).map(|(width, _)| usize::from(width.0));
        Self { width: width.or_else(terminal).unwrap_or(USUAL).clamp(40, 400) }
    }

    /// The width of running text.
    pub(crate) fn text_width(self) -> usize {
        self.width.min(WIDEST)
    }

    /// A paragraph: `first` before its first line, `rest` before the others. Both may be styled; they
    /// are as wide as `indent` says. Names of things in it stand out.
    pub(crate) fn paragraph(self, text: &str, first: &str, rest: &str, indent: usize) -> String {
        let width = self.text_width().saturating_sub(indent).max(20);
        let mut out = String::new();
        for (number, line) in wrap(text, width).iter().enumerate() {
            out.push_str(if number == 0 { first } else { rest });
            out.push_str(&with_names(line));
            out.push('\n');
        }
        out
    }
}

/// A text as it stands within a line: what an estate says breaks none.
pub(crate) fn in_line(text: &str) -> String {
    safe(&text.replace(['\n', '\t'], " "))
}

/// Lines of at most `width` columns, broken at spaces; ids are never broken where they fit. The text may have colours; a line
/// break in what an estate says breaks none.
pub(crate) fn wrap(text: &str, width: usize) -> Vec<String> {
    let text = text.replace(['\n', '\t'], " ");
    let options = Options::new(width)
        .word_separator(WordSeparator::AsciiSpace)
        .word_splitter(WordSplitter::NoHyphenation);
    textwrap::wrap(&text, options).into_iter().map(std::borrow::Cow::into_owned).collect()
}

/// The text in a style.
pub(crate) fn paint(style: Style, text: &str) -> String {
    format!("{style}{text}{style:#}")
}

/// The style of a severity.
pub(crate) fn style_of(severity: Severity) -> Style {
    match severity {
        Severity::Critical => AnsiColor::BrightRed.on_default().bold(),
        Severity::High => AnsiColor::Red.on_default(),
        Severity::Medium => AnsiColor::Yellow.on_default(),
        Severity::Low => AnsiColor::Blue.on_default(),
        Severity::Info => AnsiColor::BrightBlack.on_default(),
    }
}

/// A line whose `kind:id` words stand out.
fn with_names(line: &str) -> String {
    let words: Vec<String> = line
        .split(' ')
        .map(|word| {
            let bare = word.trim_end_matches([',', '.', ';', ')', '\'', ':']).trim_start_matches('(');
            let bare = bare.strip_suffix("'s").unwrap_or(bare);
            let is_name = bare.split_once(':').is_some_and(|(kind, id)| {
                !kind.is_empty()
                    && kind.chars().all(|each| each.is_ascii_lowercase() || each == '-')
                    && id.starts_with(|first: char| first.is_alphanumeric() || first == '_')
            });
            if is_name { word.replacen(bare, &paint(NAME, bare), 1) } else { word.to_owned() }
        })
        .collect();
    words.join(" ")
}

/// Text from outside, without characters that would do something to a terminal.
pub(crate) fn safe(text: &str) -> String {
    pasaporte_read::visible(text)
}
