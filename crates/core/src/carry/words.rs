//! Words that are not the business of one file alone: languages that only the site has, and compiled catalogs.

use std::collections::{BTreeSet, HashMap, HashSet};

use super::Content;
use super::account::Remark;
use super::file::{FileResult, Instead, Triple, carry_file, put_together};
use super::run::{CarryOptions, Inputs, touched};
use super::values::keyed_values;
use crate::catalog::{self, ByteOrder, Catalog, Message, compile, read_mo};
use crate::changes::FileChange;
use crate::formats::merge_file;
use crate::merge::{MergeOptions, Outcome, Step};
use crate::theme::{Kind, ReadError, Tree};

/// How many keys or messages a remark names.
const NAMED: usize = 8;

/// A language that only the site has, brought up to the release.
pub(super) struct OwnLanguage {
    /// The catalog with the release's messages; nothing where it needs none of them.
    pub(super) bytes: Option<Vec<u8>>,
    pub(super) remark: Option<Remark>,
}

/// Brings a catalog that only the site has up to the release's template, or tells what it lacks.
pub(super) fn own_language(inputs: &Inputs<'_>, path: &str, site: usize) -> Result<Option<OwnLanguage>, ReadError> {
    if path.ends_with(".po") { own_catalog(inputs, path, site) } else { own_plain(inputs, path, site) }
}

fn own_catalog(inputs: &Inputs<'_>, path: &str, site: usize) -> Result<Option<OwnLanguage>, ReadError> {
    let Some(template) = template_of(inputs.release, path) else { return Ok(None) };
    let bytes = inputs.site.read(site)?;
    let template = inputs.release.read(template)?;
    let before = template_of(inputs.base, path).map(|k| inputs.base.read(k)).transpose()?;
    let (Ok(mine), Ok(template)) = (Catalog::parse(&bytes), Catalog::parse(&template)) else { return Ok(None) };
    let before = before.and_then(|b| Catalog::parse(&b).ok());
    let known: HashSet<_> = before.iter().flat_map(|b| &b.messages).map(Message::key).collect();
    let own = |m: &Message| before.is_some() && !known.contains(&m.key());
    let Some(updated) = catalog::update(&mine, &template, &own) else { return Ok(None) };
    let remark = told(path, &updated);
    Ok(Some(OwnLanguage { bytes: (updated.bytes != bytes).then_some(updated.bytes), remark }))
}

/// The messages of the release's template that a merged catalog still lacks, added to it.
pub(super) fn completed(inputs: &Inputs<'_>, path: &str, merged: &[u8]) -> Result<Option<OwnLanguage>, ReadError> {
    let template = template_of(inputs.release, path).filter(|_| path.ends_with(".po"));
    let Some(template) = template.map(|k| inputs.release.read(k)).transpose()? else { return Ok(None) };
    let (Ok(merged), Ok(template)) = (Catalog::parse(merged), Catalog::parse(&template)) else { return Ok(None) };
    let Some(updated) = catalog::with_missing(&merged, &template) else { return Ok(None) };
    let remark = told(path, &updated);
    Ok(Some(OwnLanguage { bytes: Some(updated.bytes), remark }))
}

/// What there is to know of a catalog that was brought up to its template.
fn told(path: &str, updated: &catalog::Updated) -> Option<Remark> {
    let mut parts = Vec::new();
    if !updated.new.is_empty() {
        parts.push(format!("{} new without a translation ({})", updated.new.len(), named(&updated.new)));
    }
    if !updated.reworded.is_empty() {
        let ids: Vec<String> = updated.reworded.iter().map(|r| r.id.clone()).collect();
        parts.push(format!("{} reworded, marked as fuzzy ({})", ids.len(), named(&ids)));
    }
    if !updated.obsolete.is_empty() {
        parts.push(format!("{} no more in use ({})", updated.obsolete.len(), named(&updated.obsolete)));
    }
    let text = format!("brought up to the template of the release, {}", parts.join("; "));
    (!parts.is_empty()).then(|| Remark { path: path.to_string(), text })
}

fn named(list: &[String]) -> String {
    let mut text = list.iter().take(NAMED).map(|id| format!("{id:?}")).collect::<Vec<_>>().join(", ");
    if list.len() > NAMED {
        text += ", …";
    }
    text
}

/// The template in the folder of a catalog: the only one, or the one whose name the catalog's begins with.
fn template_of(tree: &dyn Tree, path: &str) -> Option<usize> {
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let beside = |other: &str| other.rsplit_once('/').unwrap_or(("", other)).0 == folder && other.ends_with(".pot");
    let list: Vec<usize> = (0..tree.entries().len()).filter(|k| beside(&tree.entries()[*k].path)).collect();
    let fits = |k: &usize| {
        let path = &tree.entries()[*k].path;
        let stem = path.rsplit('/').next().and_then(|n| n.strip_suffix(".pot"));
        stem.is_some_and(|stem| name.starts_with(stem))
    };
    match list[..] {
        [one] => Some(one),
        _ => list.into_iter().find(fits),
    }
}

