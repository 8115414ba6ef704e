//! A temporary folder and the program in it.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Output;

use assert_cmd::Command;

/// A folder for one test, with a cleared environment for the program.
pub(crate) struct Env {
    dir: tempfile::TempDir,
    /// The folder in it that the program runs in.
    within: PathBuf,
}

/// What the program printed and how it ended.
#[derive(Debug)]
pub(crate) struct Ran {
    pub(crate) code: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Env {
    pub(crate) fn new() -> Self {
        Env { dir: tempfile::tempdir().expect("a temporary folder"), within: PathBuf::new() }
    }

    /// The same with a folder of it as the place to work in.
    pub(crate) fn within(mut self, folder: &str) -> Self {
        self.within = folder.into();
        self
    }

    fn here(&self) -> PathBuf {
        self.dir.path().join(&self.within)
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.here().join(name)
    }

    /// Writes files below a folder.
    pub(crate) fn theme(&self, folder: &str, files: &[(&str, &str)]) -> &Self {
        for (path, text) in files {
            self.write(&format!("{folder}/{path}"), text.as_bytes());
        }
        self
    }

    pub(crate) fn write(&self, path: &str, bytes: impl AsRef<[u8]>) {
        let path = self.path(path);
        fs::create_dir_all(path.parent().expect("a parent")).expect("a folder");
        fs::write(path, bytes.as_ref()).expect("a file");
    }

    #[track_caller]
    pub(crate) fn read(&self, path: &str) -> String {
        fs::read_to_string(self.path(path)).unwrap_or_else(|e| panic!("{path}: {e}"))
    }

    /// Runs the program in the folder; the words of `args` are split at blanks.
    pub(crate) fn run(&self, args: &str) -> Ran {
        let Output { status, stdout, stderr } = Command::cargo_bin("daxle")
            .expect("the program")
            .args(args.split_whitespace())
            .current_dir(self.here())
            .env_clear()
            .env("TMPDIR", self.dir.path())
            .output()
            .expect("to run");
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).expect("UTF-8");
        Ran { code: status.code().unwrap_or(-1), out: text(stdout), err: text(stderr) }
    }

    /// Runs the program and reads its JSON.
    #[track_caller]
    pub(crate) fn json(&self, args: &str) -> serde_json::Value {
        let ran = self.run(&format!("{args} --format json"));
        serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}\n{ran:?}"))
    }

    /// All files below a folder with their bytes.
    pub(crate) fn tree(&self, folder: &str) -> Vec<(String, Vec<u8>)> {
        fn walk(root: &Path, at: &Path, out: &mut Vec<(String, Vec<u8>)>) {
            for entry in fs::read_dir(at).expect("a folder").map(|e| e.expect("an entry").path()) {
                if entry.is_dir() {
                    walk(root, &entry, out);
                } else {
                    let name = entry.strip_prefix(root).expect("below").to_string_lossy().into_owned();
                    out.push((name, fs::read(&entry).expect("a file")));
                }
            }
        }
        let mut out = Vec::new();
        walk(&self.path(folder), &self.path(folder), &mut out);
        out.sort();
        out
    }
}

impl Ran {
    #[track_caller]
    pub(crate) fn ends(self, code: i32) -> Self {
        assert_eq!(self.code, code, "stdout:\n{}\nstderr:\n{}", self.out, self.err);
        self
    }
}

pub(crate) const CARRY: &str = "carry --base base --site site --release release --out out";

/// A small theme: the site changed one rule, the release another and a page.
pub(crate) fn small() -> Env {
    let env = Env::new();
    let css = "a {\n  color: red;\n}\n\nb {\n  top: 0;\n}\n";
    let page = "<h1>Title here</h1>\n<p>Some text</p>\n";
    env.theme("base", &[("style.css", css), ("page.html", page), ("img/a.bin", "\0one")]);
    env.theme(
        "site",
        &[
            ("style.css", &css.replace("red", "teal")),
            ("page.html", page),
            ("img/a.bin", "\0one"),
            ("own.txt", "ours\n"),
        ],
    );
    env.theme(
        "release",
        &[
            ("style.css", &css.replace("top: 0", "top: 1px")),
            ("page.html", &page.replace("Some", "More")),
            ("img/a.bin", "\0two"),
        ],
    );
    env
}

/// Says that a test is skipped, and why.
#[expect(clippy::print_stderr, reason = "a test that is skipped says so")]
pub(crate) fn skipped(why: &str) {
    eprintln!("skipped: {why}");
}
