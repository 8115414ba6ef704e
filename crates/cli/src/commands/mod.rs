//! The commands, one file each: what was typed, one call of the core, and showing what came out.

pub(crate) mod carry;
pub(crate) mod catalog;
pub(crate) mod child;
pub(crate) mod demo;
pub(crate) mod forecast;
pub(crate) mod generate;
pub(crate) mod init;
pub(crate) mod note;
pub(crate) mod pack;
pub(crate) mod place;
pub(crate) mod report;
pub(crate) mod separate;
pub(crate) mod settings;
pub(crate) mod settle;
pub(crate) mod stock;
pub(crate) mod survey;
pub(crate) mod verify;

use daxle_core::carry::CarryOptions;
use daxle_core::merge::{Leave, Trust};

use crate::args::{LeaveSide, Merging, TrustLevel};

/// How a command ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Ended {
    /// Nothing is open.
    Clean,
    /// Decisions are open, or a check found something.
    Open,
}

impl Ended {
    /// Open when there is anything.
    pub(crate) fn open_if(anything: bool) -> Self {
        if anything { Ended::Open } else { Ended::Clean }
    }
}

impl From<&Merging> for CarryOptions {
    fn from(merging: &Merging) -> Self {
        CarryOptions {
            trust: match merging.trust {
                TrustLevel::Strict => Trust::Strict,
                TrustLevel::Normal => Trust::Normal,
                TrustLevel::Bold => Trust::Bold,
            },
            leave: match merging.leave {
                LeaveSide::Markers => Leave::Markers,
                LeaveSide::Site => Leave::Site,
                LeaveSide::Release => Leave::Release,
            },
            keep_blanks: merging.keep_blanks,
        }
    }
}
