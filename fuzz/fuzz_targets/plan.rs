//! Any text as a plan with a value in its place, as the path of a link and as a formula: a mistake has a message and a place
//! within the text, and a plan that is read is read again.

#![no_main]

use interligo_model::formula::parse;
use interligo_model::plan::{Mistake, Plan, Written, parse_link_path};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|texts: (&str, &str)| {
    let (text, value) = texts;
    let given = [("period".to_owned(), value.to_owned())];
    for read in [Plan::parse(text), Plan::parse_given(text, &given)] {
        match read {
            Ok(plan) => {
                assert_eq!(plan.in_file, text);
                assert!(Plan::parse(&plan.source).is_ok());
            }
            Err(mistake) => told(&mistake, None),
        }
    }
    let written = Written::in_option("fuzz", text, 0..text.len());
    for mistake in [parse_link_path(&written).err(), parse(&written).err()].into_iter().flatten() {
        told(&mistake, Some(text));
    }
});

/// A mistake says something, of a place that is there.
fn told(mistake: &Mistake, text: Option<&str>) {
    assert!(!mistake.message.is_empty());
    if let (Some(text), Some(span)) = (text, mistake.at.span.as_ref()) {
        assert!(span.end <= text.len(), "{span:?}");
    }
}
