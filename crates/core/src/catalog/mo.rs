//! Compiled catalogs (GNU gettext manual, "The Format of GNU MO Files").

use super::{Catalog, Charset, Message};

/// Which end of a number comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ByteOrder {
    /// The low byte.
    #[default]
    Little,
    /// The high byte.
    Big,
}

const MAGIC: u32 = 0x9504_12de;
/// Offset of the strings when there is no hash table: behind the seven numbers of the head.
const HEAD: usize = 28;

/// Why bytes are no compiled catalog.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("byte {at}: {what}")]
pub struct MoFault {
    /// Offset in the file, in bytes.
    pub at: usize,
    /// What is wrong there.
    pub what: &'static str,
}

impl ByteOrder {
    /// The byte order of a compiled catalog; `None` where it is none.
    pub fn of(bytes: &[u8]) -> Option<Self> {
        let magic: [u8; 4] = bytes.get(..4)?.try_into().ok()?;
        match (u32::from_le_bytes(magic), u32::from_be_bytes(magic)) {
            (MAGIC, _) => Some(ByteOrder::Little),
            (_, MAGIC) => Some(ByteOrder::Big),
            _ => None,
        }
    }

    fn read(self, bytes: &[u8], at: usize) -> Result<usize, MoFault> {
        let word = bytes.get(at..at + 4).and_then(|w| w.try_into().ok());
        let word: [u8; 4] = word.ok_or(MoFault { at, what: "the file ends within a number" })?;
        let value = if self == ByteOrder::Little { u32::from_le_bytes(word) } else { u32::from_be_bytes(word) };
        Ok(value as usize)
    }

    fn write(self, out: &mut Vec<u8>, value: usize) {
        let value = u32::try_from(value).unwrap_or(u32::MAX);
        out.extend(if self == ByteOrder::Little { value.to_le_bytes() } else { value.to_be_bytes() });
    }
}

/// Compiles a catalog: translated messages, sorted by id, without fuzzy ones, in the charset that its header names.
/// The hash table, which is optional, is left out. `None` where a text has a letter that the charset has not.
pub fn compile(catalog: &Catalog, order: ByteOrder) -> Option<Vec<u8>> {
    let first = |m: &&Message| m.texts.first().is_some_and(|t| !t.is_empty());
    let kept = catalog.messages.iter().filter(|m| !m.obsolete && (m.is_header() || !m.is_fuzzy())).filter(first);
    let mut strings: Vec<(Vec<u8>, Vec<u8>)> = Vec::new();
    for message in kept {
        let mut id = message.context.as_ref().map_or_else(Vec::new, |c| [c, &b"\x04"[..]].concat());
        id.extend_from_slice(&message.id);
        if let Some(plural) = &message.plural {
            id.push(0);
            id.extend_from_slice(plural);
        }
        let encode = |text: &[u8]| catalog.charset.encode(text);
        strings.push((encode(&id)?, encode(&message.texts.join(&0))?));
    }
    strings.sort();
    let count = strings.len();
    let mut out = Vec::new();
    let tables = [HEAD, HEAD + 8 * count];
    for number in [MAGIC as usize, 0, count, tables[0], tables[1], 0, HEAD + 16 * count] {
        order.write(&mut out, number);
    }
    let mut at = HEAD + 16 * count;
    for text in strings.iter().map(|(id, _)| id).chain(strings.iter().map(|(_, text)| text)) {
        order.write(&mut out, text.len());
        order.write(&mut out, at);
        at += text.len() + 1;
    }
    for text in strings.iter().map(|(id, _)| id).chain(strings.iter().map(|(_, text)| text)) {
        out.extend_from_slice(text);
        out.push(0);
    }
    Some(out)
}

