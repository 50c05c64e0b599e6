//! The links of a plan as they are taken: each from the table that holds the key to the one that it is
//! found in, also where it is written the other way round; and which tables a fact reaches by them.

use std::collections::{BTreeSet, HashMap};

use interligo_model::plan::{
    ColumnName, LinkEntry, LinkPath, Mistake, MistakeKind, Plan, Role, Unlinked, Written,
    parse_link_path,
};

/// A link whose path has been read.
#[derive(Clone)]
pub(super) struct Open<'a> {
    /// Its number among the links of the plan.
    pub(super) number: usize,
    pub(super) entry: &'a LinkEntry,
    pub(super) written: Written,
    pub(super) path: LinkPath,
    /// Whether the path is written the other way round.
    pub(super) turned: bool,
}

impl Open<'_> {
    /// The lookup that it leads to.
    pub(super) fn to(&self) -> &str {
        self.path.to_table()
    }

    /// The name by which formulas reach through it.
    pub(super) fn name(&self) -> &str {
        self.entry.name.as_ref().map_or(self.to(), |name| name.get_ref())
    }

    /// What paths may call the place that it leads to: its table and its own name.
    pub(super) fn names(&self) -> impl Iterator<Item = &str> {
        let own = Some(self.name()).filter(|name| *name != self.to());
        [self.to()].into_iter().chain(own)
    }

    /// The tables or links that its key is taken from, each once.
    pub(super) fn bases(&self) -> Vec<&[String]> {
        let mut bases: Vec<&[String]> = Vec::new();
        let dated = self.path.as_of.iter().filter(|date| !date.through.is_empty());
        for part in self.path.parts().chain(dated) {
            if !bases.contains(&part.through.as_slice()) {
                bases.push(&part.through);
            }
        }
        bases
    }

    /// Whether it can be read the other way round.
    fn can_turn(&self) -> bool {
        let [only] = self.path.from.as_slice() else { return false };
        self.entry.split.is_none() && only.iter().all(|part| part.through == only[0].through)
    }

    fn turn(&mut self) {
        let from = std::mem::take(&mut self.path.from).swap_remove(0);
        self.path.from = vec![std::mem::replace(&mut self.path.to, from)];
        self.turned = !self.turned;
    }

    /// Whether it leads to what a path calls `name`: a table, or a link.
    pub(super) fn leads_to(&self, name: &[String]) -> bool {
        name.last().is_some_and(|last| last == self.to() || last == self.name())
    }

    /// The path as it is taken.
    pub(super) fn taken(&self) -> String {
        path_text(&self.path)
    }
}

/// A path in words.
fn path_text(path: &LinkPath) -> String {
    let name = |name: &ColumnName| {
        let parts = name.through.iter().chain([&name.column]);
        parts
            .map(|part| interligo_model::plan::name(part).into_owned())
            .collect::<Vec<_>>()
            .join(".")
    };
    let columns = |names: &[ColumnName]| names.iter().map(name).collect::<Vec<_>>().join(" + ");
    let from: Vec<String> = path.from.iter().map(|names| columns(names)).collect();
    let date = path.as_of.as_ref().map_or(String::new(), |date| format!(" as of {}", name(date)));
    format!("{} -> {}{date}", from.join(" or "), columns(&path.to))
}

/// The links of a plan in its order, turned where they stand the wrong way round. `turned` are those of
/// which the data says so.
///
/// # Errors
/// Paths that cannot be read; a link that no fact reaches.
pub(super) fn directed<'a>(
    plan: &'a Plan,
    turned: &BTreeSet<usize>,
) -> Result<Vec<Open<'a>>, Vec<Mistake>> {
    let (mut links, mut mistakes) = (Vec::new(), Vec::new());
    for (number, link) in plan.link.iter().enumerate() {
        let entry = link.get_ref();
        let written = plan.written(&entry.path);
        match parse_link_path(&written) {
            Err(mistake) => mistakes.push(mistake),
            Ok(path) => links.push(Open { number, entry, written, path, turned: false }),
        }
    }
    for link in &links {
        mistakes.extend(unknown_table(plan, link));
    }
    if !mistakes.is_empty() {
        return Err(mistakes);
    }
    for link in links.iter_mut().filter(|link| turned.contains(&link.number)) {
        link.turn();
    }
    let facts: BTreeSet<String> = plan.facts().map(|fact| fact.name.clone()).collect();
    loop {
        let reached = reached(&links, facts.clone());
        let apart = |link: &&mut Open<'_>| !is_reached(link, &reached);
        let back = |link: &&mut Open<'_>| link.can_turn() && reached.contains(link.to());
        match links.iter_mut().filter(apart).find(back) {
            Some(link) => link.turn(),
            None => break,
        }
    }
    let reached = reached(&links, facts);
    let apart: Vec<&Open<'_>> = links.iter().filter(|link| !is_reached(link, &reached)).collect();
    match apart.as_slice() {
        [] => Ok(links),
        apart => Err(vec![out_of_reach(plan, apart, &reached)]),
    }
}

