//! Folders as companies have them, made up by a few choices: files in a language, and what is true of them.

use std::collections::BTreeMap;
use std::fmt::Write;

use super::choices::{Choices, Discount, ItemsIn, Keys, Parts, Prices, Second, Unit};
use super::language::{FileOf, Language, Title};

/// What kind of link one is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum LinkKind {
    Plain,
    Chained,
    Role,
    Dated,
    Wide,
}

/// A link that is true: columns of a file, and those of another that they lead to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct TrueLink {
    pub(crate) kind: LinkKind,
    pub(crate) from: (String, Vec<String>),
    pub(crate) to: (String, Vec<String>),
}

/// A folder, and what is true of it.
#[derive(Debug, Default)]
pub(crate) struct World {
    pub(crate) files: BTreeMap<String, Vec<u8>>,
    pub(crate) links: Vec<TrueLink>,
    pub(crate) facts: Vec<String>,
    pub(crate) lookups: Vec<String>,
    /// Files that are one table.
    pub(crate) together: Vec<Vec<String>>,
    /// What the lines come to, in ten thousandths.
    pub(crate) revenue: i64,
}

/// Numbers that look as if by chance, the same each time.
pub(super) struct Dice(u64);

impl Dice {
    pub(super) fn below(&mut self, most: u64) -> u64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % most
    }
}

/// A table on its way to a file.
pub(super) struct Sheet {
    pub(super) titles: Vec<String>,
    pub(super) rows: Vec<Vec<String>>,
}

pub(super) const PRODUCTS: usize = 60;
pub(super) const CUSTOMERS: usize = 45;
pub(super) const LINES: usize = 600;
pub(super) const STORES: [&str; 4] = ["North", "South", "Harbour", "Mill"];

pub(super) struct Maker<'c> {
    pub(super) choices: &'c Choices,
    pub(super) language: Language,
    pub(super) dice: Dice,
    pub(super) world: World,
}

/// The folder of some choices.
pub(crate) fn world(choices: &Choices) -> World {
    let language = super::language::languages().swap_remove(choices.language);
    let dice = Dice(
        choices
            .name
            .bytes()
            .fold(7_u64, |seed, byte| seed.wrapping_mul(31).wrapping_add(u64::from(byte))),
    );
    let mut maker = Maker { choices, language, dice, world: World::default() };
    maker.make();
    maker.world
}

/// A sale.
pub(super) struct Line {
    pub(super) day: i64,
    pub(super) item: usize,
    pub(super) customer: usize,
    pub(super) payer: usize,
    pub(super) store: usize,
    pub(super) quantity: i64,
    /// Percent.
    pub(super) discount: i64,
}

