//! What a report names. It may be sent to somebody, who is to see figures and the folders of the first level alone.

use std::collections::BTreeMap;

use crate::place::{ItemPath, Spot};

/// Whether items are named.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum Names {
    /// All of them.
    #[default]
    Shown,
    /// Only places and the folders directly in them. A place that is not one of the configuration is called by what
    /// stands here for it.
    Hidden(BTreeMap<String, String>),
}

impl Names {
    /// Hides names. `outsiders` are places that are called by their folders' paths.
    pub fn hidden<'p>(outsiders: impl Iterator<Item = &'p str>) -> Self {
        let numbered =
            outsiders.zip(1..).map(|(place, number)| (place.to_owned(), format!("folder {number}")));
        Self::Hidden(numbered.collect())
    }

    /// Whether they are hidden.
    pub fn is_hidden(&self) -> bool {
        matches!(self, Self::Hidden(_))
    }

    /// A place.
    pub fn place(&self, place: &str) -> String {
        match self {
            Self::Shown => place.to_owned(),
            Self::Hidden(called) => called.get(place).map_or(place, String::as_str).to_owned(),
        }
    }

    /// A file, by where it lies.
    pub fn file(&self, at: &Spot) -> String {
        match self {
            Self::Shown => at.to_string(),
            Self::Hidden(_) => self.folder(&at.folder()),
        }
    }

    /// A folder, by where it lies: the one of the first level that holds it, where names are hidden.
    pub fn folder(&self, at: &Spot) -> String {
        let path = match self {
            Self::Shown => at.path.clone(),
            Self::Hidden(_) => ItemPath::of_names(at.path.parts().take(1)),
        };
        Spot::new(self.place(&at.place), path).to_string()
    }

    /// A folder's own name; `None` if it is hidden.
    pub fn own(&self, at: &Spot) -> Option<String> {
        let may = !self.is_hidden() || at.path.depth() <= 1;
        may.then(|| match at.path.is_root() {
            true => self.place(&at.place),
            false => crate::escape::escape(at.path.name()),
        })
    }

    /// A command of the person's, which may name anything: of a hidden one its first word or two.
    pub fn command(&self, command: &str) -> String {
        match self {
            Self::Shown => command.to_owned(),
            Self::Hidden(_) => command.split(' ').take(2).collect::<Vec<_>>().join(" "),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hidden_names_leave_the_first_level() {
        let hidden = Names::hidden(["~/Private/Letters"].into_iter());
        let spot = |text: &str| Spot::parse(text).unwrap();
        assert_eq!(hidden.file(&spot("downloads/bill.pdf")), "downloads");
        assert_eq!(hidden.file(&spot("downloads/Phone/2031/a.jpg")), "downloads/Phone");
        assert_eq!(hidden.folder(&spot("home/2 Loans/Harrow")), "home/2 Loans");
        assert_eq!(
            (hidden.own(&spot("home/2 Loans")), hidden.own(&spot("home/2 Loans/Harrow"))),
            (Some("2 Loans".into()), None)
        );
        assert_eq!(hidden.command("nine put /home/ada/bill.pdf --on 3"), "nine put");
        let outside = Spot::new("~/Private/Letters", ItemPath::new("a/b").unwrap());
        assert_eq!(
            (hidden.file(&outside), hidden.place("~/Private/Letters")),
            ("folder 1/a".into(), "folder 1".into())
        );
        assert_eq!(Names::Shown.file(&outside), "~/Private/Letters/a/b");
    }
}
