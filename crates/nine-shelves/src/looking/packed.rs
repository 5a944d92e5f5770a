//! What lies in the packs of the archive, as their lists say it.

use std::collections::HashSet;

use nine_core::moment::Moment;
use nine_stores::catalogue::Carried;

use super::{Ground, Looking, View};
use crate::archive::Dated;
use crate::session::{Opened, Session};

impl Looking<'_> {
    /// Adds a view of each pack. Nothing more is learned of what lies in one.
    pub fn add_packs(&mut self, opened: &Opened, dated: &[Dated]) {
        for pack in dated.iter().filter(|dated| dated.form.is_some()) {
            let Some(store) = opened.store(&pack.at.place) else { continue };
            if let Err(why) = pack.contents() {
                self.trouble(&pack.list.to_string(), &format!("could not be read: {why}"));
                continue;
            }
            let path = store.absolute(&pack.at.path);
            let ground = Ground {
                base: pack.at.clone(),
                address: nine_core::escape::escape(path.as_os_str().as_encoded_bytes()),
                path,
                store: None,
                error: None,
                closed: HashSet::new(),
                reads_text: false,
                is_pile: false,
                is_bookcase: false,
            };
            self.views.push(View {
                ground,
                tree: pack.listed().tree(),
                at: Moment::from_timestamp(Session::clock().timestamp()),
                is_known: false,
                is_kept: true,
                carried: Carried::Anew,
                moment: None,
            });
        }
    }
}
