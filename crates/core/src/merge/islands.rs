//! What a line begins in that is none of the text around it: a remark, or a piece of another language.

use super::enclosed::Opener;
use super::tags::INNER;
use crate::text::split_lines;

/// Elements that hold another language than the markup around them, by how they begin and end.
const ELEMENTS: [(&[u8], &[u8]); 2] = [(b"<script", b"</script"), (b"<style", b"</style")];

/// Tells whether pieces of code begin and end in turn, and remarks and scripts end where they began.
pub(super) fn in_turn(text: &[u8]) -> bool {
    let marks = text.windows(2).filter(|two| matches!(*two, [b'<', b'?'] | [b'?', b'>']));
    marks.enumerate().all(|(k, mark)| (mark[0] == b'<') == (k % 2 == 0)) && islands(text).1
}

/// What each line of a markup text begins in that is written in another language (a remark, a piece of code, a script),
/// and whether none is left open but code, and no remark or script ends that did not begin.
pub(super) fn islands(text: &[u8]) -> (Vec<Option<Opener>>, bool) {
    let kinds: Vec<(&[u8], &[u8])> = INNER.into_iter().chain(ELEMENTS).collect();
    let ends: Vec<&[u8]> =
        kinds.iter().map(|kind| kind.1).filter(|end| end.starts_with(b"</") || *end == b"-->").collect();
    let mut open: Option<(usize, usize)> = None;
    let mut found = Vec::new();
    let mut whole = true;
    for (line, content) in split_lines(text).iter().map(|line| line.content).enumerate() {
        let kind = |k: usize| u8::try_from(k).unwrap_or(u8::MAX);
        found.push(open.map(|(k, line)| Opener { kind: kind(k), line }));
        let mut at = 0;
        while let Some(mark) = content[at..].iter().position(|byte| b"<{-}?%#".contains(byte)) {
            at += mark;
            let rest = &content[at..];
            match open {
                Some((k, _)) if rest.starts_with(kinds[k].1) => {
                    (open, at) = (None, at + kinds[k].1.len());
                }
                None => match kinds.iter().position(|(opens, _)| rest.starts_with(opens)) {
                    Some(k) => (open, at) = (Some((k, line)), at + kinds[k].0.len()),
                    None => {
                        whole &= !ends.iter().any(|end| rest.starts_with(end));
                        at += 1;
                    }
                },
                Some(_) => at += 1,
            }
        }
    }
    // A file may end in a piece of code.
    (found, whole && open.is_none_or(|(k, _)| kinds[k].0 == b"<?"))
}

/// Which remark `/* … */` each line of a script or style begins in, and whether none is left open.
pub(super) fn remarks(text: &[u8]) -> (Vec<Option<Opener>>, bool) {
    let mut open: Option<usize> = None;
    let mut found = Vec::new();
    for (line, content) in split_lines(text).iter().map(|line| line.content).enumerate() {
        found.push(open.map(|line| Opener { kind: b'*', line }));
        let mut quote = None;
        let mut at = 0;
        while let Some(mark) = content[at..].iter().position(|byte| b"/*\"'`\\".contains(byte)) {
            at += mark;
            let (byte, next) = (content[at], content.get(at + 1).copied());
            let mut len = 1;
            match (open, quote, byte) {
                (Some(_), _, b'*') if next == Some(b'/') => (open, len) = (None, 2),
                (Some(_), ..) => {}
                (_, _, b'\\') => len = 2,
                (_, Some(own), _) if own == byte => quote = None,
                (_, Some(_), _) => {}
                (_, None, b'"' | b'\'' | b'`') => quote = Some(byte),
                (_, None, b'/') if next == Some(b'*') => (open, len) = (Some(line), 2),
                (_, None, b'/') if next == Some(b'/') && !content[..at].ends_with(b":") => break,
                _ => {}
            }
            at = content.len().min(at + len);
        }
    }
    (found, open.is_none())
}
