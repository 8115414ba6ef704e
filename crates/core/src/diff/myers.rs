//! Myers' difference algorithm in linear space.
//!
//! Source: Eugene W. Myers, "An O(ND) Difference Algorithm and Its Variations", Algorithmica 1 (1986), section
//! 4b. The search for a middle snake gives up after a capped number of differences and splits at the furthest
//! point reached, which bounds the work to O(cap * N) at the price of a longer script on hopeless inputs.

use super::Marks;

/// Differences after which the search for an exact split is given up, at the least.
const MIN_CAP: usize = 256;

/// Compares `old[i0..i1]` with `new[j0..j1]` and marks the items that are not kept.
pub(crate) fn compare(
    old: &[u32],
    new: &[u32],
    (i0, i1): (usize, usize),
    (j0, j1): (usize, usize),
    marks: &mut Marks,
) {
    let total = (i1 - i0) + (j1 - j0);
    let cap = MIN_CAP.max(total.isqrt());
    let mut forward = vec![0usize; 2 * total.div_ceil(2) + 3];
    let mut backward = forward.clone();
    let mut todo = vec![((i0, i1), (j0, j1))];
    while let Some(((mut i0, mut i1), (mut j0, mut j1))) = todo.pop() {
        while i0 < i1 && j0 < j1 && old[i0] == new[j0] {
            (i0, j0) = (i0 + 1, j0 + 1);
        }
        while i0 < i1 && j0 < j1 && old[i1 - 1] == new[j1 - 1] {
            (i1, j1) = (i1 - 1, j1 - 1);
        }
        if i0 == i1 || j0 == j1 {
            marks.old[i0..i1].fill(true);
            marks.new[j0..j1].fill(true);
            continue;
        }
        let (x, y) = split(&old[i0..i1], &new[j0..j1], cap, &mut forward, &mut backward);
        todo.push(((i0 + x, i1), (j0 + y, j1)));
        todo.push(((i0, i0 + x), (j0, j0 + y)));
    }
}

/// Finds a point through which a shortest path goes (or a good one, past the cap).
///
/// Both sides are non-empty and differ at both ends. The point is never a corner of the whole, so that the
/// two halves are smaller than what was split.
fn split(a: &[u32], b: &[u32], cap: usize, forward: &mut [usize], backward: &mut [usize]) -> (usize, usize) {
    let (n, m) = (a.len() as isize, b.len() as isize);
    let delta = n - m;
    let odd = delta % 2 != 0;
    let limit = (n + m + 1) / 2;
    let slot = |k: isize| (k + limit + 1) as usize;
    forward[slot(1)] = 0;
    backward[slot(1)] = 0;
    for d in 0..=limit {
        // Diagonals outside of the rectangle need not be walked.
        let (low, high) = (-d + 2 * (d - m).max(0), d - 2 * (d - n).max(0));
        let mut k = low;
        while k <= high {
            let mut x = if k == -d || (k != d && forward[slot(k - 1)] < forward[slot(k + 1)]) {
                forward[slot(k + 1)]
            } else {
                forward[slot(k - 1)] + 1
            };
            let mut y = (x as isize - k) as usize;
            let start = (x, y);
            while x < a.len() && y < b.len() && a[x] == b[y] {
                (x, y) = (x + 1, y + 1);
            }
            forward[slot(k)] = x;
            let mirrored = delta - k;
            if odd && mirrored.abs() < d && x + backward[slot(mirrored)] >= a.len() {
                return inner_point(start, (x, y), (a.len(), b.len()));
            }
            k += 2;
        }
        let mut k = low;
        while k <= high {
            let mut x = if k == -d || (k != d && backward[slot(k - 1)] < backward[slot(k + 1)]) {
                backward[slot(k + 1)]
            } else {
                backward[slot(k - 1)] + 1
            };
            let mut y = (x as isize - k) as usize;
            let start = (x, y);
            while x < a.len() && y < b.len() && a[a.len() - 1 - x] == b[b.len() - 1 - y] {
                (x, y) = (x + 1, y + 1);
            }
            backward[slot(k)] = x;
            let mirrored = delta - k;
            if !odd && mirrored.abs() <= d && x + forward[slot(mirrored)] >= a.len() {
                return inner_point(
                    (a.len() - x, b.len() - y),
                    (a.len() - start.0, b.len() - start.1),
                    (a.len(), b.len()),
                );
            }
            k += 2;
        }
        if d as usize >= cap {
            let best = (low..=high)
                .step_by(2)
                .map(|k| (forward[slot(k)], (forward[slot(k)] as isize - k) as usize))
                .filter(|(x, y)| *x <= a.len() && *y <= b.len())
                .max_by_key(|(x, y)| x + y);
            return best.filter(|p| *p != (0, 0) && *p != (a.len(), b.len())).unwrap_or((a.len(), 0));
        }
    }
    // Not reached: the two searches meet at the latest after `limit` differences.
    (a.len(), 0)
}

/// Picks an end of the middle snake that is no corner of the rectangle.
fn inner_point(start: (usize, usize), end: (usize, usize), whole: (usize, usize)) -> (usize, usize) {
    let corner = |p: (usize, usize)| p == (0, 0) || p == whole;
    if !corner(end) {
        end
    } else if !corner(start) {
        start
    } else {
        // A path through nothing but corners deletes all and inserts all.
        (whole.0, 0)
    }
}