/// The tables and links within reach of some tables.
pub(super) fn reached(links: &[Open<'_>], from: BTreeSet<String>) -> BTreeSet<String> {
    // Of each link, how many names it still waits for; of each name, the links that wait for it.
    let mut unmet: Vec<usize> = Vec::with_capacity(links.len());
    let mut waiting: HashMap<&str, Vec<usize>> = HashMap::new();
    for (at, link) in links.iter().enumerate() {
        let bases = link.bases().into_iter().flatten();
        let names: BTreeSet<&str> = bases.map(String::as_str).collect();
        let names = names.into_iter().filter(|name| !from.contains(*name));
        let mut count = 0;
        for name in names {
            waiting.entry(name).or_default().push(at);
            count += 1;
        }
        unmet.push(count);
    }
    let mut open: Vec<usize> = (0..links.len()).filter(|at| unmet[*at] == 0).collect();
    let mut all = from;
    while let Some(at) = open.pop() {
        for name in [links[at].to(), links[at].name()] {
            if !all.insert(name.to_owned()) {
                continue;
            }
            for waits in waiting.remove(name).into_iter().flatten() {
                unmet[waits] -= 1;
                if unmet[waits] == 0 {
                    open.push(waits);
                }
            }
        }
    }
    all
}

/// Whether all that the key of a link is taken from is within reach.
pub(super) fn is_reached(link: &Open<'_>, reached: &BTreeSet<String>) -> bool {
    link.bases().iter().all(|base| base.iter().all(|name| reached.contains(name)))
}

/// The tables of a path exist.
fn unknown_table(plan: &Plan, link: &Open<'_>) -> Option<Mistake> {
    let unknown =
        |part: &&ColumnName| part.through.iter().any(|name| plan.table_called(name).is_none());
    let ends = link.path.parts().chain(&link.path.to).chain(&link.path.as_of);
    let part = ends.into_iter().find(unknown)?;
    let name = part.through.iter().find(|name| plan.table_called(name).is_none())?;
    let tables = plan.tables.iter().map(|table| table.name.as_str());
    let names = plan.link.iter().filter_map(|link| link.get_ref().name.as_ref());
    let message = format!("the plan has no table `{name}`");
    Some(
        link.written
            .mistake(MistakeKind::UnknownName, part.span.clone(), message)
            .nearest(name, tables.chain(names.map(|name| name.get_ref().as_str()))),
    )
}

/// Links that start where no fact gets to: in a circle of their own, or apart.
fn out_of_reach(plan: &Plan, links: &[&Open<'_>], reached: &BTreeSet<String>) -> Mistake {
    if let Some(circle) = circle(links) {
        return circle;
    }
    let first = links[0];
    let unmet = |part: &&ColumnName| part.through.iter().any(|name| !reached.contains(name));
    let part = first.path.parts().find(unmet).unwrap_or(&first.path.from[0][0]);
    let table = part.through.join(".");
    let facts: Vec<&str> = plan.facts().map(|fact| fact.name.as_str()).collect();
    let message = format!("no link leads from `{}` to `{table}`", facts.join("` or `"));
    let from = facts.first().copied().unwrap_or_default().to_owned();
    let kind = MistakeKind::NoLink(Box::new(Unlinked { from, to: table.clone() }));
    first
        .written
        .mistake(kind, part.span.clone(), message)
        .nearest(&table, reached.iter().map(String::as_str))
        .or_help(format!("add a link that leads from `{}` to `{table}`", facts.join("` or `")))
}

/// The circle in which links wait for each other, if they do.
pub(super) fn circle(links: &[&Open<'_>]) -> Option<Mistake> {
    for start in links {
        let mut walked: Vec<&Open<'_>> = vec![start];
        loop {
            let bases = walked[walked.len() - 1].bases();
            // The link that leads to where this one starts.
            let Some(before) =
                links.iter().find(|link| bases.iter().any(|base| link.leads_to(base)))
            else {
                break;
            };
            if let Some(at) = walked.iter().position(|link| link.number == before.number) {
                let circle = &mut walked[at..];
                circle.reverse();
                // It is told from the table where the first of its links starts.
                let first = circle.iter().enumerate().min_by_key(|(_, link)| link.number)?.0;
                circle.rotate_left(first);
                let names = circle.iter().map(|link| link.to());
                let names: Vec<&str> = names.clone().next_back().into_iter().chain(names).collect();
                let message = format!("the links go in a circle: {}", names.join(" -> "));
                let first = circle[0];
                return Some(
                    first
                        .written
                        .mistaken(MistakeKind::Circle, message)
                        .help("leave one of these links out"),
                );
            }
            walked.push(before);
        }
    }
    None
}

/// Whether a table is a fact of the plan.
pub(super) fn is_fact(plan: &Plan, table: &str) -> bool {
    plan.tables.get(table).is_some_and(|table| table.value.role == Role::Fact)
}