impl Maker<'_> {
    pub(super) fn title(&self, title: Title) -> String {
        match (self.choices.keys, title) {
            (Keys::ById, Title::Item) => format!("{}_id", self.language.file(FileOf::Products)),
            (Keys::ById, Title::Customer) => {
                format!("{}_id", self.language.file(FileOf::Customers))
            }
            _ => self.language.title(title).to_owned(),
        }
    }

    pub(super) fn file(&self, of: FileOf) -> String {
        format!("{}.csv", self.language.file(of))
    }

    /// A number of hundredths.
    pub(super) fn money(&self, cents: i64) -> String {
        let point = if self.language.has_commas { ',' } else { '.' };
        format!("{}{point}{:02}", cents / 100, cents % 100)
    }

    /// What the column of prices is called.
    pub(super) fn price_title(&self) -> String {
        let own = self.title(Title::Price);
        match self.choices.unit {
            Unit::One => own,
            Unit::Hundred => format!("{own} / 100"),
            Unit::Cents => format!("{own} (cents)"),
        }
    }

    /// A price as it is written, of a number of hundredths.
    pub(super) fn priced(&self, cents: i64) -> String {
        match self.choices.unit {
            Unit::One => self.money(cents),
            Unit::Hundred => self.money(cents * 100),
            Unit::Cents => cents.to_string(),
        }
    }

    /// A key as lines write it.
    pub(super) fn of_line(&self, key: String) -> String {
        let key = if self.choices.case { key.to_lowercase() } else { key };
        match self.choices.zeros {
            true => key.trim_start_matches('0').to_owned(),
            false => key,
        }
    }

    /// Days after the first of January 2024, as the language writes them.
    pub(super) fn day(&self, after: i64) -> String {
        let lengths = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
        let (mut year, mut rest) = (2024, after);
        if rest >= 366 {
            (year, rest) = (2025, rest - 366);
        }
        let mut month = 0;
        while rest >= lengths[month] - i64::from(year == 2025 && month == 1) {
            rest -= lengths[month] - i64::from(year == 2025 && month == 1);
            month += 1;
        }
        let (month, day) = (month + 1, rest + 1);
        match self.language.day {
            '-' => format!("{year}-{month:02}-{day:02}"),
            sign => format!("{day:02}{sign}{month:02}{sign}{year}"),
        }
    }

    pub(super) fn item(&self, number: usize) -> String {
        let prefix = ["BO", "FD", "HV", "SM", "QR"][number % 5];
        match self.choices.keys {
            Keys::Codes => format!("{prefix}-{}", 110 + number * 7),
            Keys::Padded => format!("{:05}", 400 + number * 13),
            Keys::Small | Keys::ById => (number + 1).to_string(),
            Keys::Numbers => (20_417 + number * 37).to_string(),
        }
    }

    pub(super) fn price(&self, item: usize, day: i64) -> i64 {
        let base = 350 + (item as i64 * 137) % 4200;
        match self.choices.prices {
            Prices::OnLines | Prices::InProducts => base,
            Prices::Quarters => base + 25 * quarter(day),
            _ => base + 25 * (day / 91),
        }
    }

    pub(super) fn cost(&self, item: usize, store: usize, day: i64) -> i64 {
        let base = 200 + (item as i64 * 89) % 2000;
        match (self.choices.by_store, self.choices.dated_costs) {
            (true, _) => base + 10 * store as i64,
            (_, true) => base + 15 * (day / 120),
            _ => base,
        }
    }

    /// What the key of a lookup is called that lines name by its number.
    pub(super) fn own_key(&self, own: Title, other: &str) -> String {
        if self.choices.keys == Keys::ById { "id".to_owned() } else { self.key_title(own, other) }
    }

    pub(super) fn key_title(&self, own: Title, other: &str) -> String {
        if self.choices.same_titles { self.title(own) } else { other.to_owned() }
    }

    pub(super) fn put(&mut self, file: &str, sheet: Sheet) {
        let separator = if self.language.has_commas { ';' } else { ',' };
        let mut text = String::new();
        for row in std::iter::once(&sheet.titles).chain(&sheet.rows) {
            let cells: Vec<String> =
                row.iter()
                    .map(|cell| {
                        if cell.contains(separator) { format!("\"{cell}\"") } else { cell.clone() }
                    })
                    .collect();
            let _ = writeln!(text, "{}", cells.join(&separator.to_string()));
        }
        let bytes = match self.choices.encoding {
            None => text.into_bytes(),
            Some(label) => {
                let encoding = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap();
                encoding.encode(&text).0.into_owned()
            }
        };
        self.world.files.insert(file.to_owned(), bytes);
    }

    pub(super) fn link(&mut self, kind: LinkKind, from: (&str, &[&str]), to: (&str, &[&str])) {
        let item = self.title(Title::Item);
        if self.choices.items_in == ItemsIn::TwoColumns
            && self.world.facts.first().is_some_and(|sales| *sales == from.0)
            && from.1 == [item.as_str()]
        {
            self.add_link(kind, (from.0, &[&self.second_item()]), to);
        }
        self.add_link(kind, from, to);
    }

    /// What the second column of items is called.
    fn second_item(&self) -> String {
        format!("{}_2", self.title(Title::Item))
    }

    fn add_link(&mut self, kind: LinkKind, from: (&str, &[&str]), to: (&str, &[&str])) {
        let owned = |(file, columns): (&str, &[&str])| {
            (file.to_owned(), columns.iter().map(|column| (*column).to_owned()).collect())
        };
        self.world.links.push(TrueLink { kind, from: owned(from), to: owned(to) });
    }

    pub(super) fn make(&mut self) {
        let lines: Vec<Line> = (0..LINES).map(|_| self.line()).collect();
        self.sales(&lines);
        self.products();
        self.customers();
        if self.choices.chain >= 1 {
            self.groups();
        }
        self.prices();
        self.costs();
        match self.choices.second {
            Second::None => {}
            Second::Returns => self.returns(&lines),
            Second::Budget => self.budget(),
        }
    }

    pub(super) fn line(&mut self) -> Line {
        let day = self.dice.below(700) as i64;
        Line {
            day,
            item: self.dice.below(PRODUCTS as u64) as usize,
            customer: self.dice.below(CUSTOMERS as u64) as usize,
            payer: self.dice.below(CUSTOMERS as u64) as usize,
            store: self.dice.below(STORES.len() as u64) as usize,
            quantity: 1 + self.dice.below(40) as i64,
            discount: [0, 0, 5, 10][self.dice.below(4) as usize],
        }
    }

    pub(super) fn sales(&mut self, lines: &[Line]) {
        use Title::{
            Customer, Day, Discount as Off, Item, Line as Number, Order, Price, Quantity, Store,
        };
        let choices = self.choices;
        let mut titles = vec![Order, Number, Day, Item, Customer, Quantity];
        if choices.prices == Prices::OnLines {
            titles.push(Price);
        }
        if choices.discount != Discount::None {
            titles.push(Off);
        }
        if choices.by_store {
            titles.push(Store);
        }
        let mut names: Vec<String> = titles
            .iter()
            .map(|own| if *own == Price { self.price_title() } else { self.title(*own) })
            .collect();
        if choices.roles {
            names.push(self.payer());
        }
        if choices.items_in == ItemsIn::TwoColumns {
            names.push(self.second_item());
        }
        if choices.currencies {
            names.push("currency".to_owned());
        }
        let mut rows: Vec<(i64, Vec<String>)> = Vec::new();
        let mut sorted: Vec<&Line> = lines.iter().collect();
        sorted.sort_by_key(|line| line.day);
        for (number, line) in sorted.into_iter().enumerate() {
            let off = if choices.discount == Discount::None { 0 } else { line.discount };
            let is_unknown = choices.unknown && number % 90 == 7;
            if !is_unknown || choices.prices == Prices::OnLines {
                self.world.revenue += line.quantity * self.price(line.item, line.day) * (100 - off);
            }
            let item = if is_unknown {
                format!("{}9", self.item(line.item))
            } else {
                self.item(line.item)
            };
            let mut row = vec![
                (700_100 + number / 3).to_string(),
                (number % 3 + 1).to_string(),
                self.day(line.day),
                self.of_line(item),
                self.customer(line.customer),
                line.quantity.to_string(),
            ];
            if choices.prices == Prices::OnLines {
                row.push(self.priced(self.price(line.item, line.day)));
            }
            match choices.discount {
                Discount::None => {}
                Discount::Fraction => row.push(self.money(off)),
                Discount::PercentText => row.push(format!("{off} %")),
            }
            if choices.by_store {
                row.push(STORES[line.store].to_owned());
            }
            if choices.roles {
                row.push(self.customer(line.payer));
            }
            match choices.items_in {
                ItemsIn::OneColumn => {}
                ItemsIn::TwoColumns if number % 5 < 2 => {
                    let item = std::mem::take(&mut row[3]);
                    row.push(item);
                }
                ItemsIn::TwoColumns => row.push(String::new()),
                ItemsIn::Cells if number % 3 == 0 => row[3] += &format!("|N{}", number * 7),
                ItemsIn::Cells => {}
            }
            if choices.currencies {
                row.push(["EUR", "CZK", "PLN"][number % 3].to_owned());
            }
            rows.push((line.day, row));
        }
        self.put_sales(&names, rows);
        let sales = self.world.facts[0].clone();
        let (item, customer) = (self.title(Item), self.title(Customer));
        let products = self.file(FileOf::Products);
        let key = self.own_key(Item, "code");
        self.link(LinkKind::Plain, (&sales, &[&item]), (&products, &[&key]));
        let (customers, key) = (self.file(FileOf::Customers), self.own_key(Customer, "no"));
        let kind = if choices.roles { LinkKind::Role } else { LinkKind::Plain };
        self.link(kind, (&sales, &[&customer]), (&customers, &[&key]));
        if choices.roles {
            let payer = self.payer();
            self.link(LinkKind::Role, (&sales, &[&payer]), (&customers, &[&key]));
        }
    }

    pub(super) fn payer(&self) -> String {
        format!("{}_2", self.title(Title::Customer))
    }

    pub(super) fn put_sales(&mut self, names: &[String], rows: Vec<(i64, Vec<String>)>) {
        let stem = self.language.file(FileOf::Sales);
        let all = |rows: &[(i64, Vec<String>)]| {
            rows.iter().map(|(_, row)| row.clone()).collect::<Vec<_>>()
        };
        let mut files = Vec::new();
        let mut put = |maker: &mut Self, file: String, titles: Vec<String>, rows| {
            maker.put(&file, Sheet { titles, rows });
            files.push(file);
        };
        match self.choices.parts {
            Parts::One | Parts::WithCopy => {
                put(self, format!("{stem}.csv"), names.to_vec(), all(&rows))
            }
            Parts::Monthly => {
                for month in 0..23_i64 {
                    let (from, until) = (month * 31, month * 31 + 30);
                    let own: Vec<_> = rows
                        .iter()
                        .filter(|(day, _)| (from..=until).contains(day))
                        .cloned()
                        .collect();
                    let file = format!("{stem}_{}_{:02}.csv", 2024 + month / 12, month % 12 + 1);
                    put(self, file, names.to_vec(), all(&own));
                }
            }
            Parts::Stores => {
                for (number, store) in STORES.iter().enumerate() {
                    let own = rows.iter().skip(number).step_by(STORES.len()).cloned();
                    let own: Vec<_> = own.collect();
                    let file = format!("{stem}_{}.csv", store.to_lowercase());
                    put(self, file, names.to_vec(), all(&own));
                }
            }
            Parts::Sheets => {
                let file = format!("{stem}.xlsx");
                self.world.files.insert(file.clone(), book(names, &rows));
                files.push(file);
            }
            Parts::Overlap => {
                let first: Vec<_> = rows.iter().filter(|(day, _)| *day < 400).cloned().collect();
                let second: Vec<_> = rows.iter().filter(|(day, _)| *day >= 350).cloned().collect();
                put(self, format!("{stem}_1.csv"), names.to_vec(), all(&first));
                put(self, format!("{stem}_2.csv"), names.to_vec(), all(&second));
            }
            Parts::OtherSystem => {
                let (old, new): (Vec<_>, Vec<_>) =
                    rows.into_iter().partition(|(day, _)| *day < 350);
                put(self, format!("{stem}_2024.csv"), names.to_vec(), all(&old));
                // The other system has its own words, and begins with the day.
                let other = [
                    "doc",
                    "pos_no",
                    "when",
                    "art",
                    "partner",
                    "units",
                    "amount_each",
                    "off",
                    "shop",
                    "payer",
                ];
                let wanted = [2, 0, 1, 3, 4, 5].into_iter().chain(6..names.len());
                let order: Vec<usize> = wanted.collect();
                let titles = order.iter().map(|at| other[*at].to_owned()).collect();
                let rows =
                    new.iter().map(|(_, row)| order.iter().map(|at| row[*at].clone()).collect());
                let rows: Vec<Vec<String>> = rows.collect();
                put(self, format!("{stem}_2025.csv"), titles, rows);
            }
        }
        if self.choices.parts == Parts::WithCopy {
            let copy: Vec<Vec<String>> = self.copy_of(&files[0]);
            self.put(&format!("{stem}_draft.csv"), Sheet { titles: names.to_vec(), rows: copy });
        }
        self.world.facts.push(files[0].clone());
        if files.len() > 1 {
            self.world.together.push(files);
        }
    }

    /// The first third of the lines of a file.
    pub(super) fn copy_of(&self, file: &str) -> Vec<Vec<String>> {
        let separator = if self.language.has_commas { ';' } else { ',' };
        let text = String::from_utf8_lossy(&self.world.files[file]).into_owned();
        let cells = |line: &str| line.split(separator).map(str::to_owned).collect();
        text.lines().skip(1).take(LINES / 3).map(cells).collect()
    }

    pub(super) fn customer(&self, number: usize) -> String {
        match self.choices.keys {
            Keys::Small | Keys::ById => (number + 1).to_string(),
            _ => (1001 + number * 3).to_string(),
        }
    }
}

