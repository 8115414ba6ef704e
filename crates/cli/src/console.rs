//! The one gate to the terminal: results to stdout, talk to stderr.

use std::io::{self, IsTerminal, Write};

use anstream::{AutoStream, ColorChoice};
use daxle_core::theme::ReadError;
use daxle_files::Trouble;

use crate::args::{Format, Global, When};
use crate::show::style;

/// Where output goes, and how.
pub(crate) struct Console {
    color: ColorChoice,
    quiet: bool,
    json: bool,
}

impl Console {
    pub(crate) fn new(global: &Global) -> Self {
        let color = match global.color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::AlwaysAnsi,
            When::Never => ColorChoice::Never,
        };
        Console { color, quiet: global.quiet, json: global.format == Format::Json }
    }

    /// Tells whether the user wants progress on stderr.
    pub(crate) fn shows_progress(&self) -> bool {
        !self.quiet && !self.json && io::stderr().is_terminal()
    }

    /// Tells whether stdout is a terminal: then text from themes is made harmless.
    pub(crate) fn is_terminal(&self) -> bool {
        io::stdout().is_terminal()
    }

    /// Writes a styled result; the styles are taken out where they are not wanted.
    pub(crate) fn result(&self, text: &str) -> Result<(), Failure> {
        match self.stream_choice(&io::stdout()) {
            ColorChoice::Never => self.raw(&anstream::adapter::strip_str(text).to_string().into_bytes()),
            _ => self.raw(text.as_bytes()),
        }
    }

    /// Writes bytes as they are.
    pub(crate) fn raw(&self, bytes: &[u8]) -> Result<(), Failure> {
        let mut out = io::BufWriter::new(io::stdout().lock());
        out.write_all(bytes)?;
        out.flush()?;
        Ok(())
    }

    /// Writes a result as JSON.
    pub(crate) fn json(&self, value: &impl serde::Serialize) -> Result<(), Failure> {
        let mut text = serde_json::to_vec_pretty(value).map_err(io::Error::other)?;
        text.push(b'\n');
        self.raw(&text)
    }

    /// Says something in passing.
    pub(crate) fn say(&self, text: &str) {
        if !self.quiet {
            self.talk(text);
        }
    }

    /// Warns.
    pub(crate) fn warn(&self, text: &str) {
        let w = style::WARNING;
        self.talk(&format!("{w}warning:{w:#} {text}"));
    }

    /// Shows an error with its way out.
    pub(crate) fn error(&self, failure: &Failure) {
        let (e, h) = (style::ERROR, style::HINT);
        self.talk(&format!("{e}error:{e:#} {}", harmless(&failure.to_string())));
        if let Some(hint) = failure.hint() {
            self.talk(&format!("{h}hint:{h:#} {}", harmless(hint)));
        }
    }

    fn talk(&self, text: &str) {
        let mut err = AutoStream::new(io::stderr().lock(), self.stream_choice(&io::stderr()));
        // Nobody is left to tell when stderr is gone.
        let _ = writeln!(err, "{text}");
    }

    fn stream_choice(&self, stream: &(impl IsTerminal + anstream::stream::RawStream)) -> ColorChoice {
        if self.color != ColorChoice::Auto {
            return self.color;
        }
        AutoStream::choice(stream)
    }
}

/// Makes control characters and those that turn the reading direction visible.
pub(crate) fn harmless(text: &str) -> String {
    let tricky = |c: char| {
        (c.is_control() && c != '\t' && c != '\n')
            || matches!(c, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
    };
    if !text.contains(tricky) {
        return text.to_string();
    }
    text.chars().map(|c| if tricky(c) { c.escape_unicode().to_string() } else { c.to_string() }).collect()
}

/// Why a command could not do its work.
#[derive(Debug)]
pub(crate) enum Failure {
    /// Something about files.
    Trouble(Trouble),
    /// stdout or stderr failed.
    Stream(io::Error),
}

impl Failure {
    pub(crate) fn is_broken_pipe(&self) -> bool {
        matches!(self, Failure::Stream(e) if e.kind() == io::ErrorKind::BrokenPipe)
    }

    fn hint(&self) -> Option<&str> {
        match self {
            Failure::Trouble(trouble) => trouble.hinted(),
            Failure::Stream(_) => None,
        }
    }
}

impl std::fmt::Display for Failure {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Failure::Trouble(trouble) => trouble.fmt(f),
            Failure::Stream(error) => write!(f, "could not write the output: {error}"),
        }
    }
}

impl From<Trouble> for Failure {
    fn from(trouble: Trouble) -> Self {
        Failure::Trouble(trouble)
    }
}

impl From<io::Error> for Failure {
    fn from(error: io::Error) -> Self {
        Failure::Stream(error)
    }
}

impl From<ReadError> for Failure {
    fn from(error: ReadError) -> Self {
        Failure::Trouble(Trouble::new(error.to_string()).hint("nothing was written; mend this and try again"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_cannot_play_with_the_terminal() {
        assert_eq!(harmless("a\u{1b}[2Jb"), "a\\u{1b}[2Jb");
        assert_eq!(harmless("x\u{202e}gpj.exe"), "x\\u{202e}gpj.exe");
        assert_eq!(harmless("żółw\tx"), "żółw\tx");
    }
}