/// A language file of plain keys that only the site has: what the release's other languages have beyond it.
fn own_plain(inputs: &Inputs<'_>, path: &str, site: usize) -> Result<Option<OwnLanguage>, ReadError> {
    const FOLDERS: [&str; 8] =
        ["lang", "langs", "language", "languages", "locale", "locales", "i18n", "translations"];
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let of_language = inputs.layout.kind(path, b"") == Kind::Catalog
        || folder.rsplit('/').next().is_some_and(|f| FOLDERS.contains(&f.to_ascii_lowercase().as_str()));
    let Some((_, extension)) = name.rsplit_once('.').filter(|_| of_language) else { return Ok(None) };
    // The language itself may be the outermost key.
    let keys = |bytes: &[u8], name: &str| -> Option<BTreeSet<String>> {
        let language = name.split('.').next().unwrap_or(name);
        let values = keyed_values(name, bytes)?;
        let outer = format!("\0{language}\0");
        Some(values.into_keys().map(|k| k.strip_prefix(&outer).map(|k| format!("\0{k}")).unwrap_or(k)).collect())
    };
    let Some(mine) = keys(&inputs.site.read(site)?, name) else { return Ok(None) };
    let mut best: Option<(usize, BTreeSet<String>, String)> = None;
    for (k, entry) in inputs.release.entries().iter().enumerate() {
        let (other_folder, other) = entry.path.rsplit_once('/').unwrap_or(("", &entry.path));
        if other_folder != folder || other.rsplit_once('.').is_none_or(|(_, e)| e != extension) {
            continue;
        }
        let Some(theirs) = keys(&inputs.release.read(k)?, other) else { continue };
        let shared = mine.intersection(&theirs).count();
        if 2 * shared >= mine.len().max(1) && best.as_ref().is_none_or(|(most, ..)| shared > *most) {
            best = Some((shared, theirs, other.to_string()));
        }
    }
    let Some((_, theirs, other)) = best else { return Ok(None) };
    let missing: Vec<String> =
        theirs.difference(&mine).map(|k| k.trim_start_matches('\0').replace('\0', ".")).collect();
    let text = format!("lacks {} of the release's {other}: {}", missing.len(), named(&missing));
    let remark = (!missing.is_empty()).then(|| Remark { path: path.to_string(), text });
    Ok(Some(OwnLanguage { bytes: None, remark }))
}

/// Catalogs that are compiled somewhere, and their compiled files: they are written last.
pub(super) struct Compiled(HashSet<String>);

impl Compiled {
    pub(super) fn of(inputs: &Inputs<'_>) -> Self {
        let trees = [inputs.base, inputs.site, inputs.release];
        let entries = trees.iter().flat_map(|t| t.entries());
        Compiled(entries.filter_map(|e| e.path.strip_suffix(".mo").map(String::from)).collect())
    }

    /// Tells whether the file waits until all others are worked out.
    pub(super) fn waits(&self, path: &str) -> bool {
        path.strip_suffix(".mo").or(path.strip_suffix(".po")).is_some_and(|stem| self.0.contains(stem))
    }

    /// Compiles the catalogs that came out otherwise than the release has them.
    pub(super) fn rewrite(
        &self,
        inputs: &Inputs<'_>,
        options: &CarryOptions,
        triples: &[Triple],
        by_path: &HashMap<&str, &FileChange>,
        results: &mut [FileResult],
    ) -> Result<(), ReadError> {
        let sources: HashMap<String, usize> = (0..results.len())
            .filter(|k| results[*k].content.is_some())
            .filter_map(|k| Some((results[k].path.strip_suffix(".po")?.to_string(), k)))
            .collect();
        for k in 0..results.len() {
            let Some(stem) = results[k].path.strip_suffix(".mo") else { continue };
            let source = sources.get(stem).map(|p| &results[*p]);
            let triple = &triples[k];
            let twin = Twin { inputs, options, triple, touched: touched(inputs, triple, by_path) };
            let new = match source {
                Some(source) => twin.compiled_anew(source, &results[k])?,
                None => None,
            };
            let new = match new {
                Some(new) => Some(new),
                None => twin.by_message(&results[k], source.is_some())?,
            };
            if let Some(new) = new {
                results[k] = new;
            }
        }
        Ok(())
    }
}

/// A compiled catalog.
struct Twin<'a> {
    inputs: &'a Inputs<'a>,
    options: &'a CarryOptions,
    triple: &'a Triple,
    touched: Option<&'a FileChange>,
}

/// What a catalog says when it is looked up.
type Lookups = HashMap<(Option<Vec<u8>>, Vec<u8>), Vec<Vec<u8>>>;

fn lookups(catalog: &Catalog) -> Lookups {
    let said = catalog.messages.iter().filter(|m| !m.is_header() && m.texts.first().is_some_and(|t| !t.is_empty()));
    said.map(|m| ((m.context.clone(), m.id.clone()), m.texts.clone())).collect()
}

fn compiled_lookups(bytes: &[u8]) -> Option<Lookups> {
    read_mo(bytes).ok().map(|c| lookups(&c))
}

