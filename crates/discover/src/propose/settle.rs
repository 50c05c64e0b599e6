//! Candidates for links, settled to those that hold together.

use super::{LinkProposal, SURE};

/// The links that hold together, and those that are left to the reader.
pub(super) fn settle(mut found: Vec<LinkProposal>) -> (Vec<LinkProposal>, Vec<LinkProposal>) {
    found.sort_by_key(|link| (std::cmp::Reverse(link.score), link.from.clone(), link.to_table));
    let (mut links, mut doubts): (Vec<LinkProposal>, Vec<LinkProposal>) = (Vec::new(), Vec::new());
    for link in found {
        if link.score < SURE {
            doubts.push(link);
        } else if !is_superfluous(&link, &links) && !closes_circle(&link, &links) {
            links.push(link);
        }
    }
    drop_detours(&mut links);
    doubts.retain(|doubt| !is_superfluous(doubt, &links));
    links.sort_by_key(|link| (link.from[0].table, link.from[0].column, link.to_table));
    (links, doubts)
}

/// Whether the tables are joined already, by better columns.
fn is_superfluous(link: &LinkProposal, links: &[LinkProposal]) -> bool {
    links.iter().any(|known| {
        let same_tables =
            known.from[0].table == link.from[0].table && known.to_table == link.to_table;
        // Another column may find the same key: two roles of one lookup. Another key says nothing new.
        let shares = known.from.iter().any(|at| link.from.contains(at));
        same_tables && (shares || known.to != link.to)
            || known.from == link.from && known.to_table == link.to_table
            // Back on the same way.
            || known.from[0].table == link.to_table && known.to_table == link.from[0].table
    })
}

/// Whether a link leads back to a table on its own way.
fn closes_circle(link: &LinkProposal, links: &[LinkProposal]) -> bool {
    let mut reached = vec![link.to_table];
    let mut at = 0;
    while at < reached.len() {
        let table = reached[at];
        for next in links.iter().filter(|known| known.from.iter().any(|from| from.table == table)) {
            if !reached.contains(&next.to_table) {
                reached.push(next.to_table);
            }
        }
        at += 1;
    }
    link.from.iter().any(|from| reached.contains(&from.table))
}

/// Leaves out links from a lookup by its own key: a table that has that key finds the other lookup by it
/// directly.
fn drop_detours(links: &mut Vec<LinkProposal>) {
    let all = links.clone();
    links.retain(|link| {
        let detour = all.iter().any(|first| {
            let ends_here = first.to_table == link.from[0].table
                && link
                    .from
                    .iter()
                    .all(|at| first.to.contains(&at.column) && at.table == first.to_table);
            ends_here
                && all.iter().any(|direct| {
                    direct.to_table == link.to_table
                        && direct.from.iter().any(|at| first.from.contains(at))
                })
        });
        !detour || link.stated.is_some()
    });
}
