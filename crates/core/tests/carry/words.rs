//! Languages that only the site has, catalogs in charsets of their own, and compiled catalogs.

use std::collections::BTreeMap;

use daxle_core::carry::account::Account;
use daxle_core::carry::{CarryOptions, FindingKind};
use daxle_core::catalog::{ByteOrder, Catalog, compile, read_mo};
use daxle_core::merge::{Outcome, Step};

use crate::proved::{Bytes, proved};

type Files = Bytes;

/// A carry, its files, and what its proof found.
fn carried(base: Files, site: Files, release: Files) -> (Account, BTreeMap<String, Vec<u8>>, Vec<FindingKind>) {
    proved("", CarryOptions::default(), [base, site, release])
}

const HEAD: &str = "msgid \"\"\nmsgstr \"\"\n\"Language: pl\\n\"\n\"Content-Type: text/plain; charset=UTF-8\\n\"\n\"Plural-Forms: nplurals=2; plural=n != 1;\\n\"\n";

fn po(messages: &[(&str, &str)]) -> String {
    let list = messages.iter().map(|(id, text)| format!("\n#: a.html:1\nmsgid \"{id}\"\nmsgstr \"{text}\"\n"));
    HEAD.to_string() + &list.collect::<String>()
}

fn mo(text: &str) -> Vec<u8> {
    compile(&Catalog::parse(text.as_bytes()).unwrap(), ByteOrder::Big).unwrap()
}

fn said(compiled: &[u8], id: &str) -> Option<String> {
    let catalog = read_mo(compiled).unwrap();
    let message = catalog.messages.iter().find(|m| m.id == id.as_bytes())?;
    Some(String::from_utf8(message.texts[0].clone()).unwrap())
}

#[test]
fn a_language_of_the_sites_own_gets_the_releases_messages() {
    let template = |ids: &[&str]| po(&ids.iter().map(|id| (*id, "")).collect::<Vec<_>>()).into_bytes();
    let own = po(&[("Opening hours", "Oriau agor"), ("Ours", "Ein un"), ("Gone", "Wedi mynd")]);
    let (account, files, findings) = carried(
        vec![("languages/theme.pot", template(&["Opening hours", "Gone"]))],
        vec![("languages/theme.pot", template(&["Opening hours", "Gone"])), ("languages/cy.po", own.into())],
        vec![("languages/theme.pot", template(&["Opening hours today", "Tickets"]))],
    );
    let text = String::from_utf8(files["languages/cy.po"].clone()).unwrap();
    assert!(
        text.contains("#, fuzzy\n#| msgid \"Opening hours\"\nmsgid \"Opening hours today\"\nmsgstr \"Oriau agor\"")
    );
    assert!(
        text.contains("msgid \"Tickets\"\nmsgstr \"\"\n") && text.contains("msgid \"Ours\"\nmsgstr \"Ein un\"")
    );
    assert!(text.contains("#~ msgid \"Gone\"\n#~ msgstr \"Wedi mynd\"\n"), "{text}");
    let change = &account.changes[0];
    assert_eq!((change.outcome, change.step), (Outcome::Fitted, Some(Step::Template)));
    assert!(account.remarks[0].text.contains("\"Tickets\""), "{:?}", account.remarks);
    assert_eq!(findings, []);
}

#[test]
fn a_language_of_the_vendors_gets_what_its_own_catalog_lacks() {
    let (base, release) =
        (po(&[("A", "a"), ("Opening hours", "Godziny")]), po(&[("A", "a"), ("Opening hours", "Godziny")]));
    let template = po(&[("A", ""), ("Opening hours", ""), ("Opening hours today", ""), ("Say \\\"hi\\\"", "")]);
    let theme = |catalog: &str| -> Files {
        vec![("l/pl.po", catalog.as_bytes().to_vec()), ("l/theme.pot", template.clone().into_bytes())]
    };
    let next = release.replace("a.html:1", "a.html:2");
    let (account, files, findings) = carried(theme(&base), theme(&base.replace("\"a\"", "\"own\"")), theme(&next));
    let text = String::from_utf8(files["l/pl.po"].clone()).unwrap();
    let expected = next.replace("\"a\"", "\"own\"")
        + "\n#: a.html:1\n#, fuzzy\n#| msgid \"Opening hours\"\nmsgid \"Opening hours today\"\nmsgstr \"Godziny\"\n"
        + "\n#: a.html:1\nmsgid \"Say \\\"hi\\\"\"\nmsgstr \"\"\n";
    assert_eq!(text, expected);
    assert!(account.remarks[0].text.contains("1 reworded") && findings.is_empty(), "{findings:?}");
}

