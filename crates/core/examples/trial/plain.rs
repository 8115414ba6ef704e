//! A plain merge of lines, to compare with.

use std::fs;

use crate::cases::Case;

/// Merges with `diff3 -m`; `None` where it is not there.
pub(crate) fn plain_merge(case: &Case) -> Option<String> {
    let folder =
        std::env::temp_dir().join(format!("trial-{}-{:?}", std::process::id(), std::thread::current().id()));
    fs::create_dir_all(&folder).ok()?;
    for (name, text) in [("base", &case.base), ("site", &case.site), ("release", &case.release)] {
        fs::write(folder.join(name), text).ok()?;
    }
    let names = ["site", "base", "release"].map(|name| folder.join(name));
    let output = std::process::Command::new("diff3").arg("-m").args(names).output().ok()?;
    Some(String::from_utf8_lossy(&output.stdout).into_owned())
}

/// The lines between conflict markers.
pub(crate) fn marked(text: &str) -> usize {
    let mut open = false;
    let mut count = 0;
    for line in text.lines() {
        let marker = ["<<<<<<< ", "||||||| ", ">>>>>>> "].iter().any(|m| line.starts_with(m)) || line == "=======";
        open |= line.starts_with("<<<<<<< ");
        count += usize::from(open && !marker);
        open &= !line.starts_with(">>>>>>> ");
    }
    count
}