impl Twin<'_> {
    fn read(&self, tree: &dyn Tree, index: Option<usize>) -> Result<Option<Vec<u8>>, ReadError> {
        index.map(|k| tree.read(k)).transpose()
    }

    fn bytes(&self, content: &Content) -> Result<Vec<u8>, ReadError> {
        match content {
            Content::Release(k) => self.inputs.release.read(*k),
            Content::Site(k) => self.inputs.site.read(*k),
            Content::Merged(bytes, _) => Ok(bytes.clone()),
        }
    }

    /// Compiles it from the catalog beside it; nothing where it says so already, or is not made from there.
    fn compiled_anew(&self, source: &FileResult, own: &FileResult) -> Result<Option<FileResult>, ReadError> {
        let (Some(content), true) = (&source.content, self.triple.release.is_some() || self.triple.site.is_some())
        else {
            return Ok(None);
        };
        // The vendor's pair is the vendor's business.
        if matches!(content, Content::Release(_)) && self.touched.is_none() {
            return Ok(None);
        }
        let Ok(catalog) = Catalog::parse(&self.bytes(content)?) else { return Ok(None) };
        let release = self.read(self.inputs.release, self.triple.release)?;
        let site = self.read(self.inputs.site, self.triple.site)?;
        if self.touched.is_some() && !self.made_from_source(source, site.as_deref())? {
            return Ok(None);
        }
        let order = release.as_deref().or(site.as_deref()).and_then(ByteOrder::of).unwrap_or_default();
        let Some(bytes) = compile(&catalog, order) else { return Ok(None) };
        let said = compiled_lookups(&bytes);
        let stands = own.content.as_ref().map(|c| self.bytes(c)).transpose()?;
        let asked = !own.decisions.is_empty();
        if !asked && stands.is_some_and(|b| compiled_lookups(&b) == said) {
            return Ok(None);
        }
        self.result(bytes, Step::Compiled).map(Some)
    }

    /// Tells whether the site's compiled file says what the site's catalog says.
    fn made_from_source(&self, source: &FileResult, compiled: Option<&[u8]>) -> Result<bool, ReadError> {
        let path = source.record.as_ref().and_then(|r| r.site_path.as_deref()).unwrap_or(&source.path);
        let (Some(compiled), Some(k)) = (compiled, self.inputs.site.find(path)) else { return Ok(true) };
        let catalog = Catalog::parse(&self.inputs.site.read(k)?);
        let again = catalog.ok().and_then(|c| compile(&c, ByteOrder::Little)).and_then(|b| compiled_lookups(&b));
        Ok(again.is_some() && compiled_lookups(compiled) == again)
    }

    /// Merges it message by message, where it is the only source of its words.
    fn by_message(&self, own: &FileResult, has_source: bool) -> Result<Option<FileResult>, ReadError> {
        let sides = [
            self.read(self.inputs.base, self.triple.base)?,
            self.read(self.inputs.site, self.triple.site)?,
            self.read(self.inputs.release, self.triple.release)?,
        ];
        let [Some(base), Some(site), Some(release)] = sides else { return Ok(None) };
        if own.decisions.is_empty() && !has_source {
            return Ok(None);
        }
        let text = |bytes: &[u8]| read_mo(bytes).ok().map(|c| catalog::write(&c));
        let (Some(b), Some(s), Some(r)) = (text(&base), text(&site), text(&release)) else { return Ok(None) };
        let options = MergeOptions { trust: self.options.trust, ..MergeOptions::default() };
        let Some(merged) = merge_file("words.po", Kind::Catalog, &b, &s, &r, &options) else { return Ok(None) };
        if !merged.decisions.is_empty() {
            return Ok(None);
        }
        let order = ByteOrder::of(&release).unwrap_or_default();
        let Ok(mut catalog) = Catalog::parse(&merged.bytes) else { return Ok(None) };
        // What was written for the merge is UTF-8; the file is in the charset that it names.
        catalog.charset = read_mo(&release).map(|c| c.charset).unwrap_or_default();
        let Some(bytes) = compile(&catalog, order) else { return Ok(None) };
        self.result(bytes, Step::ByKey).map(Some)
    }

    fn result(&self, bytes: Vec<u8>, step: Step) -> Result<FileResult, ReadError> {
        match self.touched {
            Some(touched) => {
                Ok(put_together(self.inputs, self.options, self.triple, touched, bytes, (Outcome::Fitted, step)))
            }
            None => {
                let instead = Instead { release: Some(bytes), ..Instead::default() };
                carry_file(self.inputs, self.options, self.triple, None, &instead)
            }
        }
    }
}

/// Tells whether a compiled catalog says what the catalog beside it says; `None` where one cannot be read.
pub(super) fn says_the_same(compiled: &[u8], source: &[u8]) -> Option<bool> {
    let again = compile(&Catalog::parse(source).ok()?, ByteOrder::Little)?;
    Some(compiled_lookups(compiled)? == compiled_lookups(&again)?)
}
