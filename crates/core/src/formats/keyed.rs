//! What merging by key has in common, whatever the format: the changes by key, and how they become the changes by
//! line that the account knows.

use std::ops::Range;

use crate::diff::Edit;
use crate::merge::{EditFate, MergeOptions, Outcome, Reason, Step, TextDecision, TextMerge};
use crate::text::{Form, split_lines};

/// Keys that tell the items of a list apart.
pub(crate) const IDENTITY: [&str; 4] = ["id", "key", "slug", "name"];

/// What a merge by key is told beside the three versions.
#[derive(Debug, Clone, Default)]
pub(crate) struct Rules {
    /// Keys that tell items apart, before those that always do.
    pub(crate) identity: Vec<String>,
    /// Values that the site left alone stay at the base's, where the release has others.
    pub(crate) hold: bool,
    /// What is merely likely is done.
    pub(crate) bold: bool,
}

impl Rules {
    /// Takes them from how a merge is to be done.
    pub(crate) fn new(options: &MergeOptions) -> Self {
        let settings = &options.settings;
        Rules {
            identity: settings.identity.clone(),
            hold: settings.hold,
            bold: options.trust == crate::merge::Trust::Bold,
        }
    }

    /// The keys that tell items apart, in the order in which they count.
    pub(crate) fn identity(&self) -> impl Iterator<Item = &str> {
        self.identity.iter().map(String::as_str).chain(IDENTITY)
    }
}

/// A plain value written as the release's type, where it says the same so.
pub(crate) fn converted(site: &str, release: &str) -> Option<String> {
    #[derive(PartialEq, Clone, Copy)]
    enum Sort {
        Text(Option<char>),
        Number,
        Flag,
    }
    let sort = |literal: &str| match literal.chars().next() {
        Some(quote @ ('"' | '\'')) => Some(Sort::Text(Some(quote))),
        None | Some('[' | '{' | '|' | '>' | '&' | '*') => None,
        _ if literal.parse::<f64>().is_ok() => Some(Sort::Number),
        _ if matches!(literal, "true" | "false") => Some(Sort::Flag),
        _ if literal == "null" || literal == "~" => None,
        _ => Some(Sort::Text(None)),
    };
    let content = site.trim_matches(['"', '\'']);
    match (sort(site)?, sort(release)?) {
        (Sort::Text(_), Sort::Number) => content.parse::<f64>().ok().map(|_| content.to_string()),
        (Sort::Text(_) | Sort::Number, Sort::Flag) => match content.to_ascii_lowercase().as_str() {
            "true" | "yes" | "on" | "1" => Some("true".into()),
            "false" | "no" | "off" | "0" => Some("false".into()),
            _ => None,
        },
        (own @ (Sort::Number | Sort::Flag), Sort::Text(quote)) => {
            // Another sort of text ("30rem") says another thing.
            let theirs = release.trim_matches(['"', '\'']).to_ascii_lowercase();
            let word = match theirs.as_str() {
                "yes" | "no" if own == Sort::Flag => ["no", "yes"][usize::from(content == "true")],
                "on" | "off" if own == Sort::Flag => ["off", "on"][usize::from(content == "true")],
                "true" | "false" if own == Sort::Flag => content,
                _ if own == Sort::Number && theirs.parse::<f64>().is_ok() => content,
                _ => return None,
            };
            let quote = quote.unwrap_or('"');
            Some(format!("{quote}{word}{quote}"))
        }
        (Sort::Flag, Sort::Number) => Some(if content == "true" { "1".into() } else { "0".into() }),
        _ => None,
    }
}

/// One key that the site changed, and what became of it. Spans are in bytes.
#[derive(Debug, Clone)]
pub(crate) struct KeyChange {
    /// Where the value is, in the format's own way.
    pub(crate) pointer: String,
    pub(crate) base: Option<Range<usize>>,
    pub(crate) site: Option<Range<usize>>,
    pub(crate) release: Option<Range<usize>>,
    pub(crate) result: Option<Range<usize>>,
    pub(crate) outcome: Outcome,
    pub(crate) step: Option<Step>,
    /// Why it is asked, where it is.
    pub(crate) reason: Option<Reason>,
    /// What may be the answer.
    pub(crate) hint: Option<String>,
}

/// The result of a merge by key.
#[derive(Debug, Clone)]
pub(crate) struct KeyedMerge {
    pub(crate) bytes: Vec<u8>,
    pub(crate) changes: Vec<KeyChange>,
    /// A tool rewrote the site's file and lost its comments, so that its lines say little.
    pub(crate) rewritten: bool,
    /// A key that the site seems to have renamed is told as one that it took out.
    pub(crate) renamed: bool,
}

/// Where the lines of a text begin.
struct Lines(Vec<usize>);

impl Lines {
    fn of(text: &[u8]) -> Self {
        let ends = text.iter().enumerate().filter(|(_, b)| **b == b'\n').map(|(k, _)| k + 1);
        Lines(std::iter::once(0).chain(ends).collect())
    }

    /// The lines that a span of bytes touches.
    fn at(&self, span: &Range<usize>) -> Range<usize> {
        let line = |at: usize| self.0.partition_point(|start| *start <= at) - 1;
        let last = span.end.saturating_sub(1).max(span.start);
        line(span.start)..line(last) + 1
    }
}

