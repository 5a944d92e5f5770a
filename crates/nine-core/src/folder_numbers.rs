//! Numbers for the folders in which items lie.

use foldhash::HashMap;

use crate::place::Spot;

/// So many folders are compared before one is looked up.
const RECENT: usize = 4;

/// Folders in the order in which they were met; a folder's number is its place in it. Mostly many items in a row lie in a
/// few folders.
#[derive(Debug, Default)]
pub struct FolderNumbers {
    all: Vec<Spot>,
    numbers: HashMap<Spot, usize>,
    /// The numbers of those that were asked about last, the last one first.
    recent: Vec<usize>,
}

impl FolderNumbers {
    /// The number of the folder in which an item lies directly; the next one, if it is met for the first time.
    pub fn of(&mut self, item: &Spot) -> usize {
        let address = item.folder_address();
        if let Some(at) = self.recent.iter().position(|number| self.all[*number].address() == address) {
            self.recent[..=at].rotate_right(1);
            return self.recent[0];
        }
        let number = *self.numbers.entry(item.folder()).or_insert_with_key(|folder| {
            self.all.push(folder.clone());
            self.all.len() - 1
        });
        self.recent.truncate(RECENT - 1);
        self.recent.insert(0, number);
        number
    }

    /// All that were met.
    pub fn all(&self) -> &[Spot] {
        &self.all
    }

    /// The same, by themselves.
    pub fn into_all(self) -> Vec<Spot> {
        self.all
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_folder_has_one_number_however_they_alternate() {
        let mut numbers = FolderNumbers::default();
        for round in 0..3 {
            for (step, folder) in [0, 1, 0, 2, 3, 4, 5, 1, 6, 0, 6, 5, 7, 0].into_iter().enumerate() {
                let item = Spot::parse(&format!("pile/{folder}/{round} {step}")).unwrap();
                assert_eq!(numbers.of(&item), folder, "{item}");
            }
        }
        assert_eq!(numbers.of(&Spot::parse("pile/loose").unwrap()), 8);
        assert_eq!(numbers.of(&Spot::parse("case/7/x").unwrap()), 9);
        let all: Vec<String> = numbers.all().iter().map(Spot::to_string).collect();
        assert_eq!(all[7..], ["pile/7", "pile", "case/7"]);
    }
}
