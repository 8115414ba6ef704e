//! The whole theme: pairing files, merging each, and the account of what became of every site change.
//!
//! [`carry`] takes three themes and hands the files of the result, one by one, to a [`Sink`]; what it returns is
//! the [`Account`](account::Account). A forecast is the same with a sink that drops everything. [`verify`]
//! proves an account against a result without asking the merge.

pub mod account;
mod across;
mod checks;
mod defaults;
mod doubts;
mod drift;
mod file;
mod lists;
mod markers;
mod onward;
mod proof;
mod run;
pub mod settle;
mod through;
mod valid;
mod values;
mod walk;
mod words;

pub use drift::{Drift, drift};
pub use proof::{Evidence, Finding, FindingKind, Proof, Since, verify};
pub use run::{CarryOptions, Inputs, carry};
pub use through::{Stop, best_way, carry_through};
pub use valid::well_formed;
pub use walk::{Area, WhatHappened, Why, walk};

use crate::theme::ReadError;

/// Where a file of the result comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// The release's file at this index, as it is.
    Release(usize),
    /// The site's file at this index, as it is.
    Site(usize),
    /// Merged bytes; the file mode comes from the release's file at the index.
    Merged(Vec<u8>, Option<usize>),
}

/// Takes the files of a result.
pub trait Sink: Sync {
    /// Takes one file. Called from several threads, in no order, once per path.
    ///
    /// # Errors
    ///
    /// Whatever keeps the file from being written; the carry stops there.
    fn put(&self, path: &str, content: &Content) -> Result<(), ReadError>;

    /// Takes a release's file that lost its place to the site's, to be kept beside the result.
    ///
    /// # Errors
    ///
    /// As for [`Sink::put`].
    fn put_aside(&self, path: &str, content: &Content) -> Result<(), ReadError>;
}

/// A sink that drops everything: a forecast.
#[derive(Debug, Clone, Copy, Default)]
pub struct Nowhere;

impl Sink for Nowhere {
    fn put(&self, _path: &str, _content: &Content) -> Result<(), ReadError> {
        Ok(())
    }

    fn put_aside(&self, _path: &str, _content: &Content) -> Result<(), ReadError> {
        Ok(())
    }
}
