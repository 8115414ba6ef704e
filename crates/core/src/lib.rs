//! The computing core of Daxle: it separates what a site changed from what its vendor shipped, and carries the
//! changes into the vendor's next release.
//!
//! The way from three themes to one:
//!
//! 1. A theme is a [`theme::Tree`]: paths and bytes, brought by the caller.
//! 2. [`changes::survey`] finds every change the site made to its base.
//! 3. [`carry::carry`] pairs the files of base, site and release, merges each by its kind
//!    ([`formats::merge_file`], [`merge::merge_text`]) and returns the [`carry::account::Account`]: what became of
//!    every change.
//! 4. [`carry::verify`] proves the account against the result, without asking the merge.
//!
//! Nothing here touches a file, a terminal, a clock or an environment variable. Modules import downwards only,
//! in the order in which they are listed: [`text`], [`diff`], [`merge`], [`theme`], [`catalog`], [`formats`], [`settings`], [`stock`],
//! [`child`], [`changes`], [`carry`].
//!
//! ```
//! use daxle_core::carry::{CarryOptions, Content, Inputs, Sink, carry};
//! use daxle_core::theme::{Layout, MemoryTree, ReadError};
//! use std::sync::Mutex;
//!
//! struct Files(Mutex<Vec<String>>);
//! impl Sink for Files {
//!     fn put(&self, path: &str, _content: &Content) -> Result<(), ReadError> {
//!         self.0.lock().unwrap().push(path.to_string());
//!         Ok(())
//!     }
//!     fn put_aside(&self, _path: &str, _content: &Content) -> Result<(), ReadError> {
//!         Ok(())
//!     }
//! }
//!
//! let base = MemoryTree::new([("a.css", "p { top: 0; }\nb { top: 0; }\n")]);
//! let site = MemoryTree::new([("a.css", "p { top: 1px; }\nb { top: 0; }\n")]);
//! let release = MemoryTree::new([("a.css", "p { top: 0; }\nb { top: 5px; }\n"), ("new.css", "")]);
//! let layout = Layout::default();
//! let inputs = Inputs::new([&base, &site, &release], &layout);
//! let files = Files(Mutex::new(Vec::new()));
//! let account = carry(&inputs, &CarryOptions::default(), &files).unwrap();
//! assert_eq!((account.totals.changes, account.totals.fitted), (1, 1));
//! assert_eq!(files.0.into_inner().unwrap().len(), 2);
//! ```

pub mod carry;
pub mod catalog;
pub mod changes;
pub mod child;
pub mod diff;
pub mod formats;
pub mod merge;
pub mod separate;
pub mod settings;
pub mod stock;
pub mod text;
pub mod theme;
