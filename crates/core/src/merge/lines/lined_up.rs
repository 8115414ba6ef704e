//! Three versions lined up: what a walk needs to know of them, whatever it asks about.

use std::cell::OnceCell;

use super::Context;
use super::paired::{BracketPairs, Closing};
use crate::diff::Edit;
use crate::merge::Trust;
use crate::merge::align::{From, Side, align};
use crate::merge::choices::open_choices;
use crate::merge::ops::{Changes, MovedKeys, Ops};
use crate::merge::space::Forms;

/// What the two sides changed, and how their changes stand to each other.
pub(crate) struct LinedUp {
    pub(super) site_edits: Vec<Edit>,
    pub(super) release_edits: Vec<Edit>,
    /// Which edits of the site have one of the release touching them.
    pub(super) site_touched: Vec<bool>,
    /// Which edits of the site may be about another block, like the one that they are in.
    pub(super) open_choices: Vec<bool>,
    pub(super) site_ops: Ops,
    pub(super) release_ops: Ops,
    pub(super) forms: Forms,
    pub(super) site_moved: MovedKeys,
    pub(super) release_moved: MovedKeys,
    /// The brackets of base, site and release.
    pub(super) brackets: OnceCell<[BracketPairs; 3]>,
    /// What the three leave open.
    pub(super) closing: OnceCell<Closing>,
}

impl LinedUp {
    /// Lines base, site and release up, from the front. Of the context it is what is asked about that does not matter, and
    /// whether moves are followed.
    pub(crate) fn new([base, site, release]: [&Side<'_>; 3], context: Context<'_>) -> Self {
        let release_edits = align(base, release, context.weak, From::Front);
        Self::with([base, site, release], release_edits, context)
    }

    /// The same versions with the release lined up from the back; `None` where that is no other way.
    pub(crate) fn the_other_way(&self, sides: [&Side<'_>; 3], context: Context<'_>) -> Option<Self> {
        let release_edits = align(sides[0], sides[2], context.weak, From::Back);
        (release_edits != self.release_edits).then(|| Self::with(sides, release_edits, context))
    }

    fn with(
        [base, site, release]: [&Side<'_>; 3],
        release_edits: Vec<Edit>,
        Context { weak, dialect, options, nested, .. }: Context<'_>,
    ) -> Self {
        let site_edits = align(base, site, weak, From::Front);
        let strict = options.trust == Trust::Strict;
        let site_touched = touching(&site_edits, &release_edits);
        let release_touched = touching(&release_edits, &site_edits);
        let dialect = (!strict).then_some(dialect);
        let site_moved = MovedKeys::new(base, site, &site_edits);
        let release_moved = MovedKeys::new(base, release, &release_edits);
        let by_site = Changes { side: site, edits: &site_edits, moved: &site_moved };
        let by_release = Changes { side: release, edits: &release_edits, moved: &release_moved };
        let ops = |own, other, touched: &[bool]| {
            Ops::new(base, own, Some(other), weak, dialect, |k| !strict && touched[k])
        };
        let site_ops = ops(by_site, by_release, &site_touched);
        let release_ops = ops(by_release, by_site, &release_touched);
        LinedUp {
            forms: Forms::new(base, site, release, &site_ops, &release_ops, options.keep_blanks, nested),
            open_choices: open_choices(base, [site, release], [&site_edits, &release_edits], weak),
            site_moved,
            release_moved,
            site_edits,
            release_edits,
            site_touched,
            site_ops,
            release_ops,
            brackets: OnceCell::new(),
            closing: OnceCell::new(),
        }
    }
}

/// Which edits have one of the other side touching them.
fn touching(own: &[Edit], other: &[Edit]) -> Vec<bool> {
    let mut from = 0;
    own.iter()
        .map(|e| {
            while other.get(from).is_some_and(|o| o.old.end < e.old.start) {
                from += 1;
            }
            other.get(from).is_some_and(|o| o.old.start <= e.old.end)
        })
        .collect()
}
