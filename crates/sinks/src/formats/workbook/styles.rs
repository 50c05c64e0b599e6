//! How cells look.

use interligo_engine::totals::MeasureKind;
use interligo_model::values::column::ColumnKind;
use rust_xlsxwriter::{Color, Format, FormatAlign, FormatBorder};

use crate::format::RowColumn;

/// The colours of the pictures.
const INK: u32 = 0x2d_2a26;
const HEAD: u32 = 0x5b_3f73;
const PAPER: u32 = 0xfb_f8f1;
const MARK: u32 = 0xf6_d98b;
/// The bars of a chart.
pub(super) const WELL: u32 = 0x3f_7d5d;

/// The header row of a sheet; the names are where the values are.
pub(super) fn header(kind: ColumnKind) -> Format {
    let align = match kind {
        ColumnKind::Number(_) => FormatAlign::Right,
        ColumnKind::Date => FormatAlign::Center,
        _ => FormatAlign::Left,
    };
    Format::new()
        .set_align(align)
        .set_indent(u8::from(align == FormatAlign::Left))
        .set_bold()
        .set_font_color(Color::RGB(0xff_ffff))
        .set_background_color(Color::RGB(HEAD))
        .set_align(FormatAlign::VerticalCenter)
}

/// A title.
pub(super) fn title() -> Format {
    Format::new().set_bold().set_font_size(16).set_font_color(Color::RGB(INK))
}

/// The column names of a small table.
pub(super) fn section(is_number: bool, indented: bool) -> Format {
    let align = if is_number { FormatAlign::Right } else { FormatAlign::Left };
    Format::new()
        .set_align(align)
        .set_indent(u8::from(indented && !is_number))
        .set_bold()
        .set_background_color(Color::RGB(PAPER))
        .set_border_bottom(FormatBorder::Thin)
        .set_border_color(Color::RGB(HEAD))
}

/// The cells of a column.
pub(super) fn cells(column: &RowColumn) -> Format {
    let format = Format::new().set_num_format(number_format(column));
    match column.kind {
        ColumnKind::Date => format.set_align(FormatAlign::Center),
        // Not so close to a number on its left.
        ColumnKind::Text | ColumnKind::Period(_) => {
            format.set_align(FormatAlign::Left).set_indent(1)
        }
        _ => format,
    }
}

/// The same for cells that are formulas: one that is formatted as text would turn into its own text when it is edited.
pub(super) fn live(column: &RowColumn) -> Format {
    match number_format(column).as_str() {
        "@" => cells(column).set_num_format("General"),
        _ => cells(column),
    }
}

/// The label of a row of totals with a note.
pub(super) fn marked(cells: &Format) -> Format {
    cells.clone().set_background_color(Color::RGB(MARK))
}

/// A row that sums up those of its group.
pub(super) fn subtotal(column: &RowColumn) -> Format {
    cells(column).set_bold().set_background_color(Color::RGB(PAPER))
}

fn number_format(column: &RowColumn) -> String {
    let decimals = |places: u8| match places {
        0 => String::new(),
        places => format!(".{}", "0".repeat(usize::from(places))),
    };
    match (column.kind, column.shown) {
        (ColumnKind::Date, _) => "yyyy-mm-dd".to_owned(),
        (ColumnKind::Number(_), MeasureKind::Percent(places)) => format!("0{}%", decimals(places)),
        (ColumnKind::Number(_), MeasureKind::Money(places) | MeasureKind::Number(places)) => {
            format!("#,##0{}", decimals(places))
        }
        (ColumnKind::Number(_), MeasureKind::Amount(places)) => {
            format!("#,##0{}", decimals(places.min(2)))
        }
        (ColumnKind::Number(_), MeasureKind::Count) => "#,##0".to_owned(),
        (ColumnKind::Number(_), MeasureKind::Ratio) => "0.0000".to_owned(),
        (ColumnKind::Text | ColumnKind::Period(_), _) => "@".to_owned(),
        _ => "General".to_owned(),
    }
}
