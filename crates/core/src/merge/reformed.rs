//! Taking a whole file's new white space back, so that what else a side changed is merged as in any other file.

use super::align::{From, Side, Weak, align, line_edits};
use super::ops::{Changes, Link, MovedKeys, Ops};
use super::space::Forms;
use super::{Dialect, MergeOptions};
use crate::diff::Interner;
use crate::text::{Indent, LineEnd};

/// Returns the site's text as it would be written in the base's form, line for line, where the site reformatted the file
/// as a whole. `None` where it did not, or where its changes would be told otherwise in that form.
pub(super) fn in_the_bases_form(
    [base_text, site_text, release_text]: [&[u8]; 3],
    dialect: &Dialect,
    options: &MergeOptions,
) -> Option<Vec<u8>> {
    let mut interner = Interner::new();
    let base = Side::new(base_text, dialect.blanks, &mut interner);
    let mut later = |body| Side::later(body, &base, dialect.blanks, &mut interner);
    let (site, release) = (later(site_text), later(release_text));
    let weak = Weak::of(&[&base, &site, &release]);
    let ops = |side: &Side<'_>| {
        let edits = align(&base, side, &weak, From::Front);
        let moved = MovedKeys::new(&base, side, &edits);
        Ops::new(&base, Changes { side, edits: &edits, moved: &moved }, None, &weak, None, |_| false)
    };
    let (site_ops, release_ops) = (ops(&site), ops(&release));
    let forms = Forms::new(&base, &site, &release, &site_ops, &release_ops, options.keep_blanks, None);
    if !forms.site_reformatted {
        return None;
    }
    let mut partners = vec![None; site.lines.len()];
    for (i, link) in site_ops.links.iter().enumerate() {
        if let Link::Kept(j) = link {
            partners[*j] = Some(&base.lines[i]);
        }
    }
    let mut out = Vec::with_capacity(site_text.len());
    for (line, partner) in site.lines.iter().zip(partners) {
        let (levels, of) = match partner {
            Some(partner) if line.is_blank() => (0, partner),
            Some(partner) => (forms.site_shift(partner, line), partner),
            None => (0, line),
        };
        let indent = of.indent();
        out.extend(match partner {
            Some(_) if levels == 0 => indent.to_vec(),
            Some(_) => {
                let measured = forms.base.measure(indent);
                forms.base.write(Indent { levels: measured.levels.saturating_add_signed(levels), ..measured })
            }
            None => forms.base.write(forms.site.measure(indent)),
        });
        out.extend_from_slice(&of.content[indent.len()..]);
        if line.end != LineEnd::None {
            out.extend_from_slice(forms.base.line_end.bytes());
        }
    }
    let edits = |site: &[u8]| line_edits(base_text, site, dialect.blanks);
    (edits(&out) == edits(site_text)).then_some(out)
}
