//! Numbers as people write amounts: with a currency mark before or behind, a minus before or behind,
//! or in parentheses for less than nothing.

use crate::reading::style::NumberStyle;
use crate::values::decimal::Decimal;

/// A number with the currency that is beside it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Amount<'t> {
    /// The number.
    pub number: Decimal,
    /// The currency mark, in its common form: the code of ISO 4217 where a sign has just one.
    pub currency: Option<&'t str>,
}

/// Currency codes (ISO 4217), sorted, and local marks that are taken for what they are; other letters
/// beside a number are units, and a number with a unit is none.
const CODES: [&str; 41] = [
    "AED", "ARS", "AUD", "BGN", "BRL", "CAD", "CHF", "CLP", "CNY", "COP", "CZK", "DKK", "EGP",
    "EUR", "GBP", "HKD", "HUF", "IDR", "ILS", "INR", "ISK", "JPY", "KRW", "MAD", "MXN", "MYR",
    "NOK", "NZD", "PEN", "PHP", "PLN", "RON", "RSD", "SAR", "SEK", "SGD", "THB", "TRY", "UAH",
    "USD", "ZAR",
];
const LOCAL: [&str; 3] = ["kr", "zł", "Fr."];

/// The most letters that a mark has.
const LETTERS: usize = 3;

/// The currency that the format of a cell shows beside its number: `#,##0.00 [$€-407]`, `"USD" 0`. Of the four parts of a
/// format, those for negative and other numbers show the same.
pub fn currency_of_format(format: &str) -> Option<String> {
    let first = format.split(';').next().unwrap_or(format);
    // What is quoted, and what is between `[$` and `-` or `]`, is shown as it is; colours and conditions are not.
    let mut shown = String::new();
    let mut rest = first;
    while let Some(next) = rest.chars().next() {
        if let Some(inner) = rest.strip_prefix("[$") {
            let end = inner.find(']').unwrap_or(inner.len());
            shown += inner[..end].split('-').next().unwrap_or_default();
            rest = inner.get(end + 1..).unwrap_or_default();
        } else if let Some(inner) = rest.strip_prefix('[') {
            rest = inner.split_once(']').map_or("", |(_, behind)| behind);
        } else {
            rest = &rest[next.len_utf8()..];
            match next {
                '"' | '\\' => {}
                // Room for the next character, or that character as often as there is room.
                '_' | '*' => {
                    rest = rest
                        .get(rest.chars().next().map_or(0, char::len_utf8)..)
                        .unwrap_or_default()
                }
                _ => shown.push(next),
            }
        }
    }
    let is_digit = |c: char| matches!(c, '#' | '0' | '?' | ',' | '.' | '\'' | ' ' | '\u{a0}');
    let mark = shown.trim_matches(is_digit);
    bare(&format!("{mark} 1"))?.currency.map(str::to_owned)
}

/// The digits of a number with their marks, without what may stand around them.
pub fn digits(text: &str) -> Option<&str> {
    bare(text).map(|bare| bare.digits)
}

/// What is left of a text once currency mark, minus and parentheses are gone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Bare<'t> {
    /// The digits with their marks.
    digits: &'t str,
    /// Whether the number is less than nothing.
    negative: bool,
    currency: Option<&'t str>,
    /// Whether a dash in the place of the cents says that there are none.
    no_cents: bool,
}

/// The digits of `5.-` and `5,--`, in which a dash represents no cents.
fn without_cents(text: &str) -> Option<&str> {
    let less = text.trim_end_matches(['-', '\u{2013}', '\u{2014}']);
    let whole = less.strip_suffix(['.', ',']).filter(|_| less.len() < text.len())?;
    let in_number =
        |c: char| c.is_ascii_digit() || matches!(c, '.' | ',' | '\'' | '\u{2019}' | ' ');
    let is_number = whole.ends_with(|c: char| c.is_ascii_digit()) && whole.chars().all(in_number);
    is_number.then_some(whole)
}

/// Strips a text of what may stand around a number.
fn bare(text: &str) -> Option<Bare<'_>> {
    let mut rest = text.trim();
    // The common case, without a look at anything else.
    if rest.bytes().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b',')) {
        return Some(Bare { digits: rest, negative: false, currency: None, no_cents: false });
    }
    // No mark has more letters.
    if rest.bytes().filter(u8::is_ascii_alphabetic).nth(LETTERS).is_some() {
        return None;
    }
    let ends = [rest.as_bytes().first(), rest.as_bytes().last()];
    let stands_out =
        |b: &u8| b.is_ascii_alphabetic() || matches!(b, b'$' | b'.' | b'(') || *b > 127;
    if !ends.into_iter().flatten().any(|b| stands_out(b) || matches!(b, b'-' | b')')) {
        return Some(Bare { digits: rest, negative: false, currency: None, no_cents: false });
    }
    let mut negative = false;
    let mut currency = None;
    loop {
        if let Some(whole) = without_cents(rest) {
            return Some(Bare { digits: whole, negative, currency, no_cents: true });
        }
        // A dash behind a decimal mark is no minus.
        let behind = || rest.strip_suffix(is_minus).filter(|less| !less.ends_with(['.', ',', '-']));
        let minus = rest.strip_prefix(is_minus).or_else(behind);
        let enclosed = rest.strip_prefix('(').and_then(|rest| rest.strip_suffix(')'));
        if let Some(less) = minus.or(enclosed) {
            if negative {
                return None;
            }
            (negative, rest) = (true, less.trim());
        } else if let Some((mark, less)) = mark_before(rest).or_else(|| mark_behind(rest)) {
            if currency.is_some() {
                return None;
            }
            (currency, rest) = (Some(common_form(mark)), less.trim());
        } else {
            return Some(Bare { digits: rest, negative, currency, no_cents: false });
        }
    }
}

