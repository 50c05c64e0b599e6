//! Any text as a number and as a day, in every style and by a format sample that is itself any text.

#![no_main]

use interligo_model::values::amount;
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|texts: (&str, &str)| {
    let (sample, text) = texts;
    for style in NumberStyle::ALL.into_iter().chain(NumberStyle::from_sample(sample)) {
        let read = amount::read(text, style);
        assert!(read.is_none() || text.chars().any(|character| character.is_ascii_digit()));
    }
    for sample in ["2025-12-31", "31.12.25 23:59", "31-Dec-2025", "20251231", "46022", sample] {
        let Some(style) = DateStyle::from_sample(sample) else { continue };
        if let Some(day) = style.read(text) {
            assert_eq!(DateStyle::ISO.read(&day.to_string()), Some(day));
        }
    }
});