/// The edits, by index, that touch some lines; `side` gives an edit's lines, which are in order.
fn meeting(fates: &[EditFate], lines: &Range<usize>, side: fn(&EditFate) -> &Range<usize>) -> Vec<usize> {
    let first = fates.partition_point(|f| side(f).end.max(side(f).start + 1) <= lines.start);
    let rest = fates.iter().enumerate().skip(first).take_while(|(_, f)| side(f).start < lines.end.max(1));
    rest.filter(|(_, f)| !side(f).is_empty()).map(|(k, _)| k).collect()
}

impl KeyedMerge {
    /// Tells the merge in lines: each line edit of the site has the gravest outcome of the keys in it.
    pub(crate) fn into_text(self, edits: Vec<Edit>, base: &[u8], site: &[u8], release: &[u8]) -> TextMerge {
        let mut fates: Vec<EditFate> = edits
            .into_iter()
            .map(|e| EditFate {
                base: e.old,
                site: e.new,
                release: 0..0,
                result: 0..0,
                // An edit without a key in it changed the form only: commas, order, blanks.
                outcome: Outcome::Fitted,
                step: Some(Step::ReleaseForm),
            })
            .collect();
        let mut seen = vec![false; fates.len()];
        let mut decisions = Vec::new();
        let [in_base, in_site, in_release, in_result] = [base, site, release, &self.bytes].map(Lines::of);
        for change in &self.changes {
            let site_lines = change.site.as_ref().map(|s| in_site.at(s));
            let base_lines = change.base.as_ref().map(|b| in_base.at(b));
            let result_lines = change.result.as_ref().map_or(0..0, |r| in_result.at(r));
            let release_lines = change.release.as_ref().map_or(0..0, |r| in_release.at(r));
            let mut mine: Vec<usize> = site_lines.iter().flat_map(|l| meeting(&fates, l, |f| &f.site)).collect();
            mine.extend(base_lines.iter().flat_map(|l| meeting(&fates, l, |f| &f.base)));
            mine.sort_unstable();
            mine.dedup();
            for &k in &mine {
                let fate = &mut fates[k];
                if !seen[k] || change.outcome.gravity() >= fate.outcome.gravity() {
                    fate.outcome = change.outcome;
                    fate.step =
                        if change.outcome == Outcome::Kept { None } else { change.step.or(Some(Step::ByKey)) };
                    fate.result = result_lines.clone();
                    fate.release = release_lines.clone();
                }
                seen[k] = true;
            }
            if let (Some(reason), Outcome::Open) = (change.reason, change.outcome) {
                let part = |text: &[u8], span: &Option<Range<usize>>| {
                    span.clone().map(|s| text[s].to_vec()).unwrap_or_default()
                };
                decisions.push(TextDecision {
                    with: Vec::new(),
                    reason,
                    base: base_lines.unwrap_or(0..0),
                    site: site_lines.unwrap_or(0..0),
                    release: release_lines,
                    result: result_lines,
                    edits: mine,
                    base_text: part(base, &change.base),
                    site_text: part(site, &change.site),
                    release_text: part(release, &change.release),
                    hint: change.hint.clone(),
                });
            }
        }
        TextMerge {
            bytes: self.bytes,
            edits: fates,
            decisions,
            space_lines: 0,
            space_follows_release: true,
            by_lines: false,
        }
    }
}

/// The indentation unit of a text.
pub(crate) fn unit(text: &[u8]) -> Vec<u8> {
    Form::of(&split_lines(text)).unit.bytes(1)
}

/// Writes lines of one text as they would stand in another.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Refit {
    own: Form,
    other: Form,
}

impl Refit {
    /// Prepares for writing lines of `own` into `other`.
    pub(crate) fn new(own: &[u8], other: &[u8]) -> Self {
        Refit { own: Form::of(&split_lines(own)), other: Form::of(&split_lines(other)) }
    }

    /// The other text's line end.
    pub(crate) fn line_end(&self) -> &'static [u8] {
        self.other.line_end.bytes()
    }

    /// Writes `raw` with its indentation beyond `from` beyond `to`, in the other's unit and with its line ends. The
    /// first line has no indentation in `raw`.
    pub(crate) fn write(&self, raw: &[u8], from: &[u8], to: &[u8]) -> Vec<u8> {
        let mut out = Vec::with_capacity(raw.len());
        let base = self.own.measure(from);
        for (k, line) in split_lines(raw).iter().enumerate() {
            if k == 0 || line.is_blank() {
                out.extend_from_slice(line.content);
            } else {
                let mut indent = self.own.measure(line.indent());
                indent.levels = indent.levels.saturating_sub(base.levels);
                out.extend_from_slice(to);
                out.extend(self.other.write(indent));
                out.extend_from_slice(line.trimmed());
            }
            if line.end != crate::text::LineEnd::None {
                out.extend_from_slice(self.line_end());
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_is_written_as_another_type_where_it_says_the_same() {
        let of = |site, release| converted(site, release).unwrap_or_default();
        assert_eq!(
            [of("\"12\"", "4"), of("12", "\"4\""), of("\"yes\"", "false"), of("1", "true")],
            ["12", "\"12\"", "true", "true"]
        );
        assert_eq!([of("12", "'4'"), of("false", "'yes'"), of("true", "0")], ["'12'", "'no'", "1"]);
        assert_eq!([of("\"wide\"", "4"), of("12", "[1]"), of("5", "false")], [""; 3]);
        assert_eq!([of("520", "\"30rem\""), of("true", "\"auto\"")], [""; 2]);
    }
}
