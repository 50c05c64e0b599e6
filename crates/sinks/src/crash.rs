//! Crashes on purpose: a build for tests can die after any step of letting files appear, to show that the next command
//! finds all of them or none.

/// The name of the step after which the process is to die.
#[cfg(debug_assertions)]
static LAST_STEP: std::sync::OnceLock<String> = std::sync::OnceLock::new();

/// Lets the process die after a step, as it does when the power goes.
#[cfg(debug_assertions)]
pub fn die_after(step: &str) {
    let _ = LAST_STEP.set(step.to_owned());
}

/// A step is done; nothing else is between this one and the next that could be broken off.
#[cfg(debug_assertions)]
pub fn step(name: &str) {
    if LAST_STEP.get().is_some_and(|last| last == name) {
        std::process::abort();
    }
}

/// A step is done; nothing else is between this one and the next that could be broken off.
#[cfg(not(debug_assertions))]
#[inline(always)]
pub fn step(_: &str) {}
