//! Versions, read leniently as SemVer (semver.org, 2.0.0).

use std::cmp::Ordering;
use std::fmt;

/// A version: missing parts are 0, a leading `v` is dropped, and a pre-release sorts before its release.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Version {
    numbers: Vec<u64>,
    pre: Vec<String>,
    text: String,
}

/// How big the step between two versions is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Jump {
    /// The same version.
    None,
    /// Only the third part (or one after it) or the pre-release differs.
    Patch,
    /// The second part differs.
    Minor,
    /// The first part differs; more breaks.
    Major,
    /// The new version is older.
    Back,
}

impl Jump {
    /// Returns the word for the jump.
    pub fn word(self) -> &'static str {
        match self {
            Jump::None => "none",
            Jump::Patch => "patch",
            Jump::Minor => "minor",
            Jump::Major => "major",
            Jump::Back => "back",
        }
    }
}

impl Version {
    /// Reads a version; `None` where the text does not begin with a number.
    pub fn parse(text: &str) -> Option<Self> {
        let text = text.trim();
        let body = text.strip_prefix(['v', 'V']).unwrap_or(text).trim_start();
        let body = body.split('+').next().unwrap_or(body);
        let number_end = body.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(body.len());
        let numbers: Vec<u64> = body[..number_end]
            .split('.')
            .filter(|p| !p.is_empty())
            .map(|p| p.parse().unwrap_or(u64::MAX))
            .collect();
        if numbers.is_empty() {
            return None;
        }
        // `2.0-beta.2`, `2.0rc1`, `2.0 beta 3`: words and numbers apart, so that `rc10` comes after `rc9`.
        let mut pre: Vec<String> = Vec::new();
        for c in body[number_end..].chars() {
            if !c.is_ascii_alphanumeric() {
                pre.push(String::new());
            } else if let Some(last) = pre.last_mut()
                && last.chars().last().is_none_or(|l| l.is_ascii_digit() == c.is_ascii_digit())
            {
                last.push(c.to_ascii_lowercase());
            } else {
                pre.push(c.to_ascii_lowercase().to_string());
            }
        }
        pre.retain(|p| !p.is_empty());
        Some(Version { numbers, pre, text: text.to_string() })
    }

    fn part(&self, k: usize) -> u64 {
        self.numbers.get(k).copied().unwrap_or(0)
    }

    /// Returns how big the step to a newer version is.
    pub fn jump_to(&self, newer: &Version) -> Jump {
        match self.cmp(newer) {
            Ordering::Equal => Jump::None,
            Ordering::Greater => Jump::Back,
            Ordering::Less if self.part(0) != newer.part(0) => Jump::Major,
            Ordering::Less if self.part(1) != newer.part(1) => Jump::Minor,
            Ordering::Less => Jump::Patch,
        }
    }
}

impl Ord for Version {
    fn cmp(&self, other: &Self) -> Ordering {
        let longest = self.numbers.len().max(other.numbers.len());
        let numbers = (0..longest).map(|k| self.part(k).cmp(&other.part(k))).find(|o| o.is_ne());
        numbers.unwrap_or_else(|| match (self.pre.is_empty(), other.pre.is_empty()) {
            (true, true) => Ordering::Equal,
            (true, false) => Ordering::Greater,
            (false, true) => Ordering::Less,
            (false, false) => {
                let key = |p: &String| {
                    (p.parse::<u64>().map_err(|_| p.clone()).map_or_else(Err, Ok))
                        .map_or_else(|word| (1, 0, word), |number| (0, number, String::new()))
                };
                self.pre.iter().map(key).cmp(other.pre.iter().map(key))
            }
        })
    }
}

impl PartialOrd for Version {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl fmt::Display for Version {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn v(text: &str) -> Version {
        Version::parse(text).unwrap()
    }

    #[test]
    fn versions_are_read_leniently_and_sort() {
        let order = [
            "1",
            "1.0.1-alpha",
            "1.0.1-beta.2",
            "1.0.1-beta.11",
            "v1.0.1rc1",
            "1.0.1",
            "1.2",
            "1.10",
            "2.0.0-rc.1",
            "2",
        ];
        for pair in order.windows(2) {
            assert!(v(pair[0]) < v(pair[1]), "{pair:?}");
        }
        assert_eq!(v("2").cmp(&v("2.0.0+build5")), Ordering::Equal);
        assert_eq!(Version::parse("unknown"), None);
    }

    #[test]
    fn jumps_are_named_by_their_largest_part() {
        assert_eq!(v("2.6.1").jump_to(&v("3.0.0")), Jump::Major);
        assert_eq!(v("2.6").jump_to(&v("2.7.0")), Jump::Minor);
        assert_eq!(v("2.6").jump_to(&v("2.6.1")), Jump::Patch);
        assert_eq!(v("2.6").jump_to(&v("2.6.0")), Jump::None);
        assert_eq!(v("3").jump_to(&v("2.9")), Jump::Back);
    }
}
