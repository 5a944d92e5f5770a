//! Folders on a drive that others see: as the person says, or as the drive tells who may read them (RFC 3744).

use nine_core::place::ItemPath;

use super::multistatus::{self, Response};
use super::wire::HttpRequest;
use super::{DriveStore, url};
use crate::StoreResult;

const RIGHTS: &str = "<?xml version=\"1.0\" encoding=\"utf-8\"?><d:propfind xmlns:d=\"DAV:\"><d:prop>\
    <d:owner/><d:acl/></d:prop></d:propfind>";

impl DriveStore {
    /// The folder that others see in which something lies, whole, and who these are.
    pub(super) fn sharing_of(&self, path: &ItemPath) -> Option<(ItemPath, String)> {
        let whole = self.whole(path);
        let told = self.told_shared.get_or_init(|| self.ask_who_reads().unwrap_or_default());
        let all = self.drive().shared.iter().chain(told);
        let holding = all.filter(|(folder, _)| whole == *folder || whole.is_inside(folder));
        holding.max_by_key(|(folder, _)| folder.depth()).cloned()
    }

    /// Asks who may read the folders at the top, of a drive that tells.
    fn ask_who_reads(&self) -> StoreResult<Vec<(ItemPath, String)>> {
        if !self.drive().conduct_known().is_some_and(|conduct| conduct.tells_rights) {
            return Ok(Vec::new());
        }
        let top = &self.place().path;
        let request = HttpRequest::new("PROPFIND", url(self.drive(), top, true)).with("depth", "1");
        let answer = self.drive().wire.ask(&request.xml(RIGHTS.to_owned()))?;
        let mut found = Vec::new();
        if answer.status == 207 {
            multistatus::read(answer.body.into_reader(), &mut |response| {
                let path = self.drive().path_of(&response)?;
                found.extend(readers(&response).map(|who| (path, who)));
                Ok(())
            })?;
        }
        Ok(found)
    }
}

/// Who reads an item besides its owner, by the principals of its access control list.
fn readers(response: &Response) -> Option<String> {
    let acl = response.dav("acl")?;
    let named = |name: &str| acl.inside.iter().any(|inside| inside == name);
    if named("all") || named("unauthenticated") {
        return Some("everybody".into());
    }
    if named("authenticated") {
        return Some("everybody who has an account there".into());
    }
    let owner = response.dav("owner").map(|owner| owner.text.trim().to_owned()).unwrap_or_default();
    let others: Vec<&str> = acl.text.split_whitespace().filter(|principal| *principal != owner).collect();
    let last =
        |principal: &&str| principal.trim_end_matches('/').rsplit('/').next().unwrap_or_default().to_owned();
    let mut names: Vec<String> = others.iter().map(last).filter(|name| !name.is_empty()).collect();
    names.sort();
    names.dedup();
    (!names.is_empty()).then(|| nine_core::escape::plain(&names.join(", ")))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn who(acl: &str) -> Option<String> {
        let text = format!(
            "<d:multistatus xmlns:d=\"DAV:\"><d:response><d:href>/x/</d:href><d:propstat><d:prop>\
             <d:owner><d:href>/people/ada</d:href></d:owner><d:acl>{acl}</d:acl></d:prop>\
             <d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response></d:multistatus>"
        );
        let mut found = None;
        multistatus::read(text.as_bytes(), &mut |response| {
            found = readers(&response);
            Ok(())
        })
        .unwrap();
        found
    }

    #[test]
    fn who_reads_is_told_by_the_access_list() {
        let ace = |principal: &str| {
            format!(
                "<d:ace><d:principal>{principal}</d:principal><d:grant><d:privilege><d:read/></d:privilege></d:grant></d:ace> "
            )
        };
        let own = ace("<d:href>/people/ada</d:href>");
        assert_eq!(who(&own), None);
        assert_eq!(who(&format!("{own}{}", ace("<d:href>/people/groups/board/</d:href>"))).unwrap(), "board");
        assert_eq!(who(&ace("<d:all/>")).unwrap(), "everybody");
        assert_eq!(who(&ace("<d:authenticated/>")).unwrap(), "everybody who has an account there");
    }
}
