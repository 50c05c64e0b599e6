//! Numbers as people read them.

/// Thousands in groups: `-1234567.5` becomes `-1,234,567.5`.
pub fn grouped(number: &str) -> String {
    let (sign, rest) = match number.strip_prefix('-') {
        Some(rest) => ("-", rest),
        None => ("", number),
    };
    let (whole, fraction) = match rest.split_once('.') {
        Some((whole, fraction)) => (whole, format!(".{fraction}")),
        None => (rest, String::new()),
    };
    let mut groups = String::new();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at).is_multiple_of(3) {
            groups.push(',');
        }
        groups.push(digit);
    }
    format!("{sign}{groups}{fraction}")
}

/// `1 line`, `3,000 lines`.
pub fn counted(count: u64, what: &str) -> String {
    let ending = if count == 1 { "" } else { "s" };
    format!("{} {what}{ending}", grouped(&count.to_string()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn thousands_are_in_groups() {
        for (number, shown) in
            [("0", "0"), ("999", "999"), ("1000", "1,000"), ("-1234567.501", "-1,234,567.501")]
        {
            assert_eq!(grouped(number), shown);
        }
        assert_eq!([counted(1, "line"), counted(2_756, "line")], ["1 line", "2,756 lines"]);
    }
}
