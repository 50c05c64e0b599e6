//! Made-up sales lines: the same number always gives the same lines. The faults in them are sown on
//! purpose and listed in the demo's README.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::Path;

use super::book::Book;
use super::line::{Line, Order};

const YEARS: [u32; 2] = [2024, 2025];
const HEADER: [&str; 7] =
    ["order_no", "line_no", "sold_on", "item", "customer_no", "quantity", "Disc. %"];
const DISCOUNTS: [&str; 8] = ["0", "0", "0", "0", "2.5 %", "5 %", "10 %", "12.5 %"];

/// How a depot writes its sales.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Way {
    /// A row for each line: commas, 2.5, 2025-12-31.
    Plain,
    /// Semicolons, 2,5 and 31/12/2025, with a title and a total.
    Abroad,
    /// A row for each order, with its items in one cell.
    Receipts,
}

const DEPOTS: [(&str, Way); 3] =
    [("corvo", Way::Plain), ("salgado", Way::Abroad), ("tilia", Way::Receipts)];

/// The depot that keeps its sales in workbooks. It is the smallest: one line in ten, as far as sheets go.
const BOOKS: &str = "zimbro";
const MOST_IN_BOOKS: u64 = 20_000;

/// How many lines at the end of Corvo's last file were delivered before.
const REPEATED: usize = 5;

/// Codes that the product list does not have.
const UNKNOWN: [&str; 3] = ["HV-404", "MX-900", "FR-999"];
/// Codes of two products as somebody typed them: with letters for digits.
const MISTYPED: [&str; 2] = ["BO-11O", "QU-l17"];
/// A customer that the list of customers does not have.
const GONE: &str = "1999";
/// A product without a price from 1 to 23 March 2025.
const UNPRICED: &str = "SY-117";

/// How many lines a depot sells in the year after, if it goes on as in January.
const IN_A_YEAR: u64 = 450;
/// A line of December that comes in with those of January.
const LATE: &str = "202502000900,1,2025-12-29,BO-110,1057,12,5 %";

/// A generator of numbers that look like chance (splitmix64, by S. Vigna; public domain).
struct Chance(u64);

impl Chance {
    fn below(&mut self, bound: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((u128::from(z ^ (z >> 31)) * bound as u128) >> 64) as usize
    }
}

/// Writes `lines` sales lines in a file or workbook for each depot and year, and a draft that does not belong.
pub(super) fn write(
    folder: &Path,
    lines: u64,
    skus: &[&str],
    customers: &[&str],
) -> io::Result<()> {
    let in_books = (lines / 10).min(MOST_IN_BOOKS);
    let lines = lines - in_books;
    let files = (DEPOTS.len() * YEARS.len()) as u64;
    let all = DEPOTS.iter().flat_map(|depot| YEARS.iter().map(move |year| (depot, *year)));
    for (number, ((depot, way), year)) in (0..).zip(all) {
        let count = lines / files + u64::from(number < lines % files);
        let file = File::create(folder.join(format!("{depot}_{year}.csv")))?;
        let mut out =
            Writer { out: BufWriter::new(file), way: *way, quantity: 0, first: Vec::new() };
        out.begin(depot, year)?;
        let lines = Lines { file: number, year, count };
        write_orders(&lines, skus, customers, |order, sold| out.order(order, sold))?;
        out.end(*way == Way::Plain && year == YEARS[1])?;
    }
    for (number, year) in (files..).zip(YEARS) {
        let count = in_books / 2 + u64::from(year == YEARS[0]) * (in_books % 2);
        let mut book = Book::new(&folder.join(format!("{BOOKS}_{year}.xlsx")), &HEADER)?;
        let lines = Lines { file: number, year, count };
        write_orders(&lines, skus, customers, |order, sold| book.order(order, sold))?;
        book.end()?;
    }
    let draft = format!("{}\nDRAFT-1,1,2025-12-31,BO-110,1001,999,0\n", HEADER.join(","));
    std::fs::write(folder.join("draft_corvo_2025.csv"), draft)
}

/// Writes what comes in after a month: a file of each depot with the sales of January of the year after, and in that of Corvo
/// a line of December that is late.
pub(super) fn write_next_month(folder: &Path, skus: &[&str], customers: &[&str]) -> io::Result<()> {
    let year = YEARS[1] + 1;
    let first = ((DEPOTS.len() + 1) * YEARS.len()) as u64;
    let january = |file| Lines { file, year, count: IN_A_YEAR };
    for (file, (depot, way)) in (first..).zip(DEPOTS) {
        let file_of_depot = File::create(folder.join(format!("{depot}_{year}.csv")))?;
        let mut out =
            Writer { out: BufWriter::new(file_of_depot), way, quantity: 0, first: Vec::new() };
        out.begin(depot, year)?;
        write_orders(&january(file), skus, customers, |order, sold| match order.day {
            (_, 1, _) => out.order(order, sold),
            _ => Ok(()),
        })?;
        if way == Way::Plain {
            writeln!(out.out, "{LATE}")?;
        }
        out.end(false)?;
    }
    let mut book = Book::new(&folder.join(format!("{BOOKS}_{year}.xlsx")), &HEADER)?;
    let file = first + DEPOTS.len() as u64;
    write_orders(&january(file), skus, customers, |order, sold| match order.day {
        (_, 1, _) => book.order(order, sold),
        _ => Ok(()),
    })?;
    book.end()
}

/// The lines of one file.
struct Lines {
    file: u64,
    year: u32,
    count: u64,
}

