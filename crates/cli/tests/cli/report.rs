//! The report page: what is in it, that nothing of a theme runs in it, and how it behaves in a browser.

use std::path::Path;
use std::process::Command;

use crate::env::{CARRY, Env, small};

fn demo() -> Env {
    let env = Env::new();
    env.run("demo d").ends(0);
    env.run("report d/carried --out page.html").ends(1);
    env
}

/// The page as a browser has it after its script ran; nothing where there is no browser.
fn browsed(env: &Env, page: &str, fragment: &str) -> Option<String> {
    let browser = ["chromium", "chromium-browser", "google-chrome"].into_iter().find(|name| {
        let paths = std::env::var_os("PATH").unwrap_or_default();
        std::env::split_paths(&paths).any(|dir| dir.join(name).is_file())
    });
    if browser.is_none() {
        crate::env::skipped("there is no Chromium here (apt-get install chromium)");
    }
    let browser = browser?;
    let out = Command::new(browser)
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"])
        .args(["--virtual-time-budget=4000", "--dump-dom"])
        .arg(format!("--user-data-dir={}", env.path("profile").display()))
        .arg(format!("file://{}{fragment}", env.path(page).display()))
        .output()
        .expect("the browser");
    Some(String::from_utf8_lossy(&out.stdout).into_owned())
}

/// The opening tag of an element, by its id.
#[track_caller]
fn tag<'p>(page: &'p str, id: &str) -> &'p str {
    let at = page.find(&format!("id=\"{id}\"")).unwrap_or_else(|| panic!("no {id}"));
    let start = page[..at].rfind('<').unwrap();
    &page[start..at + page[at..].find('>').unwrap()]
}

/// A copy of the page that does something after its own script; its policy would not let it.
fn driven(env: &Env, script: &str) -> Option<String> {
    let page = env.read("page.html");
    let start = page.find("<meta http-equiv").unwrap();
    let end = start + page[start..].find('>').unwrap() + 1;
    let page = format!("{}{}", &page[..start], &page[end..])
        .replace("</body>", &format!("<script>{script}</script></body>"));
    env.write("driven.html", page.as_bytes());
    browsed(env, "driven.html", "")
}

#[test]
fn every_change_is_on_the_page_and_nothing_is_loaded() {
    let env = demo();
    let page = env.read("page.html");
    let account: serde_json::Value = serde_json::from_str(&env.read("d/carried.account.json")).unwrap();
    for change in account["changes"].as_array().unwrap() {
        tag(&page, &format!("c-{}", change["id"].as_str().unwrap()));
    }
    let decide = page.find("To decide").unwrap();
    assert!(decide < page.find("Every change").unwrap(), "what is open comes first");
    for loads in ["<link", "src=\"http", "@import", "url(", "<base", "<iframe"] {
        assert!(!page.contains(&format!("{loads}\"")) && !page.contains(&format!("{loads} ")), "{loads}");
    }
    assert!(page.contains("default-src 'none'") && page.contains("To walk through"));
    assert_eq!(page, {
        env.run("report d/carried --out again.html").ends(1);
        env.read("again.html")
    });
    assert!(env.run("report d/carried --out page.html").ends(2).err.contains("--replace"));
}

#[test]
fn the_page_filters_searches_and_leads_to_a_change() {
    let env = demo();
    let account: serde_json::Value = serde_json::from_str(&env.read("d/carried.account.json")).unwrap();
    let kept = account["changes"].as_array().unwrap().iter().find(|c| c["outcome"] == "kept").unwrap();
    let id = format!("c-{}", kept["id"].as_str().unwrap());
    let Some(page) = browsed(&env, "page.html", &format!("#{id}")) else { return };
    assert!(page.contains("class=\"live\"") && page.contains("56 of 56 shown"), "its script ran under its policy");
    assert!(tag(&page, &id).contains("open=\"\"") && tag(&page, &id).contains(" at\""), "{}", tag(&page, &id));
    let other = page.matches("class=\"card at\"").count();
    assert_eq!(other, 1);

    let filtered = driven(&env, "document.querySelector('[data-filter=kept]').click()").unwrap();
    assert!(tag(&filtered, &id).contains("hidden"), "{}", tag(&filtered, &id));
    let searched = driven(
        &env,
        "const s = document.getElementById('search'); s.value = 'Wheel.PNG'; s.dispatchEvent(new Event('input'))",
    );
    assert!(searched.unwrap().contains("1 of 56 shown"));
    let keys = driven(
        &env,
        "for (const key of ['j', 'j', 'k']) document.dispatchEvent(new KeyboardEvent('keydown', {key}))",
    );
    let keys = keys.unwrap();
    let first = keys.find("class=\"card").unwrap();
    assert!(keys[first..].starts_with("class=\"card at\""), "two down and one up is the first");
}

#[test]
fn a_hostile_theme_stays_text() {
    let evil = "</td></table><script>document.title='owned'</script><img src=x onerror=\"document.title='owned'\">";
    let env = Env::new();
    let css = |n: u8| format!("a {{\n  top: {n}px; /* {evil} \u{202e} */\n}}\n");
    let name = "a'\"><script>document.title='owned'<x>.css";
    let toml = |v: u8| format!("title = \"{}\"\nname = \"evil\"\nversion = \"{v}.0\"\n", evil.replace('"', "\\\""));
    for (folder, n) in [("base", 1), ("site", 2), ("release", 3)] {
        let name = name.replace('/', "");
        env.theme(folder, &[("b.css", css(n).as_str()), (name.as_str(), css(n + 4).as_str())]);
        env.write(&format!("{folder}/themecard.toml"), toml(if folder == "site" { 1 } else { n }).as_bytes());
    }
    env.write(
        "daxle.toml",
        format!("[[walk]]\nname = '''{evil}'''\nfiles = ['*.css']\npages = ['''{evil}''']\n").as_bytes(),
    );
    env.run(CARRY).ends(1);
    env.run("report out --out page.html").ends(1);
    let page = env.read("page.html");
    assert_eq!(page.matches("<script").count(), 1, "the page's own");
    assert!(!page.contains("<img src=x") && !page.contains('\u{202e}'));
    let Some(browsed) = browsed(&env, "page.html", "") else { return };
    assert!(browsed.contains("class=\"live\"") && !browsed.contains("<title>owned"));
}

#[test]
fn a_page_of_many_changes_stays_small() {
    let env = small();
    let rules = |add: &str| -> String {
        (0..600)
            .map(|k| format!(".rule-{k} {{\n  color: red;\n  margin: {k}px{add};\n  padding: 0;\n}}\n\n\n\n\n"))
            .collect()
    };
    env.theme("base", &[("many.css", rules("").as_str())]);
    env.theme("site", &[("many.css", rules(" auto").as_str())]);
    env.theme("release", &[("many.css", format!("/* new */\n{}", rules("")).as_str())]);
    env.run(CARRY).ends(0);
    env.run("report out --out page.html").ends(0);
    let size = std::fs::metadata(Path::new(&env.path("page.html"))).unwrap().len();
    assert!(size < 3 << 20, "{size} bytes");
}
