//! Tags of template languages: where they end, and whether they open or close a block.

/// Brackets of template languages, also inside tags, with their closers: in some languages, comments.
pub(crate) const INNER: [(&[u8], &[u8]); 7] = [
    (b"<!--", b"-->"),
    (b"{{{", b"}}}"),
    (b"{{", b"}}"),
    (b"{%", b"%}"),
    (b"{#", b"#}"),
    (b"<?", b"?>"),
    (b"<%", b"%>"),
];

/// Returns the end of a template tag that begins at `i`.
pub(crate) fn template_end(text: &[u8], i: usize) -> Option<usize> {
    let (open, close) = INNER.iter().find(|(open, _)| text[i..].starts_with(open))?;
    let from = i + open.len();
    let at = text[from..].windows(close.len()).position(|w| w == *close)?;
    Some(from + at + close.len())
}

/// What stands within a template tag.
fn code_of(tag: &[u8]) -> &[u8] {
    let inner = &tag[2..tag.len() - 2];
    let longer = |open: &[u8], close: &[u8]| inner.strip_prefix(open).and_then(|rest| rest.strip_suffix(close));
    let inner = longer(b"{", b"}").or_else(|| longer(b"--", b"-")).unwrap_or(inner);
    let code = inner.strip_prefix(b"php").unwrap_or(inner).trim_ascii();
    code.strip_prefix(b"-").unwrap_or(code).trim_ascii()
}

/// Tells whether a template tag begins another branch of the block that it stands in.
pub(super) fn is_else(tag: &[u8]) -> bool {
    let code = code_of(tag);
    let begins = |word: &&[u8]| code.get(..word.len()).is_some_and(|head| head.eq_ignore_ascii_case(word));
    [b"else".as_slice(), b"elif", b"elsif", b"} else"].iter().any(begins)
}

/// Returns 1 for a template tag that opens a block, -1 for one that closes it, and 0 for all others.
pub(in crate::merge) fn block_step(tag: &[u8]) -> i64 {
    const OPENERS: [&[u8]; 10] =
        [b"if", b"for", b"foreach", b"while", b"unless", b"block", b"with", b"each", b"ifchanged", b"begin"];
    let code = code_of(tag);
    let word_len = code.iter().take_while(|b| b.is_ascii_alphabetic()).count();
    let word = code[..word_len].to_ascii_lowercase();
    if code.starts_with(b"}") || code.starts_with(b"/") || word.starts_with(b"end") {
        return if code.ends_with(b"{") { 0 } else { -1 };
    }
    let opens = match (tag.starts_with(b"<?"), code.first()) {
        // Server code opens a block only where it leaves one open.
        (true, _) => word != b"else" && word != b"elseif" && matches!(code.last(), Some(b':' | b'{')),
        (_, Some(b'#')) => !tag.starts_with(b"{#"),
        _ => OPENERS.contains(&word.as_slice()),
    };
    i64::from(opens)
}
