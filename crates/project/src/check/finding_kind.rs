//! What is known of a kind of finding. The kinds themselves are in `finding_kinds`.

/// What settles a finding: lines of a plan, or a command, each with what it does.
pub(super) type Ways = &'static [(&'static str, &'static str)];

/// A kind of finding.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FindingKind {
    /// Its stable name.
    pub name: &'static str,
    /// Whether what was found is settled, and only to be known of.
    pub settled: bool,
    /// When it ends a run by itself; any kind does where `stop-on` names it.
    pub stops: Option<Stopping>,
    /// What it is, in a line.
    pub what: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// What settles it.
    pub ways: Ways,
}

/// When a kind of finding ends a run by itself, and what is to be done then.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stopping {
    /// When, as the rest of a sentence.
    pub when: &'static str,
    /// What to do.
    pub fix: &'static str,
}

/// Former names of kinds, each with the present one.
const RENAMED: [(&str, &str); 13] = [
    ("odd-day", "implausible-date"),
    ("undecided-key", "ambiguous-key"),
    ("lacking-value", "incomplete-row"),
    ("passed-over-key", "skipped-candidate"),
    ("correction-astray", "correction-without-target"),
    ("correction-contradicted", "correction-conflict"),
    ("correction-unneeded", "correction-unused"),
    ("turned-link", "reversed-link"),
    ("misfit-row", "malformed-row"),
    ("blank-mark", "blank-marker"),
    ("missing-heading", "missing-column"),
    ("extra-heading", "extra-column"),
    ("repeated-heading", "duplicate-column"),
];

/// The present name of a kind of finding that was renamed.
///
/// # Examples
/// ```
/// assert_eq!(interligo_project::renamed_kind("odd-day"), Some("implausible-date"));
/// assert_eq!(interligo_project::renamed_kind("implausible-date"), None);
/// ```
pub fn renamed_kind(former: &str) -> Option<&'static str> {
    RENAMED.iter().find(|(name, _)| *name == former).map(|(_, present)| *present)
}

/// Makes the codes and their rows of one table.
macro_rules! kinds {
    ($($code:ident { name: $name:literal, settled: $settled:literal, stops: $stops:expr, what: $what:literal, why: $why:literal, ways: $ways:expr $(,)? })*) => {
        /// What kind of thing was found.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code {
            $(#[doc = concat!("`", $name, "`: ", $what, ".")] $code,)*
        }

        impl Code {
            /// All of them.
            pub const ALL: &'static [Code] = &[$(Code::$code),*];

            /// The row of the code.
            pub const fn kind(self) -> &'static FindingKind {
                match self {
                    $(Code::$code => &FindingKind {
                        name: $name,
                        settled: $settled,
                        stops: $stops,
                        what: $what,
                        why: $why,
                        ways: $ways,
                    },)*
                }
            }
        }
    };
}

pub(super) use kinds;