/// Reads a compiled catalog back into one with messages only, in the order of the file.
///
/// # Errors
///
/// When the bytes are no compiled catalog, or point outside of the file.
pub fn read(bytes: &[u8]) -> Result<Catalog, MoFault> {
    let fault = |at: usize, what: &'static str| MoFault { at, what };
    let order = ByteOrder::of(bytes).ok_or(fault(0, "no compiled catalog begins like this"))?;
    if order.read(bytes, 4)? >> 16 > 1 {
        return Err(fault(4, "of a revision that is not known"));
    }
    let count = order.read(bytes, 8)?;
    let (ids, texts) = (order.read(bytes, 12)?, order.read(bytes, 16)?);
    if count > bytes.len() / 16 {
        return Err(fault(8, "more messages than the file can hold"));
    }
    let string = |table: usize, k: usize| -> Result<Vec<u8>, MoFault> {
        let at = table.saturating_add(8 * k);
        let (length, start) = (order.read(bytes, at)?, order.read(bytes, at + 4)?);
        let end = start.checked_add(length);
        let text = end.and_then(|end| bytes.get(start..end));
        text.map(<[u8]>::to_vec).ok_or(fault(at, "a string that reaches beyond the file"))
    };
    let mut pairs = Vec::with_capacity(count);
    for k in 0..count {
        pairs.push((string(ids, k)?, string(texts, k)?));
    }
    let header = pairs.iter().find(|(id, _)| id.is_empty()).map(|(_, text)| text.as_slice());
    let named = Charset::of_header(header.unwrap_or_default()).unwrap_or_default();
    let decoded = pairs.iter().map(|(id, text)| Some((named.decode(id)?, named.decode(text)?))).collect();
    // What is no text of its charset is read as it is.
    let (pairs, charset): (Vec<_>, Charset) = match decoded {
        Some(decoded) => (decoded, named),
        None => (pairs, Charset::default()),
    };
    let mut messages = Vec::with_capacity(count);
    for (id, text) in pairs {
        let (context, id) = match id.iter().position(|b| *b == 4) {
            Some(at) => (Some(id[..at].to_vec()), id[at + 1..].to_vec()),
            None => (None, id),
        };
        let (id, plural) = match id.iter().position(|b| *b == 0) {
            Some(at) => (id[..at].to_vec(), Some(id[at + 1..].to_vec())),
            None => (id, None),
        };
        let texts = match plural {
            Some(_) => text.split(|b| *b == 0).map(<[u8]>::to_vec).collect(),
            None => vec![text],
        };
        messages.push(Message { context, id, plural, texts, ..Message::default() });
    }
    Ok(Catalog::made(messages, charset))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_compiled_is_read_back_in_both_byte_orders() {
        let text = "msgid \"\"\nmsgstr \"Content-Type: text/plain; charset=ISO-8859-2\\n\"\n\nmsgid \"b\"\nmsgid_plural \"bs\"\nmsgstr[0] \"x\"\nmsgstr[1] \"y\"\n\nmsgctxt \"menu\"\nmsgid \"a\"\nmsgstr \"ą\"\n\n#, fuzzy\nmsgid \"c\"\nmsgstr \"no\"\n\nmsgid \"d\"\nmsgstr \"\"\n\n#~ msgid \"e\"\n#~ msgstr \"old\"\n";
        let charset = Charset::of_header(text.as_bytes()).unwrap();
        let catalog = Catalog::parse(&charset.encode(text.as_bytes()).unwrap()).unwrap();
        for order in [ByteOrder::Little, ByteOrder::Big] {
            let bytes = compile(&catalog, order).unwrap();
            assert_eq!(ByteOrder::of(&bytes), Some(order));
            let back = read(&bytes).unwrap();
            let of = |m: &Message| (m.context.clone(), m.id.clone(), m.plural.clone(), m.texts.clone());
            let mut wanted: Vec<_> = catalog.messages.iter().filter(|m| m.is_translated()).map(of).collect();
            wanted.retain(|(_, id, ..)| !matches!(&id[..], b"c" | b"e"));
            let mut found: Vec<_> = back.messages.iter().map(of).collect();
            wanted.sort();
            found.sort();
            assert_eq!(found, wanted);
            assert_eq!(compile(&back, order).unwrap(), bytes);
        }
    }

    #[test]
    fn nonsense_is_a_fault() {
        for bad in [&b""[..], b"\xde\x12\x04\x95", b"\xde\x12\x04\x95\0\0\0\0\xff\xff\xff\xff\0\0\0\0\0\0\0\0"] {
            assert!(read(bad).is_err());
        }
        let mut bytes =
            compile(&Catalog::parse(b"msgid \"a\"\nmsgstr \"b\"\n").unwrap(), ByteOrder::Little).unwrap();
        bytes.truncate(bytes.len() - 2);
        assert_eq!(read(&bytes).unwrap_err().what, "a string that reaches beyond the file");
    }
}
