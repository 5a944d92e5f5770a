//! Favourites in the side bars of file dialogs: lines of the bookmarks file of GTK, and elements of the XBEL file of Qt
//! (XML Bookmark Exchange Language 1.0). Whatever else stands in these files stays as it is.

/// A folder in the side bar.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Favourite {
    /// Its address, `file:///…`, with escapes.
    pub address: String,
    /// What is shown.
    pub label: String,
}

/// The bookmarks of GTK with these; one that is there already stays as it stands.
pub fn bookmarks_with(text: &str, favourites: &[Favourite]) -> String {
    let mut new = text.to_owned();
    for Favourite { address, label } in favourites {
        if text.lines().any(|line| address_in(line) == address) {
            continue;
        }
        if !new.is_empty() && !new.ends_with('\n') {
            new.push('\n');
        }
        new.push_str(&format!("{address} {}\n", one_line(label)));
    }
    new
}

/// The bookmarks of GTK without these.
pub fn bookmarks_without(text: &str, favourites: &[Favourite]) -> String {
    let is_ours = |line: &str| favourites.iter().any(|favourite| address_in(line) == favourite.address);
    text.split_inclusive('\n').filter(|line| !is_ours(line.trim_end_matches(['\n', '\r']))).collect()
}

/// A line has an address and perhaps a label behind a space.
fn address_in(line: &str) -> &str {
    line.split(' ').next().unwrap_or_default()
}

fn one_line(label: &str) -> String {
    label.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The XBEL file with these, before its end; `None` if it has none.
pub fn xbel_with(text: &str, favourites: &[Favourite]) -> Option<String> {
    let end = text.rfind("</xbel>")?;
    let new = favourites.iter().filter(|favourite| element(text, &favourite.address).is_none());
    let new: String = new
        .map(|Favourite { address, label }| {
            let (address, label) = (escaped(address), escaped(&one_line(label)));
            format!(" <bookmark href=\"{address}\">\n  <title>{label}</title>\n </bookmark>\n")
        })
        .collect();
    Some(format!("{}{new}{}", &text[..end], &text[end..]))
}

/// The XBEL file without these.
pub fn xbel_without(text: &str, favourites: &[Favourite]) -> String {
    let mut new = text.to_owned();
    for favourite in favourites {
        while let Some((start, end)) = element(&new, &favourite.address) {
            // With the line that it stood on.
            let line = new[..start].rfind('\n').map_or(0, |at| at + 1);
            let start = if new[line..start].trim().is_empty() { line } else { start };
            let end = if new[end..].starts_with('\n') { end + 1 } else { end };
            new.replace_range(start..end, "");
        }
    }
    new
}

/// Where the element of an address begins and ends.
fn element(text: &str, address: &str) -> Option<(usize, usize)> {
    const END: &str = "</bookmark>";
    let href = format!("href=\"{}\"", escaped(address));
    let mut from = 0;
    while let Some(start) = text[from..].find("<bookmark").map(|at| from + at) {
        let tag = &text[start..start + text[start..].find('>')? + 1];
        // `<bookmark:icon` is another element.
        let is_it = tag["<bookmark".len()..].starts_with(char::is_whitespace) && tag.contains(&href);
        if is_it {
            let end = if tag.ends_with("/>") {
                start + tag.len()
            } else {
                start + text[start..].find(END)? + END.len()
            };
            return Some((start, end));
        }
        from = start + tag.len();
    }
    None
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn favourite(name: &str) -> Favourite {
        Favourite { address: format!("file:///h/{name}"), label: format!("{name} & co") }
    }

    const XBEL: &str = "<?xml version=\"1.0\"?>\n<xbel>\n <bookmark href=\"trash:/\">\n  <info><bookmark:icon name=\"x\"/></info>\n \
        </bookmark>\n</xbel>\n";

    #[test]
    fn they_stand_behind_what_is_there_and_go_again() {
        let ours = [favourite("2%20Loans"), favourite("9")];
        let old = "file:///h/mine Mine\nfile:///h/9 by hand";
        let new = bookmarks_with(old, &ours);
        assert_eq!(new, format!("{old}\nfile:///h/2%20Loans 2%20Loans & co\n"));
        assert_eq!(bookmarks_without(&new, &ours), "file:///h/mine Mine\n");
        let new = xbel_with(XBEL, &ours).unwrap();
        assert!(new.contains("<title>9 &amp; co</title>"), "{new}");
        assert_eq!(xbel_with(&new, &ours).unwrap(), new);
        assert_eq!(xbel_without(&new, &ours), XBEL);
        assert_eq!(xbel_with("no file of ours", &ours), None);
    }

    proptest! {
        #[test]
        fn what_is_added_goes_again(names in proptest::collection::vec("[a-z<&]{1,4}", 0..4), old in "(file:///x [a-z]\n){0,3}") {
            let mut ours: Vec<Favourite> = names.iter().map(|name| favourite(name)).collect();
            ours.dedup();
            prop_assert_eq!(bookmarks_without(&bookmarks_with(&old, &ours), &ours), old);
            prop_assert_eq!(xbel_without(&xbel_with(XBEL, &ours).unwrap(), &ours), XBEL);
        }
    }
}
