//! What to do where no link leads from one table to another.

use crate::error::Error;
use interligo_model::plan::MistakeKind;

use super::{StartedLink, find_links};
use crate::project::Project;

/// The same error. Where it is that no link leads from one table to another, its help names the link for which there is
/// evidence in the values.
pub fn with_likely_link(project: &Project, error: Error) -> Error {
    error.map_mistakes(|mistake| {
        let MistakeKind::NoLink(unlinked) = &mistake.kind else { return };
        let Ok((links, doubts)) = find_links(project) else { return };
        let leads = |link: &&StartedLink| link.to == unlinked.to || link.from == unlinked.to;
        if let Some(link) = links.iter().chain(&doubts).find(leads) {
            let said = mistake.help.take().map_or(String::new(), |help| format!("; {help}"));
            mistake.help = Some(format!(
                "there is evidence in the values for a [[link]] with path = \"{}\" ({}){said}",
                link.path, link.why
            ));
        }
    })
}
