//! Tables of texts on a page.

use maud::{Markup, html};

use crate::text::table::TextTable;
use crate::visible::seen;

/// A table as a terminal has it. With a name, its rows can be sorted and filtered.
pub(super) fn text_table(table: &TextTable, caption: &str, name: Option<&str>) -> Markup {
    let sum = table.sum.then(|| table.rows.len().saturating_sub(1));
    html! {
        div.scroll tabindex="0" role="region" aria-label=(caption) {
            table.sorted[name.is_some()] data-name=[name] {
                caption { (caption) }
                thead { tr {
                    @for (name, is_right) in table.column_names.iter().zip(&table.right) {
                        // A column without a name has only what explains the others.
                        @if name.is_empty() { td {} } @else { th.n[*is_right] scope="col" { (seen(name)) } }
                    }
                } }
                tbody { @for (number, row) in table.rows.iter().enumerate() {
                    tr.sum[sum == Some(number)] {
                        @for (at, (cell, is_right)) in row.iter().zip(&table.right).enumerate() {
                            @if at == 0 && !cell.is_empty() {
                                th scope="row" { (seen(cell)) }
                            } @else {
                                td.n[*is_right] { (seen(cell)) }
                            }
                        }
                    }
                } }
            }
        }
    }
}

/// A table of cells as texts.
pub(super) fn plain_table(
    columns: &[String],
    rows: &[Vec<String>],
    caption: &str,
    name: Option<&str>,
) -> Markup {
    let mut table = TextTable::new(columns.iter().map(String::as_str));
    rows.iter().for_each(|row| table.row(row.iter().map(String::as_str)));
    text_table(&table, caption, name)
}
