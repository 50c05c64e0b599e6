//! The kinds of mistakes in plans and options, each with a name that stays.

/// What kind of mistake it is.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum MistakeKind {
    /// A plan, formula or path is not written as such.
    Syntax,
    /// A section of the plan has no such key, or the key takes no such value.
    UnknownKey,
    /// There is no table, column, figure, function or finding of that name here.
    UnknownName,
    /// A name may mean several things.
    AmbiguousName,
    /// Two things would have one name.
    DuplicateName,
    /// No link leads from one table to another.
    NoLink(Box<Unlinked>),
    /// Links, figures or sums build on themselves.
    Circle,
    /// A value has another type than is needed.
    WrongType,
    /// A setting does not take this value.
    WrongValue,
    /// A function does not take these arguments.
    WrongArguments,
    /// Something that has a meaning elsewhere, and none here.
    WrongPlace,
    /// Two settings contradict each other.
    ConflictingSettings,
    /// A setting needs another beside it.
    MissingSetting,
    /// A setting that has no effect here.
    NoEffect,
    /// A sum over lines says nothing.
    NoTotal,
    /// A number needs more than 38 digits.
    Overflow,
    /// More than Interligo takes.
    TooLarge,
    /// An output would be written over something that is read, or over another output.
    Overwrites,
    /// No output can be written in this form.
    UnknownForm,
    /// No file is where a pattern looks.
    NoSuchFile,
    /// Values can be read in two ways.
    OpenFormat,
    /// A password is in the plan.
    PasswordInPlan,
    /// The plan is not UTF-8.
    NotText,
    /// No table was found to draft a plan from.
    NoTables,
}

/// Two tables that no link joins.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unlinked {
    /// The table that is asked.
    pub from: String,
    /// The one that has what is asked for.
    pub to: String,
}

impl MistakeKind {
    /// The name, which stays: `plan.` and the kind.
    pub fn code(&self) -> &'static str {
        match self {
            MistakeKind::Syntax => "plan.syntax",
            MistakeKind::UnknownKey => "plan.unknown-key",
            MistakeKind::UnknownName => "plan.unknown-name",
            MistakeKind::AmbiguousName => "plan.ambiguous-name",
            MistakeKind::DuplicateName => "plan.duplicate-name",
            MistakeKind::NoLink(_) => "plan.no-link",
            MistakeKind::Circle => "plan.circle",
            MistakeKind::WrongType => "plan.wrong-type",
            MistakeKind::WrongValue => "plan.wrong-value",
            MistakeKind::WrongArguments => "plan.wrong-arguments",
            MistakeKind::WrongPlace => "plan.wrong-place",
            MistakeKind::ConflictingSettings => "plan.conflicting-settings",
            MistakeKind::MissingSetting => "plan.missing-setting",
            MistakeKind::NoEffect => "plan.no-effect",
            MistakeKind::NoTotal => "plan.no-total",
            MistakeKind::Overflow => "plan.overflow",
            MistakeKind::TooLarge => "plan.too-large",
            MistakeKind::Overwrites => "plan.overwrites",
            MistakeKind::UnknownForm => "plan.unknown-form",
            MistakeKind::NoSuchFile => "plan.no-such-file",
            MistakeKind::OpenFormat => "plan.open-format",
            MistakeKind::PasswordInPlan => "plan.password",
            MistakeKind::NotText => "plan.not-text",
            MistakeKind::NoTables => "plan.no-tables",
        }
    }
}
