//! Any text as a pattern of names, and any name: it is read or refused, and fits or not.

#![no_main]

use interligo_model::pattern::NamePattern;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|texts: (&str, &str)| {
    let (pattern, name) = texts;
    let Ok(pattern) = NamePattern::parse(pattern) else { return };
    if let Some(slots) = pattern.fit(name) {
        assert_eq!(slots.len(), pattern.slots().count());
        assert!(slots.iter().all(|slot| !slot.is_empty()));
    }
    assert!(pattern.plain().is_none_or(|plain| pattern.fit(plain).is_some()));
});
