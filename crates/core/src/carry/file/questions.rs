//! The questions that a file leaves to a person.

use std::collections::HashMap;
use std::ops::Range;

use super::{FileResult, Work};
use crate::carry::Content;
use crate::carry::account::{Blob, Decision, Lines, Source, Stands, State};
use crate::changes::{ChangeId, FileChange};
use crate::merge::{Leave, Outcome, Reason, TextDecision};
use crate::theme::{Kind, ReadError, Tree};

impl Work<'_> {
    pub(super) fn blob(&self, tree: &dyn Tree, index: Option<usize>) -> Result<Blob, ReadError> {
        let Some(index) = index else { return Ok(Blob::Missing { missing: true }) };
        let entry = &tree.entries()[index];
        if entry.binary || entry.size > 1 << 20 {
            return Ok(Blob::File { size: entry.size, digest: entry.digest.hex() });
        }
        Ok(Blob::of(&tree.read(index)?))
    }

    /// The file as a whole is a question.
    pub(super) fn ask(
        &self,
        touched: &FileChange,
        reason: Reason,
        content: Option<Content>,
    ) -> Result<FileResult, ReadError> {
        let (from, stands) = match &content {
            Some(Content::Site(_)) => (Source::Site, Stands::Site),
            Some(Content::Release(_)) => (Source::Release, Stands::Release),
            Some(Content::Merged(..)) => (Source::Merged, Stands::Markers),
            None if self.site.is_none() => (Source::Nowhere, Stands::Site),
            None => (Source::Nowhere, Stands::Release),
        };
        let aside = match (&content, self.triple.release, self.triple.site) {
            (Some(Content::Site(_)), Some(r), _) => Some(Content::Release(r)),
            (Some(Content::Release(_)), _, Some(s)) => Some(Content::Site(s)),
            _ => None,
        };
        let mut result = self.finish(touched, Outcome::Open, None, content, from);
        let blobs = [
            self.blob(self.inputs.base, self.triple.base)?,
            self.blob(self.inputs.site, self.triple.site)?,
            self.blob(self.inputs.release, self.triple.release)?,
        ];
        // What went into another file is done.
        let stay = touched.changes.iter().filter(|c| self.moved_to(&c.id).is_none()).map(|c| c.id.clone());
        let mut decision = decision(&self.path, reason, stands, None, blobs, stay);
        decision.suggestion = suggestion(self.kind, &decision);
        for (change, of) in result.changes.iter_mut().zip(&touched.changes) {
            match self.moved_to(&change.id) {
                Some(home) => *change = self.moved(of, home),
                None => change.decision = Some(decision.id.clone()),
            }
        }
        result.decisions.push(decision);
        result.aside = aside;
        Ok(result)
    }

    /// Asks about the file as a whole, with the site's standing meanwhile (or the release's, if that is told).
    pub(super) fn ask_whole(&self, touched: &FileChange, reason: Reason) -> Result<FileResult, ReadError> {
        let content = match self.options.leave {
            Leave::Release => self.triple.release.map(Content::Release),
            _ => self.triple.site.map(Content::Site),
        };
        self.ask(touched, reason, content)
    }
}

/// Which questions go with which other ones. One that goes with none itself is the one that is meant, where several hang
/// on the same edit.
pub(super) fn going_together(questions: &[TextDecision]) -> Vec<(usize, usize)> {
    let (own, paired): (Vec<usize>, Vec<usize>) = (0..questions.len()).partition(|k| questions[*k].with.is_empty());
    let mut asked_in: HashMap<usize, usize> = HashMap::new();
    for k in own.iter().chain(&paired) {
        questions[*k].edits.iter().for_each(|edit| _ = asked_in.entry(*edit).or_insert(*k));
    }
    let other =
        |k: usize| questions[k].with.iter().find_map(|edit| asked_in.get(edit)).filter(|other| **other != k);
    paired.into_iter().filter_map(|k| Some((k, *other(k)?))).collect()
}

/// A question, still open.
pub(crate) fn decision(
    path: &str,
    reason: Reason,
    stands: Stands,
    result: Option<&Range<usize>>,
    [base, site, release]: [Blob; 3],
    changes: impl Iterator<Item = ChangeId>,
) -> Decision {
    let mut hasher = blake3::Hasher::new();
    hasher.update(path.as_bytes());
    for blob in [&base, &site, &release] {
        // The wire form of a blob tells text, bytes and missing files apart.
        hasher.update(serde_json::to_string(blob).unwrap_or_default().as_bytes());
    }
    Decision {
        id: format!("d{}", &hasher.finalize().to_hex()[..9]),
        path: path.to_string(),
        reason,
        state: State::Open,
        stands,
        result: result.map(Lines::from),
        base_lines: None,
        site_lines: None,
        base,
        site,
        release,
        changes: changes.collect(),
        with: None,
        suggestion: None,
        answer: None,
    }
}

/// What most likely is to be done, where one answer suggests itself.
pub(super) fn suggestion(kind: Kind, decision: &Decision) -> Option<String> {
    let text = match (kind, decision.reason) {
        (Kind::Style, Reason::ReleaseDeleted) => {
            "keep the site's declarations in a rule of its own at the end, if the element is still there"
        }
        (Kind::Settings, Reason::KeyGone) => {
            "see whether the release has the setting under another name; else drop it"
        }
        (Kind::Catalog, Reason::KeyGone) => {
            "the text is no longer shown; keep the wording for a reworded one, or drop it"
        }
        (_, Reason::ReleaseDeleted) if decision.result.is_none() => {
            "see which file took its place in the release, and make the change there"
        }
        (Kind::Picture | Kind::Font, Reason::BothReplaced) => {
            "keep the site's, and look at the release's beside it"
        }
        _ => return None,
    };
    Some(text.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn questions_go_with_the_one_that_goes_with_none() {
        let question = |edits: &[usize], with: &[usize]| TextDecision {
            reason: if with.is_empty() { Reason::BothChanged } else { Reason::Paired },
            base: 0..0,
            site: 0..0,
            release: 0..0,
            result: 0..0,
            edits: edits.to_vec(),
            with: with.to_vec(),
            base_text: Vec::new(),
            site_text: Vec::new(),
            release_text: Vec::new(),
            hint: None,
        };
        // What the release did hangs on the edit of the question that it goes with; what the site did, on its own.
        let list = [question(&[4], &[4]), question(&[4], &[4]), question(&[4], &[]), question(&[7], &[4])];
        assert_eq!(going_together(&list), [(0, 2), (1, 2), (3, 2)]);
        assert_eq!(going_together(&[question(&[4], &[4]), question(&[9], &[])]), []);
    }
}
