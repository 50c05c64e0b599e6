//! In what two ways of writing one key differ.

use std::borrow::Cow;

use unicode_normalization::UnicodeNormalization;

use crate::keys::cleaned;

/// In what a key differs from one that may be meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Likeness {
    /// Upper and lower case.
    Case,
    /// White space.
    Spaces,
    /// Full-width and other compatibility forms.
    Width,
    /// Characters that are neither letters nor digits.
    Punctuation,
    /// Zeros before digits.
    LeadingZeros,
    /// Characters that look alike: `O` and `0`, `l` and `1`, a Cyrillic `с` and a Latin `c`.
    LookAlike,
    /// Two neighbours that changed places.
    Swapped,
    /// A character that is missing, too many, or another.
    OneEdit,
    /// The beginning: one is the other with something behind it.
    Prefix,
    /// The end: one is the other with something before it.
    Suffix,
    /// Two characters that are missing, too many, or others.
    TwoEdits,
}

impl Likeness {
    /// Whether it is one of the ways in which the same key is written, rather than a typing error.
    pub fn is_of_writing(self) -> bool {
        matches!(
            self,
            Likeness::Case
                | Likeness::Spaces
                | Likeness::Width
                | Likeness::Punctuation
                | Likeness::LeadingZeros
                | Likeness::LookAlike
        )
    }

    /// All of them, the surest first.
    pub const ALL: [Likeness; 11] = [
        Likeness::Case,
        Likeness::Spaces,
        Likeness::Width,
        Likeness::Punctuation,
        Likeness::LeadingZeros,
        Likeness::LookAlike,
        Likeness::Swapped,
        Likeness::OneEdit,
        Likeness::Prefix,
        Likeness::Suffix,
        Likeness::TwoEdits,
    ];

    /// The word for it on a command line.
    pub fn name(self) -> &'static str {
        match self {
            Likeness::Case => "case",
            Likeness::Spaces => "spaces",
            Likeness::Width => "width",
            Likeness::Punctuation => "punctuation",
            Likeness::LeadingZeros => "leading-zeros",
            Likeness::LookAlike => "look-alike",
            Likeness::Swapped => "swapped",
            Likeness::OneEdit => "one-edit",
            Likeness::Prefix => "prefix",
            Likeness::Suffix => "suffix",
            Likeness::TwoEdits => "two-edits",
        }
    }

    /// The one of that name.
    pub fn called(name: &str) -> Option<Likeness> {
        Likeness::ALL.into_iter().find(|likeness| likeness.name() == name)
    }

    /// The same for reading.
    pub fn words(self) -> &'static str {
        match self {
            Likeness::Case => "case",
            Likeness::Spaces => "spaces",
            Likeness::Width => "width of letters",
            Likeness::Punctuation => "punctuation",
            Likeness::LeadingZeros => "leading zeros",
            Likeness::LookAlike => "look-alike characters",
            Likeness::Swapped => "two neighbours swapped",
            Likeness::OneEdit => "one character differs",
            Likeness::Prefix => "same beginning",
            Likeness::Suffix => "same end",
            Likeness::TwoEdits => "two characters differ",
        }
    }

    /// Whether it is a way of writing the same characters.
    pub fn is_writing(self) -> bool {
        self <= Likeness::LookAlike
    }

    pub(super) fn is_affix(self) -> bool {
        matches!(self, Likeness::Prefix | Likeness::Suffix)
    }
}

/// Stands between the columns of a key.
const BETWEEN: char = '\u{1f}';

/// What a key is when these differences do not count. They are applied in a fixed order.
fn without(key: &str, differences: &[Likeness]) -> String {
    let drops = |likeness| differences.contains(&likeness);
    let mut key: String = cleaned(key).into_owned();
    if drops(Likeness::Width) {
        key = key.nfkc().collect();
    }
    if drops(Likeness::Case) {
        key = folded_case(&key).into_owned();
    }
    if drops(Likeness::LeadingZeros) {
        key = without_zeros(&key);
    }
    key.retain(|character| {
        character.is_alphanumeric()
            || character == BETWEEN
            || !drops(if character.is_whitespace() {
                Likeness::Spaces
            } else {
                Likeness::Punctuation
            })
    });
    if drops(Likeness::LookAlike) {
        key = key.chars().map(plain_sign).collect();
    }
    key
}

