//! Links that are put into a plan: its text is kept as it is, with comments and order, and the link comes after
//! the last of those that are there.

use interligo_model::plan::{Ignore, Mistake, Plan, quoted};

/// A link to be added.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct NewLink {
    /// Its path.
    pub path: String,
    /// Its name, where the lookup's is not enough.
    pub name: Option<String>,
    /// What parts several keys in one cell.
    pub split: Option<char>,
    /// Differences that do not count.
    pub ignore: Vec<Ignore>,
}

impl NewLink {
    pub(crate) fn entry(&self, newline: &str) -> String {
        let mut lines = vec!["[[link]]".to_owned(), format!("path = {}", quoted(&self.path))];
        lines.extend(self.name.as_ref().map(|name| format!("as = {}", quoted(name))));
        lines.extend(self.split.map(|split| format!("split = {}", quoted(&split.to_string()))));
        if !self.ignore.is_empty() {
            let words: Vec<String> = self.ignore.iter().map(|i| quoted(i.word())).collect();
            lines.push(format!("ignore = [{}]", words.join(", ")));
        }
        lines.join(newline)
    }
}

/// The text of a plan with a link more.
///
/// # Errors
/// What comes of it is no plan.
pub fn with_link(plan: &Plan, link: &NewLink) -> Result<String, Mistake> {
    let plan = plan.as_in_file()?;
    let source = &plan.source;
    let newline = if source.contains("\r\n") { "\r\n" } else { "\n" };
    let at = match plan.link.last() {
        Some(last) => end_of_section(source, last.span().end, Some("link")),
        None => before_figures(source),
    };
    let (before, after) = source.split_at(at);
    let mut text = before.trim_end().to_owned();
    if !text.is_empty() {
        text += &newline.repeat(2);
    }
    text += &link.entry(newline);
    text += newline;
    let after = after.trim_start_matches(['\n', '\r']);
    if !after.is_empty() {
        text += newline;
        text += after;
    }
    Plan::parse(&text)?;
    Ok(text)
}

/// The text of a plan with sections of tables more, behind those that are there.
pub(crate) fn with_tables(source: &str, sections: &str) -> String {
    let newline = if source.contains("\r\n") { "\r\n" } else { "\n" };
    let mut at = 0;
    let starts = source.split_inclusive('\n').map(|line| {
        at += line.len();
        (at - line.len(), line.trim_start().trim_start_matches('['))
    });
    let is_table = |(_, line): &(usize, &str)| line.starts_with("tables.");
    let last = starts.filter(is_table).last();
    let end = match last {
        Some((start, _)) => end_of_section(source, start, Some("tables")),
        None => source.len(),
    };
    let (before, after) = source.split_at(end);
    let sections = sections.trim_end().replace('\n', newline);
    if sections.is_empty() {
        return source.to_owned();
    }
    let gap = newline.repeat(2);
    let before = before.trim_end();
    let gap_before = if before.is_empty() { "" } else { gap.as_str() };
    match after.trim_start_matches(['\n', '\r']) {
        "" => format!("{before}{gap_before}{sections}{newline}"),
        after => format!("{before}{gap_before}{sections}{gap}{after}"),
    }
}

/// The text of a plan that names a file with corrections.
///
/// # Errors
/// What comes of it is no plan.
pub(crate) fn with_corrections_file(plan: &Plan, file: &str) -> Result<String, Mistake> {
    let source = &plan.in_file;
    let newline = if source.contains("\r\n") { "\r\n" } else { "\n" };
    let line = format!("corrections = {}{newline}", quoted(file));
    let head = source.split_inclusive('\n').scan(0, |at, line| {
        let start = *at;
        *at += line.len();
        Some((start, line))
    });
    let head = head.into_iter().find(|(_, line)| line.trim_start().starts_with("[plan]"));
    let text = match head {
        Some((start, column_name)) => {
            // Behind the last line of the section that is neither blank nor a comment.
            let end = end_of_section(source, start + column_name.len().saturating_sub(1), None);
            let (before, after) = source.split_at(end);
            let gap = if before.ends_with('\n') { "" } else { newline };
            format!("{before}{gap}{line}{after}")
        }
        None => format!("[plan]{newline}{line}{newline}{source}"),
    };
    Plan::parse(&text)?;
    Ok(text)
}

