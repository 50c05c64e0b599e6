//! The rows of a table as a tree: each level of rows below the one that sums it up, with what was summed for the
//! attributes across.

use std::collections::{BTreeMap, HashMap};

use super::cells::GroupSums;
use super::codes::Key;
use super::cube::Slots;
use super::plan::TotalsPlan;
use crate::bind::Cumulated;

/// What was summed of a row: by column across, and over all of them.
#[derive(Clone, Debug, Default)]
pub(super) struct Cells {
    pub(super) across: BTreeMap<usize, Slots>,
    pub(super) all: Slots,
}

/// A row with the rows that it sums up.
#[derive(Debug, Default)]
pub(super) struct Node {
    /// The ranks of its attributes, from the first level to its own.
    pub(super) path: Key,
    /// How many rows it represents, if it represents several.
    pub(super) rest: Option<u64>,
    pub(super) cells: Cells,
    /// What has accumulate, by the way of running up.
    pub(super) cumulated: Vec<(Cumulated, Cells)>,
    pub(super) children: Vec<Node>,
}

/// One group with its place in the table.
pub(super) struct Entry {
    pub(super) row: Key,
    /// Its column across; none where nothing is across.
    pub(super) column: Option<usize>,
    pub(super) slots: Slots,
}

/// The plans of the sources, which say how sums are brought together.
#[derive(Clone, Copy)]
pub(super) struct Sources<'a>(pub(super) &'a [&'a TotalsPlan]);

impl Sources<'_> {
    fn merge_slots(self, into: &mut Slots, other: &Slots) {
        into.resize(self.0.len(), None);
        for (source, (own, other)) in into.iter_mut().zip(other).enumerate() {
            let Some(other) = other else { continue };
            let sums = &self.0[source].sums;
            own.get_or_insert_with(|| GroupSums::empty(sums)).merge(other, sums);
        }
    }

    pub(super) fn merge(self, into: &mut Cells, other: &Cells) {
        self.merge_slots(&mut into.all, &other.all);
        for (column, slots) in &other.across {
            self.merge_slots(into.across.entry(*column).or_default(), slots);
        }
    }

    /// Adds what is before `column` in a chain of columns to it.
    pub(super) fn merge_column(self, into: &mut Cells, column: usize, slots: &Slots) {
        self.merge_slots(into.across.entry(column).or_default(), slots);
    }

    /// The tree of groups, which are in the order of their rows. `levels` says how many attributes each has.
    pub(super) fn tree(self, entries: Vec<Entry>, levels: &[usize]) -> Node {
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
            entries.for_each(|entry| self.take(&mut root.cells, entry));
            return root;
        };
        while let Some(first) = entries.next() {
            let mut leaf = Node { path: first.row.clone(), ..Node::default() };
            self.take(&mut leaf.cells, first);
            while let Some(same) = entries.next_if(|entry| entry.row == leaf.path) {
                self.take(&mut leaf.cells, same);
            }
            debug_assert_eq!(leaf.path.len(), deepest);
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

    fn take(self, cells: &mut Cells, entry: Entry) {
        match entry.column {
            None if cells.all.is_empty() => cells.all = entry.slots,
            None => self.merge_slots(&mut cells.all, &entry.slots),
            Some(column) => {
                self.merge_slots(&mut cells.all, &entry.slots);
                self.merge_column(cells, column, &entry.slots);
            }
        }
    }

    /// Fills what rows above others sum up.
    fn sum_up(self, node: &mut Node) {
        let Node { cells, children, .. } = node;
        for child in children {
            self.sum_up(child);
            self.merge(cells, &child.cells);
        }
    }

    /// Brings rows together in one below a row, if there are any.
    pub(super) fn add_rest(self, node: &mut Node, others: &[Node]) {
        if others.is_empty() {
            return;
        }
        let path = node.path.clone();
        let mut rest = Node { path, rest: Some(others.len() as u64), ..Node::default() };
        others.iter().for_each(|other| self.merge(&mut rest.cells, &other.cells));
        node.children.push(rest);
    }

    /// Keeps the first rows of each level, and brings its others together in one.
    pub(super) fn keep_top(self, node: &mut Node, top: usize) {
        // One row more is shown as it is: it takes no more room than "the rest".
        if node.children.len() > top + 1 {
            let others = node.children.split_off(top);
            self.add_rest(node, &others);
        }
        node.children.iter_mut().for_each(|child| self.keep_top(child, top));
    }

    /// Lets sums accumulate along rows in their order: those that differ in the last attribute only.
    pub(super) fn run_up(self, node: &mut Node) {
        let mut sums: HashMap<Vec<u32>, Cells> = HashMap::new();
        for child in &mut node.children {
            // The rest has no attributes of its own level.
            let end = child.path.len().saturating_sub(usize::from(child.rest.is_none()));
            let so_far = sums.entry(child.path[..end].to_vec()).or_default();
            self.merge(so_far, &child.cells);
            child.cumulated.push((Cumulated::Running, so_far.clone()));
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
