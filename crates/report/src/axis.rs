//! Periods drawn as a line of characters: a character represents some days.

use std::collections::BTreeMap;

use interligo_model::values::date::Day;
use interligo_project::{DayLines, KeyCalendar, Span};

/// The days from the left end to the right.
pub(crate) struct Axis {
    pub(crate) from: Day,
    pub(crate) until: Day,
    width: usize,
}

impl Axis {
    /// An axis over all days that are known of some periods, and some others.
    pub(crate) fn over(spans: impl Iterator<Item = Span>, others: &[Day], width: usize) -> Axis {
        let spans: Vec<Span> = spans.collect();
        let ends = spans.iter().flat_map(|span| [span.from, span.until]).flatten();
        let days: Vec<Day> = ends.chain(others.iter().copied()).collect();
        let from = days.iter().min().copied().unwrap_or(Day(0));
        let until = days.iter().max().copied().unwrap_or(from);
        let until = until.max(Day(from.0.saturating_add(1)));
        Axis { from, until: with_room(from, until, &spans), width }
    }

    /// An axis over the periods of a key and the days of its lines, but for those that can hardly be meant.
    pub(crate) fn of(calendar: &KeyCalendar, width: usize) -> Axis {
        let days: Vec<Day> = calendar.days.keys().copied().filter(|day| !day.is_odd()).collect();
        let spans = calendar.periods.iter().map(|period| period.span);
        Axis::over(spans, &days, width)
    }

    /// The first and the last day, as far apart as the ends.
    pub(crate) fn ends(&self) -> String {
        let (from, until) = (self.from.to_string(), self.until.to_string());
        let room = self.width.saturating_sub(from.len() + until.len()).max(1);
        format!("{from}{}{until}", " ".repeat(room))
    }

    fn days(&self) -> i64 {
        i64::from(self.until.0) - i64::from(self.from.0) + 1
    }

    /// The first and the last day of a character.
    fn days_at(&self, at: usize) -> (Day, Day) {
        let day = |at: usize| i64::from(self.from.0) + at as i64 * self.days() / self.width as i64;
        let first = day(at);
        (Day(first as i32), Day((day(at + 1) - 1).max(first) as i32))
    }

    /// The character in which a day lies.
    pub(crate) fn position_of(&self, day: Day) -> usize {
        let at = (i64::from(day.0) - i64::from(self.from.0)) * self.width as i64 / self.days();
        usize::try_from(at).unwrap_or(0).min(self.width - 1)
    }

    /// Periods: `━` where one holds, `╳` where two do, blank where none does on some day; `┣` where one starts.
    pub(crate) fn bar(&self, spans: &[Span]) -> String {
        let character = |at: usize| {
            let (first, last) = self.days_at(at);
            let holds = |day: Day, span: &&Span| {
                span.from.is_none_or(|from| from <= day)
                    && span.until.is_none_or(|until| day <= until)
            };
            let most = |day: Day| spans.iter().filter(|span| holds(day, span)).count();
            let within = (i64::from(first.0)..=i64::from(last.0))
                .step_by(1 + (last.0 - first.0) as usize / 64);
            let counts: Vec<usize> = within.map(|day| most(Day(day as i32))).collect();
            let starts =
                spans.iter().any(|s| s.from.is_some_and(|from| self.position_of(from) == at));
            match (counts.iter().min(), counts.iter().max()) {
                (_, Some(2..)) => '╳',
                (Some(0), _) => '·',
                _ if starts => '┣',
                _ => '━',
            }
        };
        (0..self.width).map(character).collect()
    }

    /// How many lines lie in each character, and whether some of them have no row.
    pub(crate) fn lines(&self, days: &BTreeMap<Day, DayLines>) -> Vec<DayLines> {
        let mut characters = vec![DayLines::default(); self.width];
        for (day, lines) in days.range(self.from..=self.until) {
            let character = &mut characters[self.position_of(*day)];
            character.found += lines.found;
            character.without += lines.without;
        }
        characters
    }

    /// For how many days some characters stand, at most.
    pub(crate) fn days_of(&self, characters: usize) -> u64 {
        (self.days().max(1).unsigned_abs() * characters as u64).div_ceil(self.width as u64)
    }

    /// Texts that begin where their days lie, as far as there is room.
    pub(crate) fn labels(&self, labels: impl Iterator<Item = (Option<Day>, String)>) -> String {
        self.labels_at(
            labels.map(|(day, label)| (day.map_or(0, |day| self.position_of(day)), label)),
        )
    }

    /// Texts that begin below a character, as far as there is room.
    pub(crate) fn labels_at(&self, labels: impl Iterator<Item = (usize, String)>) -> String {
        let mut line = String::new();
        let mut length = 0;
        for (at, label) in labels {
            if at >= length && at + label.chars().count() <= self.width + 12 {
                line.push_str(&" ".repeat(at - length));
                line.push_str(&label);
                line.push(' ');
                length = at + label.chars().count() + 1;
            }
        }
        line.trim_end().to_owned()
    }
}

/// The last day to be drawn: one that leaves room for periods that have no end.
fn with_room(from: Day, until: Day, spans: &[Span]) -> Day {
    if spans.iter().all(|span| span.until.is_some()) {
        return until;
    }
    Day(until.0.saturating_add((until.0.saturating_sub(from.0) / 8).max(1)))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn span(from: &str, until: &str) -> Span {
        let day = |text: &str| Day::parse(text.as_bytes());
        Span { from: day(from), until: day(until) }
    }

    #[test]
    fn gaps_overlaps_and_starts_are_seen() {
        let spans = [span("2025-01-01", "2025-01-10"), span("2025-01-21", "2025-01-30")];
        let axis = Axis::over(spans.into_iter(), &[], 30);
        assert_eq!(axis.bar(&spans), "┣━━━━━━━━━··········┣━━━━━━━━━");
        assert_eq!(axis.ends(), "2025-01-01          2025-01-30");
        let labels = [(spans[0].from, "1.20".to_owned()), (spans[1].from, "1.30".to_owned())];
        assert_eq!(axis.labels(labels.into_iter()), "1.20                1.30");
        let over = [span("", "2025-01-20"), span("2025-01-15", "")];
        assert_eq!(axis.bar(&over), "━━━━━━━━━━━━━━╳╳╳╳╳╳━━━━━━━━━━");
        // A gap that is shorter than a character is not lost.
        let short = Axis::over([span("2025-01-01", "2025-12-31")].into_iter(), &[], 10);
        let cut = [span("2025-01-01", "2025-06-01"), span("2025-06-03", "2025-12-31")];
        assert!(short.bar(&cut)[3..].contains(['┣', '·']), "{}", short.bar(&cut));
    }
}
