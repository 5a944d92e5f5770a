//! What lies in the packs of the archive, as their lists say it.

use std::collections::HashSet;

use nine_stores::Earlier;
use nine_stores::catalogue::CarriedOver;

use super::{Area, Looking, View};
use crate::workspace::Dated;

impl Looking<'_> {
    /// Adds a view of each pack. Nothing more is learned of what lies in one.
    pub fn add_packs(&mut self, dated: &[Dated]) {
        for pack in dated.iter().filter(|dated| dated.form.is_some()) {
            let Some(store) = self.workspace.store(&pack.at.place) else { continue };
            if let Err(why) = pack.contents() {
                self.trouble(&pack.list.to_string(), &format!("could not be read: {why}"));
                continue;
            }
            let at = store.location(&pack.at.path);
            let area = Area {
                base: pack.at.clone(),
                address: at.to_string(),
                at,
                store: None,
                error: None,
                closed: HashSet::new(),
                reads_text: false,
                is_pile: false,
                is_bookcase: false,
                only: None,
                wants_tags: false,
            };
            self.views.push(View {
                area,
                tree: pack.listed().tree(),
                at: self.workspace.moment(),
                is_known: false,
                is_kept: true,
                earlier: Earlier::Unknown,
                carried: CarriedOver::Anew,
                sync_token: None,
            });
        }
    }
}
