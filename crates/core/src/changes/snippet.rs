//! Recognising third-party snippets: tracking, embeds, fonts from elsewhere.

use crate::text::{Line, split_lines};

/// Tells whether lines that a site put into a page are a third party's snippet: they stand before the end of
/// head or body (or after the opening of body) and load or run something.
///
/// `before` and `after` are the lines around the insertion.
pub fn is_snippet(added: &[u8], before: Option<&[u8]>, after: Option<&[u8]>) -> bool {
    let lower = added.to_ascii_lowercase();
    let has = |what: &[u8]| lower.windows(what.len()).any(|w| w == what);
    let foreign = has(b"://") || has(b"src=\"//") || has(b"src='//") || has(b"href=\"//");
    let loads =
        has(b"<script") || has(b"<noscript") || has(b"<iframe") || (foreign && (has(b"<link") || has(b"<img")));
    loads && at_page_edge(before, after)
}

fn at_page_edge(before: Option<&[u8]>, after: Option<&[u8]>) -> bool {
    let starts = |line: Option<&[u8]>, what: &[&[u8]]| {
        let line = line.map(|l| l.trim_ascii().to_ascii_lowercase()).unwrap_or_default();
        what.iter().any(|w| line.starts_with(w))
    };
    starts(after, &[b"</head", b"</body", b"</html"]) || starts(before, &[b"<body", b"<head>", b"<head "])
}

/// Returns the nearest lines that are not blank before and after a range.
pub(crate) fn around<'a>(
    lines: &[Line<'a>],
    range: &std::ops::Range<usize>,
) -> (Option<&'a [u8]>, Option<&'a [u8]>) {
    let before = lines[..range.start].iter().rev().find(|l| !l.is_blank()).map(|l| l.content);
    let after = lines[range.end..].iter().find(|l| !l.is_blank()).map(|l| l.content);
    (before, after)
}

/// Tells whether an edit of a stylesheet or page brings in a font.
pub(crate) fn is_font_use(added: &[u8]) -> bool {
    split_lines(added).iter().any(|l| {
        let lower = l.content.to_ascii_lowercase();
        let has = |what: &[u8]| lower.windows(what.len()).any(|w| w == what);
        has(b"@font-face")
            || (has(b"<link") && has(b"font") && has(b"stylesheet"))
            || (has(b"@import") && has(b"font"))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_snippet_loads_something_at_the_edge_of_a_page() {
        let tracker = b"<script src=\"https://count.example/c.js\"></script>\n";
        assert!(is_snippet(tracker, None, Some(b"  </HEAD>")));
        assert!(is_snippet(b"<noscript></noscript>", Some(b"<body class=\"x\">"), None));
        assert!(!is_snippet(tracker, Some(b"<p>"), Some(b"</p>")));
        assert!(!is_snippet(b"<p>Hello</p>", None, Some(b"</body>")));
    }
}