/// Where a section ends that reaches up to `from` at least: behind its last line that is neither blank nor a
/// comment; comments before the next section belong to that. The sections below `name` belong to it.
fn end_of_section(source: &str, from: usize, name: Option<&str>) -> usize {
    let is_below = |column_name: &str| {
        let inner = column_name.trim_start_matches('[').trim_start();
        name.and_then(|name| inner.strip_prefix(name))
            .is_some_and(|rest| rest.trim_start().starts_with('.'))
    };
    let mut end = from;
    let mut at = source[from..].find('\n').map_or(source.len(), |line| from + line + 1);
    end = end.max(at);
    for line in source[at..].split_inclusive('\n') {
        let text = line.trim();
        if text.starts_with('[') && !text.starts_with("[\"") && !is_below(text) {
            break;
        }
        at += line.len();
        if !text.is_empty() && !text.starts_with('#') {
            end = at;
        }
    }
    end
}

/// Where the first section stands that comes after links, with the comments above it; else the end.
fn before_figures(source: &str) -> usize {
    let (mut at, mut comments) = (0, None);
    for line in source.split_inclusive('\n') {
        let text = line.trim();
        if text.starts_with("[figures")
            || text.starts_with("[outputs")
            || text.starts_with("[bands")
        {
            return comments.unwrap_or(at);
        }
        comments = match text.starts_with('#') {
            true => comments.or(Some(at)),
            false => None,
        };
        at += line.len();
    }
    source.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn added(source: &str) -> String {
        let link = NewLink {
            path: "a.b -> c.d".to_owned(),
            name: Some("e".to_owned()),
            ignore: vec![Ignore::Case],
            ..NewLink::default()
        };
        with_link(&Plan::parse(source).unwrap(), &link).unwrap()
    }

    const ENTRY: &str = "[[link]]\npath = \"a.b -> c.d\"\nas = \"e\"\nignore = [\"case\"]\n";

    #[test]
    fn the_sections_below_a_link_stay_with_it() {
        let first = "[[link]]\npath = \"x.y -> z.k as of x.d\"\n\n[link.gap]\nbefore = \"later\"\n";
        assert_eq!(added(first), format!("{first}\n{ENTRY}"));
        let figures = "\n[figures]\nsum = \"x.n * z.p\"\n";
        assert_eq!(added(&format!("{first}{figures}")), format!("{first}\n{ENTRY}{figures}"));
    }

    #[test]
    fn a_link_stands_behind_the_others_and_nothing_else_changes() {
        let first = "# A plan.\n[[link]]\npath = \"x.y -> z.k\" # why\nmissing = \"fill\"\n\
                     fill = { n = \"#\" }\n";
        let rest = "# Figures: exact.\n[figures]\nf = \"1\"\n";
        assert_eq!(added(&format!("{first}\n{rest}")), format!("{first}\n{ENTRY}\n{rest}"));
        assert_eq!(added(first), format!("{first}\n{ENTRY}"));
    }

    #[test]
    fn the_first_link_stands_before_the_figures() {
        let tables = "[tables.a]\nfrom = \"a.csv\"\n";
        let rest = "# Figures: exact.\n[figures]\nf = \"1\"\n";
        assert_eq!(added(&format!("{tables}\n{rest}")), format!("{tables}\n{ENTRY}\n{rest}"));
        assert_eq!(added(tables), format!("{tables}\n{ENTRY}"));
        assert_eq!(added(""), ENTRY);
        let windows = added("[tables.a]\r\nfrom = \"a.csv\"\r\n");
        assert_eq!(windows.matches('\n').count(), windows.matches("\r\n").count());
    }

    #[test]
    fn a_corrections_file_is_named_where_the_plan_speaks_of_the_whole() {
        const LINE: &str = "corrections = \"c.csv\"\n";
        let named =
            |source: &str| with_corrections_file(&Plan::parse(source).unwrap(), "c.csv").unwrap();
        for (source, expected) in [
            ("[figures]\nx = \"1\"\n", format!("[plan]\n{LINE}\n[figures]\nx = \"1\"\n")),
            (
                "[plan] # all\nname = \"a\" # b\n\n# next\n[figures]\n",
                format!("[plan] # all\nname = \"a\" # b\n{LINE}\n# next\n[figures]\n"),
            ),
            ("[plan]\n", format!("[plan]\n{LINE}")),
            (
                "[plan]\nstop-on = [\n  \"near-miss\",\n]\n[figures]\n",
                format!("[plan]\nstop-on = [\n  \"near-miss\",\n]\n{LINE}[figures]\n"),
            ),
        ] {
            assert_eq!(named(source), expected);
        }
        assert_eq!(
            named("[plan]\r\nname = \"a\"\r\n"),
            "[plan]\r\nname = \"a\"\r\ncorrections = \"c.csv\"\r\n"
        );
    }
}