/// A workbook with a sheet for each of three routes.
fn book(names: &[String], rows: &[(i64, Vec<String>)]) -> Vec<u8> {
    let mut book = rust_xlsxwriter::Workbook::new();
    for route in 0..3 {
        let sheet = book.add_worksheet().set_name(format!("Route {}", route + 1)).unwrap();
        let own = rows.iter().skip(route).step_by(3).map(|(_, row)| row);
        for (at, row) in (0..).zip(std::iter::once(&names.to_vec()).chain(own)) {
            for (column, cell) in (0..).zip(row) {
                match cell.parse::<f64>() {
                    Ok(number) => sheet.write_number(at, column, number).unwrap(),
                    Err(_) => sheet.write_string(at, column, cell).unwrap(),
                };
            }
        }
    }
    book.save_to_buffer().unwrap()
}

/// The quarter of a day after the first of January 2024.
pub(super) fn quarter(day: i64) -> i64 {
    let ends = [91, 182, 274, 366, 456, 547, 639];
    ends.iter().filter(|end| day >= **end).count() as i64
}

pub(super) fn group(number: usize) -> String {
    ["CLO", "COL", "FEE", "HAR", "HIV", "QUE"][number].to_owned()
}

pub(super) fn region(number: usize) -> String {
    ["R-N", "R-S", "R-W"][number].to_owned()
}
