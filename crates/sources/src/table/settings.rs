//! What the plan says of how files are written, checked.

use encoding_rs::Encoding;
use interligo_model::plan::{Mistake, MistakeKind, Plan, Settings};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;

/// What the plan says of how a table's files are written.
#[derive(Clone, Debug, Default)]
pub struct TableSettings {
    /// The separator between fields.
    pub separator: Option<u8>,
    /// The encoding.
    pub encoding: Option<&'static Encoding>,
    /// How numbers are written.
    pub numbers: Option<NumberStyle>,
    /// How days are written.
    pub dates: Option<DateStyle>,
    /// The row of the column names; 0 where there are none.
    pub header_row: Option<u32>,
    /// Texts that mean blank.
    pub blank: Vec<String>,
}

impl TableSettings {
    /// What the plan says of some files.
    pub fn of(plan: &Plan, settings: &Settings<'_>) -> Result<TableSettings, Mistake> {
        let mut given = TableSettings {
            header_row: settings.header_row.map(|row| *row.get_ref()),
            blank: settings.blank.map_or_else(Vec::new, |marks| marks.get_ref().0.clone()),
            ..TableSettings::default()
        };
        if let Some(text) = settings.separator {
            given.separator = Some(match text.get_ref().as_bytes() {
                b"tab" => b'\t',
                [separator]
                    if separator.is_ascii()
                        && !separator.is_ascii_alphanumeric()
                        && *separator != b'"' =>
                {
                    *separator
                }
                _ => {
                    return Err(plan
                        .written(text)
                        .mistaken(
                            MistakeKind::WrongValue,
                            format!("`{}` cannot separate fields", text.get_ref()),
                        )
                        .help("write one character, such as separator = \";\", or \"tab\""));
                }
            });
        }
        if let Some(label) = settings.encoding {
            let known = Encoding::for_label(label.get_ref().as_bytes());
            given.encoding = Some(known.ok_or_else(|| {
                plan.written(label)
                    .mistaken(
                        MistakeKind::WrongValue,
                        format!("there is no encoding `{}`", label.get_ref()),
                    )
                    .help("write for instance encoding = \"windows-1252\" or \"utf-16le\"")
            })?);
        }
        if let Some(sample) = settings.numbers {
            given.numbers = Some(NumberStyle::from_sample(sample.get_ref()).ok_or_else(|| {
                plan.written(sample)
                    .mistaken(
                        MistakeKind::WrongValue,
                        format!("`{}` is not a format sample for 1234.56", sample.get_ref()),
                    )
                    .help("write for instance numbers = \"1.234,56\"")
            })?);
        }
        if let Some(sample) = settings.dates {
            given.dates = Some(DateStyle::from_sample(sample.get_ref()).ok_or_else(|| {
                plan.written(sample)
                    .mistaken(
                        MistakeKind::WrongValue,
                        format!(
                            "`{}` is not a format sample for 31 December 2025",
                            sample.get_ref()
                        ),
                    )
                    .help("write for instance dates = \"31/12/2025\" or \"31-Dec-2025 23:59\"")
            })?);
        }
        Ok(given)
    }
}
