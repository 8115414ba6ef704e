//! Plural rules: the `Plural-Forms` field of a catalog's header (GNU gettext manual, "Plural forms"), an expression
//! of C in `n`.

/// How a language counts.
#[derive(Debug, Clone)]
pub struct PluralRule {
    /// How many forms there are.
    pub forms: usize,
    code: Vec<Op>,
}

/// One step of the expression, on a stack.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Op {
    Number(u64),
    N,
    Not,
    Binary(&'static str),
    /// Takes condition, one and other.
    Choose,
}

/// The binary operators by how tightly they bind, the loosest first.
const LEVELS: [&[&str]; 6] =
    [&["||"], &["&&"], &["==", "!="], &["<=", ">=", "<", ">"], &["+", "-"], &["*", "/", "%"]];

/// Nesting beyond this is refused.
const DEEPEST: usize = 100;

impl PluralRule {
    /// Reads the field's text, such as `nplurals=2; plural=n != 1;`. `None` where it is no rule.
    ///
    /// ```
    /// use daxle_core::catalog::PluralRule;
    ///
    /// let rule = PluralRule::parse("nplurals=3; plural=(n==1 ? 0 : n%10>=2 && n%10<=4 ? 1 : 2);").unwrap();
    /// assert_eq!([1, 22, 5].map(|n| rule.form(n)), [Some(0), Some(1), Some(2)]);
    /// ```
    pub fn parse(field: &str) -> Option<Self> {
        let after = |key: &str| {
            let rest = field.split_once(key)?.1.trim_start();
            rest.strip_prefix('=').map(str::trim)
        };
        let forms = after("nplurals")?;
        let digits = forms.find(|c: char| !c.is_ascii_digit()).unwrap_or(forms.len());
        let forms: usize = forms[..digits].parse().ok().filter(|n| (1..=100).contains(n))?;
        // The second `plural` of the field is the expression; `nplurals` holds the first.
        let expression =
            field.split(';').find_map(|part| part.trim().strip_prefix("plural")?.trim().strip_prefix('='))?;
        let mut parser = Parser { text: expression.as_bytes(), at: 0, depth: 0, code: Vec::new() };
        parser.choice()?;
        parser.blanks();
        (parser.at == parser.text.len()).then_some(PluralRule { forms, code: parser.code })
    }

    /// The form for a number; `None` where the rule names one that is not there, or divides by nothing.
    pub fn form(&self, n: u64) -> Option<usize> {
        let mut stack: Vec<u64> = Vec::new();
        for op in &self.code {
            let value = match op {
                Op::Number(value) => *value,
                Op::N => n,
                Op::Not => u64::from(stack.pop()? == 0),
                Op::Binary(name) => {
                    let (b, a) = (stack.pop()?, stack.pop()?);
                    match *name {
                        "||" => u64::from(a != 0 || b != 0),
                        "&&" => u64::from(a != 0 && b != 0),
                        "==" => u64::from(a == b),
                        "!=" => u64::from(a != b),
                        "<=" => u64::from(a <= b),
                        ">=" => u64::from(a >= b),
                        "<" => u64::from(a < b),
                        ">" => u64::from(a > b),
                        "+" => a.wrapping_add(b),
                        "-" => a.wrapping_sub(b),
                        "*" => a.wrapping_mul(b),
                        "/" => a.checked_div(b)?,
                        _ => a.checked_rem(b)?,
                    }
                }
                Op::Choose => {
                    let (other, one, condition) = (stack.pop()?, stack.pop()?, stack.pop()?);
                    if condition != 0 { one } else { other }
                }
            };
            stack.push(value);
        }
        usize::try_from(stack.pop()?).ok().filter(|form| *form < self.forms)
    }

    /// Tells whether two rules give every number the same form. Real rules look at the last three digits at most, and
    /// at millions.
    pub fn counts_like(&self, other: &Self) -> bool {
        let numbers = (0..=2000).chain([10_000, 100_000, 1_000_000, 1_000_001, 2_000_000, 5_000_000, 10_000_000]);
        self.forms == other.forms && numbers.into_iter().all(|n| self.form(n) == other.form(n))
    }