/// A file of a depot, written in its way.
struct Writer {
    out: BufWriter<File>,
    way: Way,
    quantity: i64,
    /// The first lines, to be delivered again.
    first: Vec<String>,
}

impl Writer {
    fn begin(&mut self, depot: &str, year: u32) -> io::Result<()> {
        match self.way {
            Way::Plain => writeln!(self.out, "{}", HEADER.join(",")),
            Way::Abroad => {
                let depot = depot[..1].to_uppercase() + &depot[1..];
                writeln!(self.out, "Depot {depot}, sales of {year};;;;;;\n;;;;;;")?;
                writeln!(self.out, "{}", HEADER.join(";"))
            }
            Way::Receipts => {
                writeln!(self.out, "order_no,sold_on,customer_no,items,quantities,Disc. %")
            }
        }
    }

    fn order(&mut self, order: &Order<'_>, lines: &[Line]) -> io::Result<()> {
        let (year, month, day) = order.day;
        let plain_day = format!("{year}-{month:02}-{day:02}");
        let (number, customer) = (&order.number, order.customer);
        if self.way == Way::Receipts {
            let joined =
                |cell: fn(&Line) -> String| lines.iter().map(cell).collect::<Vec<_>>().join("|");
            let items = joined(|line| line.item.clone());
            let quantities = joined(|line| format!("{}{}", line.quantity, line.unit));
            let discounts = joined(|line| line.discount.to_owned());
            let row = format!("{number},{plain_day},{customer},{items},{quantities},{discounts}");
            return writeln!(self.out, "{row}");
        }
        for (position, line) in (1..).zip(lines) {
            let Line { item, quantity, unit, discount, note } = line;
            self.quantity += quantity;
            let row = match self.way {
                Way::Abroad => {
                    let discount = discount.replace('.', ",");
                    format!(
                        "{number};{position};{day:02}/{month:02}/{year};{item};{customer};{quantity}{unit};{discount}{note}"
                    )
                }
                _ => format!(
                    "{number},{position},{plain_day},{item},{customer},{quantity}{unit},{discount}{note}"
                ),
            };
            writeln!(self.out, "{row}")?;
            if self.first.len() < REPEATED {
                self.first.push(row);
            }
        }
        Ok(())
    }

    fn end(mut self, again: bool) -> io::Result<()> {
        if self.way == Way::Abroad {
            writeln!(self.out, ";;;;;;\nTotal;;;;;{};", self.quantity)?;
        }
        if again {
            self.first.iter().try_for_each(|row| writeln!(self.out, "{row}"))?;
        }
        self.out.flush()
    }
}

fn write_orders(
    lines: &Lines,
    skus: &[&str],
    customers: &[&str],
    mut write: impl FnMut(&Order<'_>, &[Line]) -> io::Result<()>,
) -> io::Result<()> {
    let Lines { file, year, count: lines } = *lines;
    let mut chance = Chance(20_250_101 + file);
    let (mut line, mut order) = (0, 0u64);
    while line < lines {
        order += 1;
        let day = (line * days_in(year) / lines) as u32;
        let (month, day_of_month) = month_and_day(year, day);
        let customer = match order {
            _ if order % 61 == 7 => GONE,
            _ if order % 53 == 11 => "",
            _ => customers[chance.below(customers.len())],
        };
        let in_order = (1 + chance.below(6) as u64).min(lines - line);
        let mut sold = Vec::new();
        for _ in 0..in_order {
            let unpriced_days = year == 2025 && month == 3 && day_of_month < 24;
            let item = match line {
                _ if line % 331 == 17 => {
                    UNKNOWN[(line / 331 + file) as usize % UNKNOWN.len()].to_owned()
                }
                _ if file == 2 && line % 173 == 60 => {
                    chance.below(skus.len());
                    MISTYPED[(line / 173 % 2) as usize].to_owned()
                }
                _ if line % 97 == 5 => format!(" {} ", skus[chance.below(skus.len())]),
                _ if line % 149 == 40 => skus[chance.below(skus.len())].to_lowercase(),
                _ if unpriced_days && line % 13 == 0 => UNPRICED.to_owned(),
                _ => {
                    let item = skus[chance.below(skus.len())];
                    // Without a price only where that is meant.
                    if unpriced_days && item == UNPRICED { skus[0] } else { item }.to_owned()
                }
            };
            let most = if chance.below(12) == 0 { 120 } else { 12 };
            let mut quantity = 1 + chance.below(most) as i64;
            if chance.below(80) == 0 {
                quantity = -quantity;
            }
            sold.push(Line {
                item,
                quantity,
                unit: if file == 0 && line == 200 { " pcs" } else { "" },
                discount: DISCOUNTS[chance.below(DISCOUNTS.len())],
                note: if file == 0 && line == 100 { ",call back" } else { "" },
            });
            line += 1;
        }
        let number = format!("{year}{:02}{order:06}", file + 1);
        write(&Order { number, day: (year, month, day_of_month), customer }, &sold)?;
    }
    Ok(())
}

fn days_in(year: u32) -> u64 {
    if year.is_multiple_of(4) { 366 } else { 365 }
}

fn month_and_day(year: u32, mut day: u32) -> (u32, u32) {
    let february = if days_in(year) == 366 { 29 } else { 28 };
    for (number, length) in
        [31, february, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31].into_iter().enumerate()
    {
        if day < length {
            return (number as u32 + 1, day + 1);
        }
        day -= length;
    }
    (12, 31)
}
