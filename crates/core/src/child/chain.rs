//! The ancestors of a child theme.

/// Why a child theme's ancestors cannot be told.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ChainError {
    /// A theme names itself as its parent.
    #[error("{0} names itself as its parent")]
    Itself(String),
    /// The parents go round.
    #[error("the parents go round: {}", .0.join(" > "))]
    Cycle(Vec<String>),
    /// A parent is not known.
    #[error("the parent {parent} of {child} is not in the stock")]
    Missing {
        /// Short name of the theme that names it.
        child: String,
        /// Short name of the parent.
        parent: String,
    },
}

/// Follows parents from a theme to the root: nearest first. `parent_of` gives, for a known theme, the parent that it
/// names.
///
/// # Errors
///
/// When a parent is not known, or the parents go round.
pub fn chain(
    name: &str,
    parent: &str,
    parent_of: impl Fn(&str) -> Option<Option<String>>,
) -> Result<Vec<String>, ChainError> {
    if name == parent {
        return Err(ChainError::Itself(name.to_string()));
    }
    let mut names = vec![name.to_string()];
    let mut next = Some(parent.to_string());
    while let Some(parent) = next {
        let child = names.last().cloned().unwrap_or_default();
        if names.contains(&parent) {
            names.push(parent);
            return Err(ChainError::Cycle(names));
        }
        next = parent_of(&parent).ok_or(ChainError::Missing { child, parent: parent.clone() })?;
        names.push(parent);
    }
    names.remove(0);
    Ok(names)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parents_are_followed_to_the_root() {
        let known = |name: &str| match name {
            "site" => Some(Some("lamp-child".to_string())),
            "lamp-child" => Some(Some("lamp".to_string())),
            "lamp" => Some(None),
            "round" => Some(Some("about".to_string())),
            "about" => Some(Some("round".to_string())),
            _ => None,
        };
        assert_eq!(chain("mine", "site", known).unwrap(), ["site", "lamp-child", "lamp"]);
        assert_eq!(chain("mine", "mine", known), Err(ChainError::Itself("mine".into())));
        assert!(matches!(chain("mine", "round", known), Err(ChainError::Cycle(names)) if names.len() == 4));
        assert!(matches!(chain("mine", "nobody", known), Err(ChainError::Missing { .. })));
    }
}
