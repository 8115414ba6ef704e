//! Giving equal items equal numbers, so that sequences are compared as numbers.

use std::borrow::Cow;
use std::collections::HashMap;

use foldhash::fast::FixedState;

/// Maps byte strings to small numbers: equal strings to equal numbers, counted from 0 in order of appearance.
#[derive(Debug)]
pub struct Interner<'a> {
    numbers: HashMap<Cow<'a, [u8]>, u32, FixedState>,
    /// The numbers of single bytes: most tokens are one mark, and need no hashing.
    bytes: [Option<u32>; 256],
    count: u32,
}

impl Default for Interner<'_> {
    fn default() -> Self {
        Interner { numbers: HashMap::default(), bytes: [None; 256], count: 0 }
    }
}

impl<'a> Interner<'a> {
    /// Returns an empty interner.
    pub fn new() -> Self {
        Self::default()
    }

    /// Returns the number of a string, a new one if it was not seen before.
    pub fn number(&mut self, item: Cow<'a, [u8]>) -> u32 {
        let next = self.count;
        let number = match *item {
            [byte] => *self.bytes[usize::from(byte)].get_or_insert(next),
            _ => *self.numbers.entry(item).or_insert(next),
        };
        self.count += u32::from(number == next);
        number
    }

    /// Returns how many different strings were seen.
    pub fn len(&self) -> usize {
        self.count as usize
    }

    /// Tells whether no string was seen.
    pub fn is_empty(&self) -> bool {
        self.count == 0
    }
}