/// A key with the forms in which it is compared.
pub(super) struct Form<'k> {
    /// The key itself.
    pub(super) key: &'k str,
    /// The characters on which edits are counted: clean, without case.
    pub(super) folded: Vec<char>,
    /// What it is when no difference in writing counts, with zeros and without.
    pub(super) skeletons: [String; 2],
}

impl<'k> Form<'k> {
    pub(super) fn of(key: &'k str) -> Form<'k> {
        let folded = folded_case(&cleaned(key)).into_owned();
        Form { key, skeletons: skeletons(&folded), folded: folded.chars().collect() }
    }
}

/// The forms of a clean key without case under which keys that differ only in writing meet.
fn skeletons(folded: &str) -> [String; 2] {
    let wide: Cow<'_, str> = match folded.is_ascii() {
        true => folded.into(),
        false => folded_case(&folded.nfkc().collect::<String>()).into_owned().into(),
    };
    let bare = |text: &str| {
        let counts = |character: &char| character.is_alphanumeric() || *character == BETWEEN;
        text.chars().filter(counts).map(plain_sign).collect::<String>()
    };
    [bare(&without_zeros(&wide)), bare(&wide)]
}

/// The differences in writing between two keys; none if they differ in more than that.
pub(super) fn writing(one: &Form<'_>, other: &Form<'_>) -> Option<Vec<Likeness>> {
    let meets = one.skeletons.iter().zip(&other.skeletons).any(|(one, other)| one == other);
    if !meets || one.skeletons[1].chars().all(|character| character == BETWEEN) {
        return None;
    }
    let same =
        |differences: &[Likeness]| without(one.key, differences) == without(other.key, differences);
    let mut differences = Likeness::ALL[..6].to_vec();
    if !same(&differences) {
        differences.retain(|likeness| *likeness != Likeness::LeadingZeros);
        if !same(&differences) {
            return None;
        }
    }
    // What is not needed is no reason; the least sure is tried first.
    for likeness in Likeness::ALL[..6].iter().rev() {
        let rest: Vec<Likeness> = differences.iter().copied().filter(|d| d != likeness).collect();
        if rest.len() < differences.len() && same(&rest) {
            differences = rest;
        }
    }
    (!differences.is_empty()).then_some(differences)
}

fn folded_case(key: &str) -> Cow<'_, str> {
    if key.is_ascii() {
        if key.bytes().any(|character| character.is_ascii_uppercase()) {
            key.to_ascii_lowercase().into()
        } else {
            key.into()
        }
    } else {
        caseless::default_case_fold_str(key).nfc().collect::<String>().into()
    }
}

/// Each run of digits without the zeros before it.
fn without_zeros(key: &str) -> String {
    let mut out = String::with_capacity(key.len());
    let mut characters = key.chars().peekable();
    let mut in_digits = false;
    while let Some(character) = characters.next() {
        let leads =
            character == '0' && !in_digits && characters.peek().is_some_and(char::is_ascii_digit);
        if !leads {
            in_digits = character.is_ascii_digit();
            out.push(character);
        }
    }
    out
}

/// The one of several look-alike characters that represents all of them.
fn plain_sign(character: char) -> char {
    match character {
        'o' | 'O' | 'о' | 'О' | 'ο' | 'Ο' => '0',
        'l' | 'I' | 'i' | '|' | 'і' | 'І' | 'ι' | 'Ι' => '1',
        'z' | 'Z' => '2',
        's' | 'S' | 'ѕ' | 'Ѕ' => '5',
        'G' => '6',
        'B' | 'В' | 'Β' => '8',
        'а' | 'α' => 'a',
        'А' | 'Α' => 'A',
        'с' | 'ϲ' => 'c',
        'С' | 'Ϲ' => 'C',
        'е' => 'e',
        'Е' | 'Ε' => 'E',
        'Н' | 'Η' => 'H',
        'к' | 'κ' => 'k',
        'К' | 'Κ' => 'K',
        'м' => 'm',
        'М' | 'Μ' => 'M',
        'Ν' => 'N',
        'р' | 'ρ' => 'p',
        'Р' | 'Ρ' => 'P',
        'т' | 'τ' => 't',
        'Т' | 'Τ' => 'T',
        'у' => 'y',
        'У' | 'Υ' => 'Y',
        'х' | 'χ' => 'x',
        'Х' | 'Χ' => 'X',
        other => other,
    }
}
