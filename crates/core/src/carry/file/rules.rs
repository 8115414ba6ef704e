//! How a file is merged: what the layout says of its settings.

use super::Work;
use crate::formats::is_settings;
use crate::merge::{MergeOptions, SettingsRules};
use crate::theme::{ReadError, SettingsLayout, own_card};

impl Work<'_> {
    /// Tells whether the file holds settings with the vendor's defaults: a theme's card is its identity, and the
    /// release's.
    pub(super) fn has_defaults(&self) -> bool {
        is_settings(&self.path) && !self.is_card()
    }

    /// Tells whether the file says who the theme is.
    pub(super) fn is_card(&self) -> bool {
        let ruled = self.inputs.layout.identity.iter().any(|reader| reader.file == self.path);
        ruled || self.path == own_card().file
    }

    /// What the layout says of the file's settings.
    pub(super) fn settings_layout(&self) -> SettingsLayout {
        let layout = self.inputs.layout.settings(&self.path);
        SettingsLayout { hold: layout.hold && self.has_defaults(), ..layout }
    }

    /// How the file is merged by key, as the layout says.
    pub(super) fn settings_rules(&self) -> Result<SettingsRules, ReadError> {
        let layout = self.settings_layout();
        let release = self.inputs.release;
        let allowed = match layout.allowed.and_then(|path| Some((release.find(&path)?, path))) {
            Some((k, path)) => Some((path, release.read(k)?)),
            None => None,
        };
        Ok(SettingsRules { hold: layout.hold, identity: layout.identity, allowed })
    }

    /// The rules of the layout for the file, where it has some.
    pub(super) fn told_rules(&self) -> Option<SettingsRules> {
        let layout = self.settings_layout();
        let rules = SettingsRules { hold: layout.hold, identity: layout.identity, allowed: None };
        (is_settings(&self.path) && rules != SettingsRules::default()).then_some(rules)
    }

    pub(super) fn merge_options(&self) -> Result<MergeOptions, ReadError> {
        Ok(MergeOptions {
            trust: self.options.trust,
            leave: self.options.leave,
            keep_blanks: self.options.keep_blanks,
            release_label: self.inputs.themes.release.version.clone().unwrap_or_default(),
            settings: if is_settings(&self.path) { self.settings_rules()? } else { SettingsRules::default() },
            doubted: self.instead.doubted.clone(),
        })
    }
}
