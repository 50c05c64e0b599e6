//! The form of an output: by the name of its file, and for text by what the plan says of it.

use std::sync::Arc;

use interligo_engine::bind::WorkbookRequest;
use interligo_model::plan::{
    LineEnd, Mistake, MistakeKind, OutputEntry, Plan, WorkbookEntry, WriteEntry, Written,
};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use interligo_sinks::format::OutputFormat;
use interligo_sinks::formats::text::styled::TextStyle;
use interligo_sinks::formats::{file_and_table, format_of, styled, text_separator};

use crate::runs::{copied_output, is_copy};

/// The form of an output of the plan, or of one that is asked for besides; none where its name says nothing.
///
/// # Errors
/// Settings that make no sense, or that are for another form.
pub(crate) fn form_of(
    plan: &Plan,
    output: &str,
    to: &Written,
    workbook: Option<&WorkbookRequest>,
) -> Result<Option<Arc<dyn OutputFormat>>, Mistake> {
    if let Some(book) = workbook.and_then(|book| plan.workbooks.get(&book.name)) {
        return workbook_form(plan, &book.value).map(Some);
    }
    let (file, _) = file_and_table(&to.text);
    let entry = plan.outputs.get(copied_output(output)).map(|entry| &entry.value);
    let Some(entry) = entry.filter(|entry| entry.write.is_some() || entry.guard) else {
        return Ok(format_of(&file));
    };
    let Some(separator) = text_separator(&file) else {
        // The copy of what is no text is plain text.
        if is_copy(output) {
            return Ok(format_of(&file));
        }
        let message = format!("`{}` is no text file: `write` and `guard` are for text", to.text);
        let help = "leave them out, or let the name end in .csv";
        return Err(to.mistaken(MistakeKind::ConflictingSettings, message).help(help));
    };
    Ok(styled(&file, style_of(plan, entry, separator)?))
}

/// The form of a workbook of the plan.
fn workbook_form(plan: &Plan, book: &WorkbookEntry) -> Result<Arc<dyn OutputFormat>, Mistake> {
    let to = plan.written(&book.to);
    let refused = |message: String, help: &str| {
        Err(to.mistaken(MistakeKind::UnknownForm, message).help(help))
    };
    if !to.text.to_lowercase().ends_with(".xlsx") {
        let message = format!("`{}` is no name of a workbook", to.text);
        return refused(message, "let it end in .xlsx; its sheets are named in `sheets`");
    }
    #[cfg(feature = "workbook")]
    return Ok(Arc::new(interligo_sinks::formats::workbook::Workbook {
        charts: book.charts,
        formulas: book.formulas,
        sheets: book.sheets.iter().map(|sheet| sheet.get_ref().clone()).collect(),
    }));
    #[cfg(not(feature = "workbook"))]
    refused("this program was built without workbooks".to_owned(), "build it with them")
}

fn style_of(plan: &Plan, entry: &OutputEntry, separator: char) -> Result<TextStyle, Mistake> {
    let mut style = TextStyle { separator, guard: entry.guard, ..TextStyle::default() };
    let Some(write) = &entry.write else { return Ok(style) };
    let WriteEntry { separator, numbers, dates, encoding, line_end, places } = write.get_ref();
    let refused = |text: &toml::Spanned<String>, message: String, help: &str| {
        plan.written(text).mistaken(MistakeKind::WrongValue, message).help(help)
    };
    if let Some(text) = separator {
        let mut characters = text.get_ref().chars();
        style.separator = match (text.get_ref().as_str(), characters.next(), characters.next()) {
            ("tab", ..) => '\t',
            (_, Some(one), None) if !one.is_alphanumeric() && !"\"\n\r.-".contains(one) => one,
            _ => {
                let message = format!("`{}` cannot separate fields", text.get_ref());
                return Err(refused(text, message, "write for instance \";\" or \"tab\""));
            }
        };
    }
    if let Some(text) = numbers {
        style.numbers = NumberStyle::from_sample(text.get_ref()).ok_or_else(|| {
            let message = format!("`{}` is not a way of writing 1234.56", text.get_ref());
            refused(text, message, "write 1234.56 as it is to be written, as in \"1.234,56\"")
        })?;
    }
    if let Some(text) = dates {
        style.dates = DateStyle::from_sample(text.get_ref()).ok_or_else(|| {
            let message = format!("`{}` is not a way of writing 31 December 2025", text.get_ref());
            refused(text, message, "write that day as it is to be written, as in \"31.12.2025\"")
        })?;
    }
    if let Some(text) = encoding {
        let known = encoding_rs::Encoding::for_label(text.get_ref().as_bytes());
        // Text in UTF-16 is read, but not written.
        let known = known.filter(|known| known.output_encoding() == *known);
        style.encoding = known.ok_or_else(|| {
            let message = format!("`{}` is no encoding that can be written", text.get_ref());
            refused(text, message, "write for instance \"windows-1252\"")
        })?;
    }
    style.carriage_return = *line_end == Some(LineEnd::Crlf);
    style.places = *places;
    Ok(style)
}