/// The number that a text says, in a style.
pub fn read(text: &str, style: NumberStyle) -> Option<Amount<'_>> {
    let Bare { digits, negative, currency, no_cents } = bare(text)?;
    if negative && digits.starts_with('+') {
        return None;
    }
    let number = style.read(digits)?;
    let number = if no_cents { number.with_places(2)? } else { number };
    let number = if negative { number.checked_neg()? } else { number };
    Some(Amount { number, currency })
}

fn is_minus(sign: char) -> bool {
    matches!(sign, '-' | '\u{2212}')
}

fn is_currency_sign(sign: char) -> bool {
    matches!(
        sign,
        '$' | '¢' | '£' | '¤' | '¥' | '฿' | '៛' | '\u{20A0}'..='\u{20CF}' | '＄' | '￡' | '￥'
    )
}

fn mark_before(text: &str) -> Option<(&str, &str)> {
    // `R$` and `US$`: up to two letters before a sign.
    let letters = text.bytes().take(2).take_while(u8::is_ascii_uppercase).count();
    let sign = text[letters..].chars().next().filter(|sign| is_currency_sign(*sign));
    if let Some(sign) = sign {
        return Some(text.split_at(letters + sign.len_utf8()));
    }
    let code = text.get(..3).filter(|code| CODES.binary_search(code).is_ok());
    let mark = code.or_else(|| LOCAL.into_iter().find(|mark| text.starts_with(mark)))?;
    Some(text.split_at(mark.len()))
}

fn mark_behind(text: &str) -> Option<(&str, &str)> {
    let sign = text.chars().next_back().filter(|sign| is_currency_sign(*sign));
    let code = |start: &usize| text.get(*start..).is_some_and(|c| CODES.binary_search(&c).is_ok());
    let length = match sign {
        Some(sign) => sign.len_utf8(),
        None if text.len().checked_sub(3).is_some_and(|start| code(&start)) => 3,
        None => LOCAL.iter().find(|mark| text.ends_with(**mark))?.len(),
    };
    let (rest, mark) = text.split_at(text.len() - length);
    Some((mark, rest))
}

fn common_form(mark: &str) -> &str {
    match mark {
        "€" => "EUR",
        "£" => "GBP",
        "zł" => "PLN",
        mark => mark,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_sorted_so_that_they_are_found() {
        assert!(CODES.is_sorted());
    }

    #[test]
    fn formats_of_cells_show_currencies() {
        for (format, currency) in [
            ("#,##0.00 [$€-407]", Some("EUR")),
            ("\"USD\" #,##0.00", Some("USD")),
            ("#,##0.00\\ \"CHF\";[Red]-#,##0.00\\ \"CHF\"", Some("CHF")),
            ("[$$-409]#,##0", Some("$")),
            ("_-* #,##0.00 €_-", Some("EUR")),
            ("0.00", None),
            ("0 \"kg\"", None),
            ("General", None),
            ("[Red]0.0", None),
        ] {
            assert_eq!(currency_of_format(format).as_deref(), currency, "{format}");
        }
    }

    #[test]
    fn marks_and_characters_around_a_number_are_read() {
        let plain = NumberStyle::PLAIN;
        let comma = NumberStyle::from_sample("1.234,56").unwrap();
        for (style, text, number, currency) in [
            (plain, "12.50", Some("12.50"), None),
            (plain, "€ 12.50", Some("12.50"), Some("EUR")),
            (comma, "1.234,50 €", Some("1234.50"), Some("EUR")),
            (plain, "-EUR 3", Some("-3"), Some("EUR")),
            (plain, "R$-3", Some("-3"), Some("R$")),
            (plain, "(4.25)", Some("-4.25"), None),
            (plain, "($4.25)", Some("-4.25"), Some("$")),
            (plain, "£ (4)", Some("-4"), Some("GBP")),
            (plain, "(5) EUR", Some("-5"), Some("EUR")),
            (comma, "5,00-€", Some("-5.00"), Some("EUR")),
            (plain, "5.-", Some("5.00"), None),
            (plain, "CHF 12.-", Some("12.00"), Some("CHF")),
            (comma, "5,-", Some("5.00"), None),
            (comma, "-1.250,-- €", Some("-1250.00"), Some("EUR")),
            (plain, "(5.-)", Some("-5.00"), None),
            (plain, ".-", None, None),
            (comma, "5,00-", Some("-5.00"), None),
            (plain, "\u{2212}7", Some("-7"), None),
            (plain, "120 kr", Some("120"), Some("kr")),
            (plain, "--5", None, None),
            (plain, "-5-", None, None),
            (plain, "-+5", None, None),
            (plain, "(-5)", None, None),
            (plain, "€ 5 €", None, None),
            (plain, "12 kg", None, None),
            (plain, "EUR", None, None),
            (plain, "()", None, None),
        ] {
            let amount = read(text, style);
            assert_eq!(amount.map(|a| a.number.to_string()).as_deref(), number, "{text}");
            assert_eq!(amount.and_then(|a| a.currency), currency, "{text}");
        }
    }
}
