//! What the two sides did to a list in which no entry stands twice.

/// What one side did to a list without repetitions, by gaps between the entries of the base.
pub(super) struct ListEdits {
    /// Per entry of the base: it is still there.
    pub(super) kept: Vec<bool>,
    /// Per gap: the entries of the side that were put there, those in place of others before those.
    pub(super) put: Vec<Vec<usize>>,
}

impl ListEdits {
    /// `None` where the side put entries into another order.
    pub(super) fn of<T: PartialEq>(base: &[T], side: &[T]) -> Option<Self> {
        let homes: Vec<usize> = base.iter().filter_map(|e| side.iter().position(|s| s == e)).collect();
        if homes.windows(2).any(|w| w[0] > w[1]) {
            return None;
        }
        let kept: Vec<bool> = base.iter().map(|e| side.contains(e)).collect();
        let mut put = vec![Vec::new(); base.len() + 1];
        // After the last kept entry, and so in place of those that are gone behind it.
        let mut gap = 0;
        for (k, entry) in side.iter().enumerate() {
            match base.iter().position(|b| b == entry) {
                Some(i) => gap = i + 1,
                None => put[gap].push(k),
            }
        }
        Some(ListEdits { kept, put })
    }

    /// Tells whether what was put into a gap stands in place of the entry behind it.
    fn replaces(&self, gap: usize) -> bool {
        self.kept.get(gap) == Some(&false)
    }

    /// Tells whether what the side put into a gap stands before what the other did: at the start of the list, where the
    /// site puts what is to be first, and before what the other put in the place of the next entry.
    pub(super) fn goes_before(&self, other: &ListEdits, gap: usize) -> bool {
        let at_start = gap == 0 && !self.kept.is_empty();
        !self.replaces(gap) && (at_start || other.replaces(gap))
    }

    /// The entries that stand in the place of those that are gone around entry `k` of the base.
    fn instead_of<'s, T>(&self, k: usize, side: &'s [T]) -> Vec<&'s T> {
        let gap = (0..=k).rev().take_while(|g| *g == k || !self.kept[*g]).last().unwrap_or(k);
        self.put[gap..=k].iter().flatten().map(|at| &side[*at]).collect()
    }

    /// Tells whether two sides put other entries in the place of the same one.
    pub(super) fn swaps_against<T: PartialEq>(&self, other: &ListEdits, own: &[T], others: &[T]) -> bool {
        (0..self.kept.len()).filter(|k| !self.kept[*k] && !other.kept[*k]).any(|k| {
            let (here, there) = (self.instead_of(k, own), other.instead_of(k, others));
            !here.is_empty() && !there.is_empty() && here != there
        })
    }
}