#[test]
fn a_broken_catalog_is_named_with_its_place() {
    let base = po(&[("A", "a")]);
    let broken = base.replace("msgstr \"a\"", "  msgstr \"a");
    let file = |text: &str| -> Files { vec![("l/pl.po", text.as_bytes().to_vec())] };
    let (account, ..) = carried(file(&base), file(&broken), file(&base.replace("a.html", "b.html")));
    let text = &account.remarks[0].text;
    assert!(text.contains("the site's file is not well-formed (line 9: ") && text.contains("column 3"), "{text}");
}

#[test]
fn a_plain_language_of_the_sites_own_stays_and_what_it_lacks_is_named() {
    let (english, welsh) = ("{\"en\": {\"hours\": \"Hours\"}}", "{\"cy\": {\"hours\": \"Oriau\"}}");
    let next = "{\"en\": {\"hours\": \"Hours\", \"nav\": {\"top\": \"Top\"}}}";
    let (account, files, findings) = carried(
        vec![("locales/en.json", english.into())],
        vec![("locales/en.json", english.into()), ("locales/cy.json", welsh.into())],
        vec![("locales/en.json", next.into())],
    );
    assert_eq!(files["locales/cy.json"], welsh.as_bytes());
    assert_eq!(account.remarks[0].text, "lacks 1 of the release's en.json: \"nav.top\"");
    assert_eq!(findings, []);
}

#[test]
fn a_compiled_catalog_is_rewritten_when_its_source_changed() {
    let (base, release) = (po(&[("A", "a")]), po(&[("A", "a"), ("B", "b")]));
    let site = base.replace("\"a\"", "\"own\"");
    let both = |text: &str, compiled: &str| -> Files {
        vec![("l/pl.po", text.as_bytes().to_vec()), ("l/pl.mo", mo(compiled))]
    };
    // Whether the site compiled its catalog or not.
    for compiled in [&site, &base] {
        let (account, files, findings) =
            carried(both(&base, &base), both(&site, compiled), both(&release, &release));
        let result = &files["l/pl.mo"];
        assert_eq!((said(result, "A").unwrap(), said(result, "B").unwrap()), ("own".into(), "b".into()));
        assert_eq!(ByteOrder::of(result), Some(ByteOrder::Big));
        assert_eq!((account.decisions.len(), findings.len()), (0, 0), "{findings:?}");
    }
    let (_, files, _) = carried(both(&base, &base), both(&base, &base), both(&release, &base));
    assert_eq!(files["l/pl.mo"], mo(&base), "the vendor's pair is the vendor's");
}

#[test]
fn a_compiled_catalog_without_a_source_is_the_source() {
    let (base, release) = (po(&[("A", "a"), ("C", "c")]), po(&[("A", "a"), ("B", "b"), ("C", "c")]));
    let alone = |text: &str| -> Files { vec![("l/pl.mo", mo(text))] };
    let (account, files, _) = carried(alone(&base), alone(&base.replace("\"a\"", "\"own\"")), alone(&release));
    assert_eq!((said(&files["l/pl.mo"], "A").unwrap(), account.decisions.len()), ("own".into(), 0));
    assert_eq!(said(&files["l/pl.mo"], "B").unwrap(), "b");
    let collides = release.replace("\"a\"", "\"theirs\"");
    let (account, ..) = carried(alone(&base), alone(&base.replace("\"a\"", "\"own\"")), alone(&collides));
    assert_eq!(account.decisions.len(), 1, "both worded one message");
}

#[test]
fn a_catalog_in_its_own_charset_merges_by_message() {
    let text =
        |a: &str, b: &str| po(&[("A", a), ("B", b), ("C", "c")]).replace("charset=UTF-8", "charset=ISO-8859-2");
    let latin = |text: String| -> Vec<u8> {
        text.replace('ł', "\u{1}").bytes().map(|b| if b == 1 { 0xb3 } else { b }).collect()
    };
    let file = |bytes: Vec<u8>| -> Files { vec![("l/pl.po", bytes)] };
    let (account, files, findings) = carried(
        file(latin(text("ła", "łb"))),
        file(latin(text("ła własny", "łb"))),
        file(latin(text("ła", "łb nowy"))),
    );
    assert_eq!(files["l/pl.po"], latin(text("ła własny", "łb nowy")));
    assert_eq!((account.decisions.len(), findings.len()), (0, 0), "{findings:?}");
}
