//! Looking at several versions of a text at the same time, where that pays.

/// Bytes from which on it does.
const LARGE: usize = 64 << 10;

/// Applies a function to each of three versions: at the same time, where one of them is large.
pub(crate) fn of_each<'a, R: Send>(versions: [&'a [u8]; 3], of: impl Fn(&'a [u8]) -> R + Sync) -> [R; 3] {
    if versions.iter().all(|text| text.len() < LARGE) {
        return versions.map(of);
    }
    let [base, site, release] = versions;
    let (base, (site, release)) = rayon::join(|| of(base), || rayon::join(|| of(site), || of(release)));
    [base, site, release]
}

/// Does two things: at the same time, where they are large.
pub(crate) fn both<A: Send, B: Send>(
    are_large: bool,
    a: impl FnOnce() -> A + Send,
    b: impl FnOnce() -> B + Send,
) -> (A, B) {
    if are_large { rayon::join(a, b) } else { (a(), b()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_answer_is_of_its_own_version() {
        for size in [1, LARGE] {
            let [base, site, release] = [b'b', b's', b'r'].map(|letter| vec![letter; size]);
            assert_eq!(
                of_each([&base, &site, &release], |text| text.last().copied()),
                [b'b', b's', b'r'].map(Some)
            );
        }
        assert_eq!(both(true, || 1, || "two"), both(false, || 1, || "two"));
    }
}
