//! The rows of a table as a tree: each level of rows below the one that sums it up, with what was summed for the
//! attributes across.

use std::collections::{BTreeMap, HashMap};

use super::codes::Key;
use super::group_keys::GroupKeys;
use super::sums::{NO_GROUP, Sums};
use crate::bind::Cumulated;

/// What was summed of a row, by the groups that hold it: one for each column across, and one over all of them. A copy
/// means the same groups, and not others with the same sums.
#[derive(Clone, Debug)]
pub(super) struct Cells {
    pub(super) across: BTreeMap<usize, u32>,
    /// [`NO_GROUP`] as long as nothing was summed.
    pub(super) all: u32,
}

impl Default for Cells {
    fn default() -> Cells {
        Cells { across: BTreeMap::new(), all: NO_GROUP }
    }
}

/// A row with the rows that it sums up.
#[derive(Debug, Default)]
pub(super) struct Node {
    /// The ranks of its attributes, from the first level to its own.
    pub(super) path: Key,
    /// How many rows it represents, if it represents several.
    pub(super) rest: Option<u64>,
    pub(super) cells: Cells,
    /// What has accumulated, by the way of running up.
    pub(super) cumulated: Vec<(Cumulated, Cells)>,
    pub(super) children: Vec<Node>,
}

/// One group with its place in the table.
pub(super) struct Entry {
    pub(super) group: u32,
    /// Its column across; none where nothing is across.
    pub(super) column: Option<usize>,
}

impl Sums {
    /// Adds a group to what is summed in another, which is made where there is none.
    fn merge_group(&mut self, into: &mut u32, from: u32) {
        if from == NO_GROUP {
            return;
        }
        if *into == NO_GROUP {
            *into = self.add_group();
        }
        self.merge(*into, from);
    }

    pub(super) fn merge_cells(&mut self, into: &mut Cells, other: &Cells) {
        self.merge_group(&mut into.all, other.all);
        for (column, group) in &other.across {
            self.merge_column(into, *column, *group);
        }
    }

    /// Adds a group to a column of a row.
    pub(super) fn merge_column(&mut self, into: &mut Cells, column: usize, group: u32) {
        self.merge_group(into.across.entry(column).or_insert(NO_GROUP), group);
    }

    /// Other groups with the same sums.
    pub(super) fn copied(&mut self, cells: &Cells) -> Cells {
        let mut copy = Cells::default();
        self.merge_cells(&mut copy, cells);
        copy
    }

    /// The tree of groups, which are in the order of their rows. `levels` says how many attributes each has.
    pub(super) fn tree(&mut self, entries: Vec<Entry>, keys: &GroupKeys, levels: &[usize]) -> Node {
        let mut root = Node::default();
        let mut entries = entries.into_iter().peekable();
        let ends: Vec<usize> = levels
            .iter()
            .scan(0, |end, level| {
                *end += level;
                Some(*end)
            })
            .collect();
        // A table without attributes has its whole only.
        let Some(deepest) = ends.last().copied().filter(|end| *end > 0) else {
            entries.for_each(|entry| self.take(&mut root.cells, &entry));
            return root;
        };
        let row = |entry: &Entry| &keys.of(entry.group)[..deepest];
        while let Some(first) = entries.next() {
            let path = row(&first);
            let mut leaf = Node { path: path.into(), ..Node::default() };
            self.take(&mut leaf.cells, &first);
            while let Some(same) = entries.next_if(|entry| row(entry) == path) {
                self.take(&mut leaf.cells, &same);
            }
            let mut parent = &mut root;
            for end in &ends[..ends.len() - 1] {
                let path = &leaf.path[..*end];
                if parent.children.last().is_none_or(|last| last.path[..] != *path) {
                    parent.children.push(Node { path: path.into(), ..Node::default() });
                }
                parent = parent.children.last_mut().expect("the line above put it there");
            }
            parent.children.push(leaf);
        }
        self.sum_up(&mut root);
        root
    }

    fn take(&mut self, cells: &mut Cells, entry: &Entry) {
        match entry.column {
            None => cells.all = entry.group,
            Some(column) => {
                self.merge_group(&mut cells.all, entry.group);
                cells.across.insert(column, entry.group);
            }
        }
    }

    /// Fills what rows above others sum up.
    fn sum_up(&mut self, node: &mut Node) {
        let Node { cells, children, .. } = node;
        for child in children {
            self.sum_up(child);
            self.merge_cells(cells, &child.cells);
        }
    }

    /// Brings rows together in one below a row, if there are any.
    pub(super) fn add_rest(&mut self, node: &mut Node, others: &[Node]) {
        if others.is_empty() {
            return;
        }
        let path = node.path.clone();
        let mut rest = Node { path, rest: Some(others.len() as u64), ..Node::default() };
        others.iter().for_each(|other| self.merge_cells(&mut rest.cells, &other.cells));
        node.children.push(rest);
    }

    /// Keeps the first rows of each level, and brings its others together in one.
    pub(super) fn keep_top(&mut self, node: &mut Node, top: usize) {
        // One row more is shown as it is: it takes no more room than "the rest".
        if node.children.len() > top + 1 {
            let others = node.children.split_off(top);
            self.add_rest(node, &others);
        }
        node.children.iter_mut().for_each(|child| self.keep_top(child, top));
    }

    /// Lets sums accumulate along rows in their order: those that differ in the last attribute only.
    pub(super) fn run_up(&mut self, node: &mut Node) {
        let mut sums: HashMap<Vec<u32>, Cells> = HashMap::new();
        for child in &mut node.children {
            // The rest has no attributes of its own level.
            let end = child.path.len().saturating_sub(usize::from(child.rest.is_none()));
            let so_far = sums.entry(child.path[..end].to_vec()).or_default();
            self.merge_cells(so_far, &child.cells);
            child.cumulated.push((Cumulated::Running, self.copied(so_far)));
            self.run_up(child);
        }
    }
}

impl Node {
    /// Calls `visit` for all rows of a level, counted from 1 below the root.
    pub(super) fn at_level<'a>(&'a self, level: usize, visit: &mut impl FnMut(&'a Node)) {
        if level == 0 {
            visit(self);
        } else {
            self.children.iter().for_each(|child| child.at_level(level - 1, visit));
        }
    }

    /// The same, to change them.
    pub(super) fn at_level_mut(&mut self, level: usize, visit: &mut impl FnMut(&mut Node)) {
        if level == 0 {
            visit(self);
        } else {
            self.children.iter_mut().for_each(|child| child.at_level_mut(level - 1, visit));
        }
    }

    /// Calls `visit` for this row and all below it, with its level.
    pub(super) fn each_mut(&mut self, level: usize, visit: &mut impl FnMut(&mut Node, usize)) {
        visit(self, level);
        self.children.iter_mut().for_each(|child| child.each_mut(level + 1, visit));
    }
}
