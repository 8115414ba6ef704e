//! Files that look like a theme's, made from a seed.

/// A small deterministic generator (splitmix64).
pub(crate) struct Dice(u64);

impl Dice {
    pub(crate) fn new(seed: u64) -> Self {
        Dice(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ 0xDEAD_BEEF)
    }

    pub(crate) fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((z ^ (z >> 31)) % sides.max(1) as u64) as usize
    }

    pub(crate) fn pick<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.roll(list.len())]
    }
}

const WORDS: [&str; 24] = [
    "mill", "tide", "wheel", "sluice", "pond", "visit", "ticket", "hours", "archive", "footer", "header", "panel",
    "notice", "river", "lantern", "gallery", "events", "team", "shop", "contact", "story", "press", "local",
    "guide",
];

fn words(dice: &mut Dice, n: usize) -> String {
    (0..n).map(|_| *dice.pick(&WORDS)).collect::<Vec<_>>().join(" ")
}

/// A stylesheet.
pub(crate) fn style(seed: u64) -> String {
    let mut dice = Dice::new(seed);
    let mut out = String::from("/* Theme styles */\n:root {\n  --gap: 1rem;\n}\n\n");
    for k in 0..4 + dice.roll(6) {
        let name = dice.pick(&WORDS);
        out += &format!(".{name}-{k} {{\n");
        for property in ["color", "margin", "padding", "width", "border"].iter().take(1 + dice.roll(5)) {
            out += &format!("  {property}: {}px;\n", dice.roll(40));
        }
        out += "}\n\n";
    }
    out += "@media (min-width: 40em) {\n  .wide {\n    float: left;\n  }\n}\n";
    out
}

/// A template in which indentation is meaning.
pub(crate) fn tree(seed: u64) -> String {
    let mut dice = Dice::new(seed);
    let mut out = String::from("doctype\nhead\n  title= site.title\nbody\n");
    for k in 0..3 + dice.roll(5) {
        let name = *dice.pick(&WORDS);
        out += &format!("  section.{name}#{name}{k}\n    h2 {}\n", words(&mut dice, 3));
        if dice.roll(2) == 0 {
            out += &format!("    if {name}.shown\n      p {}\n", words(&mut dice, 6));
        }
        for _ in 0..dice.roll(4) {
            out += &format!("    a(href='/{name}/{}') {}\n", dice.roll(90), words(&mut dice, 2));
        }
        out += "\n";
    }
    out
}

/// A template.
pub(crate) fn page(seed: u64) -> String {
    let mut dice = Dice::new(seed);
    let mut out =
        String::from("<html>\n<head>\n  <title>{{ site.title }}</title>\n</head>\n<body class=\"page\">\n");
    for k in 0..3 + dice.roll(5) {
        let name = *dice.pick(&WORDS);
        out += &format!("  <section class=\"{name} block-{k}\" id=\"{name}{k}\">\n");
        out += &format!("    <h2>{}</h2>\n", words(&mut dice, 3));
        for _ in 0..dice.roll(4) {
            let (href, text) = (dice.roll(90), words(&mut dice, 2));
            out += &format!("    <a href=\"/{name}/{href}\" class=\"link\">{text}</a>\n");
        }
        out += "    {% if site.open %}\n";
        out += &format!("      <p>{}</p>\n    {{% endif %}}\n  </section>\n", words(&mut dice, 6));
    }
    out += "</body>\n</html>\n";
    out
}

/// A script.
pub(crate) fn script(seed: u64) -> String {
    let mut dice = Dice::new(seed);
    let mut out = String::from("'use strict';\n\nconst root = document.body;\n\n");
    for k in 0..3 + dice.roll(5) {
        let name = *dice.pick(&WORDS);
        out += &format!("function {name}{k}(item, index) {{\n");
        for line in 0..1 + dice.roll(4) {
            let (other, n) = (*dice.pick(&WORDS), dice.roll(100));
            out += &format!("  const {other}{line} = item.{other}(index, {n});\n");
        }
        out += "  if (index > 0) {\n    return item;\n  }\n}\n\n";
    }
    out
}

/// Changes a text here and there, as a person would: words, lines in, lines out.
pub(crate) fn edited(dice: &mut Dice, text: &str, times: usize, mark: &str) -> String {
    let mut lines: Vec<String> = text.lines().map(String::from).collect();
    for n in 0..times {
        let at = dice.roll(lines.len());
        match dice.roll(4) {
            0 => lines.insert(at, format!("  <b>{mark} {n} {}</b>", words(dice, 2))),
            1 if lines[at].len() > 8 && !lines[at].contains(['{', '}']) => {
                lines.remove(at);
            }
            _ => {
                let old: Vec<&str> = WORDS.iter().copied().filter(|w| lines[at].contains(w)).collect();
                if let Some(word) = old.first() {
                    lines[at] = lines[at].replacen(word, &format!("{mark}{n}"), 1);
                }
            }
        }
    }
    lines.join("\n") + "\n"
}

/// Does to a block of a text what a vendor does to its structure: puts it a level deeper, takes a level out, or takes it
/// out.
pub(crate) fn restructured(dice: &mut Dice, text: &str) -> String {
    let mut lines: Vec<String> = text.lines().map(String::from).collect();
    let openers: Vec<usize> = (0..lines.len()).filter(|k| lines[*k].ends_with('{')).collect();
    let from = *dice.pick(&openers);
    let mut depth = 0;
    let closes = |k: &usize| {
        depth += lines[*k].matches('{').count() as i64 - lines[*k].matches('}').count() as i64;
        depth == 0
    };
    let Some(to) = (from..lines.len()).find(closes) else { return text.into() };
    let inner: Vec<String> = lines[from + 1..to].to_vec();
    let deeper = inner.iter().map(|line| format!("  {line}"));
    let block: Vec<String> = match dice.roll(4) {
        0 => vec![],
        1 => inner,
        2 => std::iter::once("guard {".to_string()).chain(inner).chain(["}".to_string()]).collect(),
        _ => {
            let opener = [lines[from].replace('{', "and {"), "  nested {".into()];
            opener.into_iter().chain(deeper).chain(["  }".into(), "}".into()]).collect()
        }
    };
    lines.splice(from..=to, block);
    lines.join("\n") + "\n"
}
