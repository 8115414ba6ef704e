//! A carry of themes in bytes, with a layout, and what its proof finds.

use std::collections::BTreeMap;
use std::sync::Mutex;

use daxle_core::carry::account::Account;
use daxle_core::carry::{CarryOptions, Content, Evidence, FindingKind, Inputs, Sink, carry, verify};
use daxle_core::theme::{Layout, MemoryTree, ReadError, Tree};

pub(crate) type Bytes = Vec<(&'static str, Vec<u8>)>;

#[derive(Default)]
struct Collect(Mutex<BTreeMap<String, Content>>);

impl Sink for Collect {
    fn put(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        self.0.lock().unwrap().insert(path.to_string(), content.clone());
        Ok(())
    }

    fn put_aside(&self, _path: &str, _content: &Content) -> Result<(), ReadError> {
        Ok(())
    }
}

/// Carries base, site and release under the layout of a `daxle.toml`.
pub(crate) fn proved(
    layout: &str,
    options: CarryOptions,
    [base, site, release]: [Bytes; 3],
) -> (Account, BTreeMap<String, Vec<u8>>, Vec<FindingKind>) {
    let (base, site, release) = (MemoryTree::new(base), MemoryTree::new(site), MemoryTree::new(release));
    let layout = Layout::parse(layout).unwrap();
    let inputs = Inputs::new([&base, &site, &release], &layout);
    let sink = Collect::default();
    let account = carry(&inputs, &options, &sink).unwrap();
    let bytes = |content| match content {
        Content::Release(k) => release.read(k).unwrap(),
        Content::Site(k) => site.read(k).unwrap(),
        Content::Merged(bytes, _) => bytes,
    };
    let files: BTreeMap<String, Vec<u8>> =
        sink.0.into_inner().unwrap().into_iter().map(|(path, content)| (path, bytes(content))).collect();
    let result = MemoryTree::new(files.clone());
    let evidence = Evidence { base: &base, site: &site, release: &release, result: &result };
    let findings = verify(&account, &evidence).unwrap().findings.iter().map(|f| f.kind).collect();
    (account, files, findings)
}