    /// A number that takes a form, the least there is; `None` where none up to 2000 does.
    pub fn example(&self, form: usize) -> Option<u64> {
        (0..=2000).find(|n| self.form(*n) == Some(form))
    }
}

struct Parser<'a> {
    text: &'a [u8],
    at: usize,
    depth: usize,
    code: Vec<Op>,
}

impl Parser<'_> {
    fn blanks(&mut self) {
        self.at += self.text[self.at..].iter().take_while(|b| b.is_ascii_whitespace() || **b == b'\\').count();
    }

    fn takes(&mut self, word: &str) -> bool {
        self.blanks();
        let found = self.text[self.at..].starts_with(word.as_bytes());
        self.at += if found { word.len() } else { 0 };
        found
    }

    fn choice(&mut self) -> Option<()> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return None;
        }
        self.binary(0)?;
        if self.takes("?") {
            self.choice()?;
            if !self.takes(":") {
                return None;
            }
            self.choice()?;
            self.code.push(Op::Choose);
        }
        self.depth -= 1;
        Some(())
    }

    fn binary(&mut self, level: usize) -> Option<()> {
        let Some(operators) = LEVELS.get(level) else { return self.unary() };
        self.binary(level + 1)?;
        while let Some(name) = operators.iter().find(|name| self.takes(name)) {
            self.binary(level + 1)?;
            self.code.push(Op::Binary(name));
        }
        Some(())
    }

    fn unary(&mut self) -> Option<()> {
        let mut nots = 0;
        while self.takes("!") {
            nots += 1;
        }
        if self.takes("(") {
            self.choice()?;
            if !self.takes(")") {
                return None;
            }
        } else if self.takes("n") {
            self.code.push(Op::N);
        } else {
            let digits = self.text[self.at..].iter().take_while(|b| b.is_ascii_digit()).count();
            let number = std::str::from_utf8(&self.text[self.at..self.at + digits]).ok()?.parse().ok()?;
            self.at += digits;
            self.code.push(Op::Number(number));
        }
        self.code.extend(std::iter::repeat_n(Op::Not, nots));
        Some(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rules_of_real_languages_count() {
        let forms = |rule: &str, numbers: &[u64]| -> Vec<usize> {
            let rule = PluralRule::parse(rule).unwrap();
            numbers.iter().map(|n| rule.form(*n).unwrap()).collect()
        };
        let polish = "nplurals=3; plural=(n==1 ? 0 : n%10>=2 && n%10<=4 && (n%100<10 || n%100>=20) ? 1 : 2);";
        assert_eq!(forms(polish, &[0, 1, 2, 5, 12, 22, 112]), [2, 0, 1, 2, 2, 1, 2]);
        let welsh = "nplurals=4; plural= (n==1) ? 0 : (n==2) ? 1 : (n != 8 && n != 11) ? 2 : 3;";
        assert_eq!(forms(welsh, &[1, 2, 3, 8, 11]), [0, 1, 2, 3, 3]);
        assert_eq!(forms("nplurals=1; plural=0", &[0, 7]), [0, 0]);
        assert_eq!(forms("nplurals=2; plural=!(n==1);", &[1, 2]), [0, 1]);
    }

    #[test]
    fn rules_are_compared_by_what_they_say() {
        let rule = |text: &str| PluralRule::parse(text).unwrap();
        let german = rule("nplurals=2; plural=n != 1;");
        assert!(german.counts_like(&rule("nplurals=2; plural=(n==1 ? 0 : 1);")));
        assert!(!german.counts_like(&rule("nplurals=2; plural=n > 1;")));
        assert_eq!(german.example(1), Some(0));
        for bad in ["", "nplurals=2;", "nplurals=2; plural=n !", "nplurals=0; plural=0;", "nplurals=2; plural=m;"] {
            assert!(PluralRule::parse(bad).is_none(), "{bad}");
        }
        assert!(PluralRule::parse(&format!("nplurals=2; plural={}n;", "(".repeat(100_000))).is_none());
        assert_eq!(rule("nplurals=2; plural=n/0;").form(1), None);
        assert_eq!(rule("nplurals=2; plural=n;").form(2), None, "a form that is not there");
    }
}
