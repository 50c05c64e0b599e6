//! What column names say: their words, how alike two of them are, and what a word means in the languages in
//! which sales data is headed.

use unicode_normalization::UnicodeNormalization;

use super::meanings::{MEANINGS, Meaning};

/// Words that say "this identifies something" and not what.
const MARKS: [&str; 38] = [
    "id",
    "ids",
    "no",
    "nr",
    "num",
    "number",
    "nummer",
    "code",
    "codes",
    "key",
    "ref",
    "reference",
    "cod",
    "codigo",
    "codice",
    "kod",
    "numero",
    "nro",
    "fk",
    "pk",
    "kennung",
    "schluessel",
    "schlussel",
    "cle",
    "clave",
    "chave",
    "kode",
    "kurzel",
    "kuerzel",
    "short",
    "abbr",
    "abk",
    "uid",
    "identifier",
    "idx",
    "index",
    "nbr",
    "numer",
];

/// Endings of one word that say the same: `kundennr`, `artikelnummer`, `productid`.
const MARK_ENDINGS: [&str; 9] = ["nummer", "nr", "number", "code", "num", "key", "id", "no", "cod"];

/// A column name in words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Words {
    /// Those that say what it is about.
    pub(crate) about: Vec<String>,
    /// All of them.
    all: Vec<String>,
    /// Whether one says that it identifies something.
    pub(crate) is_mark: bool,
}

impl Words {
    pub(crate) fn of(column_name: &str) -> Words {
        let all = split(column_name);
        let mut is_mark = false;
        let mut about = Vec::new();
        for word in &all {
            if MARKS.contains(&word.as_str()) {
                is_mark = true;
                continue;
            }
            let ending =
                MARK_ENDINGS.iter().find(|end| word.len() > end.len() + 2 && word.ends_with(**end));
            match ending {
                Some(ending) => {
                    is_mark = true;
                    about.push(word[..word.len() - ending.len()].to_owned());
                }
                None => about.push(word.clone()),
            }
        }
        Words { about, all, is_mark }
    }

    /// What the column name means, as far as a word of it says so.
    pub(crate) fn meanings(&self) -> Vec<Meaning> {
        let means = |list: &[&str]| self.all.iter().any(|word| fits(word, list));
        MEANINGS.iter().filter(|(_, list)| means(list)).map(|(meaning, _)| *meaning).collect()
    }

    pub(crate) fn means(&self, meaning: Meaning) -> bool {
        self.meanings().contains(&meaning)
    }

    /// Of how many pieces a price is that has this name: of ten, a hundred or a thousand.
    pub(crate) fn number(&self) -> Option<u32> {
        let numbers = self.all.iter().filter_map(|word| word.parse().ok());
        numbers.into_iter().find(|number| matches!(number, 10 | 100 | 1000))
    }

    /// How alike two column names are, in percent.
    pub(crate) fn alike(&self, other: &Words) -> u32 {
        alike(&self.about, &other.about)
    }
}

fn fits(word: &str, list: &[&str]) -> bool {
    list.iter().any(|known| match known.strip_suffix('*') {
        Some(start) => word.starts_with(start) || (start.len() >= 5 && word.ends_with(start)),
        None => word == *known,
    })
}

/// The words of a column name: without accents, in lower case, parted at what is no letter and where a small letter is
/// followed by a capital.
fn split(column_name: &str) -> Vec<String> {
    let plain: String = column_name
        .replace('ß', "ss")
        .replace(['ł', 'Ł'], "l")
        .nfkd()
        .filter(|character| !unicode_normalization::char::is_combining_mark(*character))
        .collect();
    let mut words = vec![String::new()];
    let mut before = ' ';
    for character in plain.chars() {
        let parts = !character.is_alphanumeric()
            || (character.is_uppercase() && before.is_lowercase())
            || (character.is_ascii_digit() && before.is_alphabetic());
        if parts {
            words.push(String::new());
        }
        if character.is_alphanumeric()
            && let Some(word) = words.last_mut()
        {
            word.extend(character.to_lowercase());
        }
        before = character;
    }
    words.retain(|word| !word.is_empty());
    words
}

/// How alike the words of two column names are, in percent: of the longer list, the share that has its like in
/// the other.
fn alike(one: &[String], other: &[String]) -> u32 {
    let (short, long) = if one.len() <= other.len() { (one, other) } else { (other, one) };
    if short.is_empty() {
        return 0;
    }
    let best = |word: &String| long.iter().map(|o| word_alike(word, o)).max().unwrap_or(0);
    let sum: u32 = short.iter().map(best).sum();
    let own = sum / short.len() as u32;
    // A word more on one side (`ship_to_customer` and `customer`) takes a little off.
    own.saturating_sub(10 * (long.len() - short.len()) as u32)
}

fn word_alike(one: &str, other: &str) -> u32 {
    let (short, long) = if one.len() <= other.len() { (one, other) } else { (other, one) };
    if short == long {
        return 100;
    }
    // Singular and plural, abbreviations, words put together.
    if short.len() >= 3 && long.starts_with(short) {
        return 90;
    }
    if short.len() >= 4 && (long.ends_with(short) || long.contains(short)) {
        return 80;
    }
    let common = short.bytes().zip(long.bytes()).take_while(|(a, b)| a == b).count();
    if common >= 4 && common * 10 >= short.len() * 7 {
        return 80;
    }
    if short.len() >= 2 && long.len() >= short.len() + 2 && is_drawn_from(short, long) {
        return 65;
    }
    if short.len() >= 5 && strsim::damerau_levenshtein(short, long) <= 1 { 80 } else { 0 }
}

/// Whether a word leaves letters of another out: `cstmr`, `prd`. The first letter stays.
fn is_drawn_from(short: &str, long: &str) -> bool {
    let mut letters = long.chars();
    short.chars().next() == long.chars().next()
        && short.chars().all(|wanted| letters.any(|letter| letter == wanted))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn like(one: &str, other: &str) -> u32 {
        Words::of(one).alike(&Words::of(other))
    }

    #[test]
    fn column_names_are_alike_by_their_words() {
        for (one, other) in [
            ("customer_no", "CustomerNumber"),
            ("Kd-Nr", "KD Nummer"),
            ("kundennr", "Kunden-Nr."),
            ("prod_id", "products"),
            ("código_artículo", "Articulo"),
            ("cust", "customer_id"),
            ("ship_to_customer", "customer_no"),
            ("supplierId", "supplier"),
        ] {
            assert!(like(one, other) >= 60, "{one} {other} {}", like(one, other));
        }
        for (one, other) in
            [("id", "id"), ("name", "status"), ("product_id", "customer_id"), ("qty", "code")]
        {
            assert!(like(one, other) < 60, "{one} {other} {}", like(one, other));
        }
    }

    #[test]
    fn column_names_mean_something_in_several_languages() {
        for (column_name, meaning) in [
            ("Menge (kg)", Meaning::Quantity),
            ("Qté", Meaning::Quantity),
            ("unit_price", Meaning::Price),
            ("Preço unitário", Meaning::Price),
            ("Disc. %", Meaning::Discount),
            ("EK-Preis", Meaning::Cost),
            ("gültig ab", Meaning::From),
            ("valid_to", Meaning::Until),
            ("Bestelldatum", Meaning::Sold),
        ] {
            assert!(Words::of(column_name).means(meaning), "{column_name}");
        }
    }
}
