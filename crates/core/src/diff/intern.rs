//! Giving equal items equal numbers, so that sequences are compared as numbers.

use std::borrow::Cow;
use std::collections::HashMap;

use foldhash::fast::FixedState;

/// Maps byte strings to small numbers: equal strings to equal numbers, counted from 0 in order of appearance.
#[derive(Debug, Default)]
pub struct Interner<'a> {
    numbers: HashMap<Cow<'a, [u8]>, u32, FixedState>,
}

impl<'a> Interner<'a> {
    /// Returns an empty interner.
    pub fn new() -> Self {
        Self::default()
    }

    /// Returns the number of a string, a new one if it was not seen before.
    pub fn number(&mut self, item: Cow<'a, [u8]>) -> u32 {
        let next = self.numbers.len() as u32;
        *self.numbers.entry(item).or_insert(next)
    }

    /// Returns how many different strings were seen.
    pub fn len(&self) -> usize {
        self.numbers.len()
    }

    /// Tells whether no string was seen.
    pub fn is_empty(&self) -> bool {
        self.numbers.is_empty()
    }
}
