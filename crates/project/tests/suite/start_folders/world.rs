//! Folders as companies have them, made up by a few choices: files in a language, and what is true of them.

use std::collections::BTreeMap;
use std::fmt::Write;

use super::language::{FileOf, Language, Title};

/// How items are numbered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Keys {
    /// `BO-110`.
    Codes,
    /// `00417`.
    Padded,
    /// 1, 2, 3: numbers that are found anywhere.
    Small,
    /// 20417 and the like.
    Numbers,
}

/// Where prices are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Prices {
    /// On each line.
    OnLines,
    /// One for each product.
    InProducts,
    /// In a list with the first and the last day.
    Periods,
    /// In a list with the first day alone.
    Starts,
    /// The same under a title that says nothing.
    StartsUnnamed,
    /// In a list in which one row ends on the day on which the next begins.
    HalfOpen,
    /// In a column for each quarter.
    Quarters,
}

/// What is taken off.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Discount {
    None,
    Fraction,
    PercentText,
}

/// How the sales lie there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Parts {
    One,
    /// A file for each month.
    Monthly,
    /// A second file with other titles, in another order.
    OtherSystem,
    /// With a draft copy beside.
    WithCopy,
    /// Two extracts that have the lines of some weeks both.
    Overlap,
}

/// The second fact.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Second {
    None,
    /// Returns name the order and item that came back.
    Returns,
    /// A target for each group and month.
    Budget,
}

/// What a price is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Unit {
    One,
    /// A hundred pieces, as its column name says.
    Hundred,
    /// One, in cents.
    Cents,
}

/// Rows of lookups that share their key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shared {
    None,
    Identical,
    Conflicting,
}

/// The choices that make a folder.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Choices {
    pub(crate) name: &'static str,
    pub(crate) language: usize,
    pub(crate) keys: Keys,
    /// Whether lookups head their key as lines do.
    pub(crate) same_titles: bool,
    /// Whether lookups have a number besides, under `id`.
    pub(crate) surrogate: bool,
    pub(crate) prices: Prices,
    pub(crate) discount: Discount,
    /// Costs with periods of their own.
    pub(crate) dated_costs: bool,
    /// How many tables follow each other behind the products: groups, then regions.
    pub(crate) chain: u8,
    /// Two customers on each line: who ordered, who pays.
    pub(crate) roles: bool,
    /// Costs of items by store: a key of two columns.
    pub(crate) by_store: bool,
    pub(crate) shared: Shared,
    pub(crate) parts: Parts,
    pub(crate) second: Second,
    /// Keys of lines in another case than those of lookups.
    pub(crate) case: bool,
    /// Columns that every table has, and that lead nowhere.
    pub(crate) decoys: bool,
    /// Keys of lines without the zeros that they begin with.
    pub(crate) zeros: bool,
    /// Some lines have keys that no lookup has.
    pub(crate) unknown: bool,
    /// What prices are for: one, or a hundred pieces, or in cents.
    pub(crate) unit: Unit,
    /// Groups and what follows them have the same column names: `code`, `name`, `parent`.
    pub(crate) same_names: bool,
    /// Whether files are in an older encoding.
    pub(crate) encoding: Option<&'static str>,
}

/// What choices that say nothing else are.
pub(crate) const PLAIN: Choices = Choices {
    name: "",
    language: 0,
    keys: Keys::Codes,
    same_titles: true,
    surrogate: false,
    prices: Prices::InProducts,
    discount: Discount::None,
    dated_costs: false,
    chain: 1,
    roles: false,
    by_store: false,
    shared: Shared::None,
    parts: Parts::One,
    second: Second::None,
    case: false,
    decoys: false,
    zeros: false,
    unknown: false,
    unit: Unit::One,
    same_names: false,
    encoding: None,
};

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
struct Dice(u64);

impl Dice {
    fn below(&mut self, most: u64) -> u64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % most
    }
}

/// A table on its way to a file.
struct Sheet {
    titles: Vec<String>,
    rows: Vec<Vec<String>>,
}

const PRODUCTS: usize = 60;
const CUSTOMERS: usize = 45;
const LINES: usize = 600;
const STORES: [&str; 4] = ["North", "South", "Harbour", "Mill"];

struct Maker<'c> {
    choices: &'c Choices,
    language: Language,
    dice: Dice,
    world: World,
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
struct Line {
    day: i64,
    item: usize,
    customer: usize,
    payer: usize,
    store: usize,
    quantity: i64,
    /// Percent.
    discount: i64,
}

impl Maker<'_> {
    fn title(&self, title: Title) -> String {
        self.language.title(title).to_owned()
    }

    fn file(&self, of: FileOf) -> String {
        format!("{}.csv", self.language.file(of))
    }

    /// A number of hundredths.
    fn money(&self, cents: i64) -> String {
        let point = if self.language.has_commas { ',' } else { '.' };
        format!("{}{point}{:02}", cents / 100, cents % 100)
    }

    /// What the column of prices is called.
    fn price_title(&self) -> String {
        let own = self.title(Title::Price);
        match self.choices.unit {
            Unit::One => own,
            Unit::Hundred => format!("{own} / 100"),
            Unit::Cents => format!("{own} (cents)"),
        }
    }

    /// A price as it is written, of so many hundredths.
    fn priced(&self, cents: i64) -> String {
        match self.choices.unit {
            Unit::One => self.money(cents),
            Unit::Hundred => self.money(cents * 100),
            Unit::Cents => cents.to_string(),
        }
    }

    /// A key as lines write it.
    fn of_line(&self, key: String) -> String {
        let key = if self.choices.case { key.to_lowercase() } else { key };
        match self.choices.zeros {
            true => key.trim_start_matches('0').to_owned(),
            false => key,
        }
    }

    /// Days after the first of January 2024, as the language writes them.
    fn day(&self, after: i64) -> String {
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

    fn item(&self, number: usize) -> String {
        let prefix = ["BO", "FD", "HV", "SM", "QR"][number % 5];
        match self.choices.keys {
            Keys::Codes => format!("{prefix}-{}", 110 + number * 7),
            Keys::Padded => format!("{:05}", 400 + number * 13),
            Keys::Small => (number + 1).to_string(),
            Keys::Numbers => (20_417 + number * 37).to_string(),
        }
    }

    fn price(&self, item: usize, day: i64) -> i64 {
        let base = 350 + (item as i64 * 137) % 4200;
        match self.choices.prices {
            Prices::OnLines | Prices::InProducts => base,
            Prices::Quarters => base + 25 * quarter(day),
            _ => base + 25 * (day / 91),
        }
    }

    fn cost(&self, item: usize, store: usize, day: i64) -> i64 {
        let base = 200 + (item as i64 * 89) % 2000;
        match (self.choices.by_store, self.choices.dated_costs) {
            (true, _) => base + 10 * store as i64,
            (_, true) => base + 15 * (day / 120),
            _ => base,
        }
    }

    fn key_title(&self, own: Title, other: &str) -> String {
        if self.choices.same_titles { self.title(own) } else { other.to_owned() }
    }

    fn put(&mut self, file: &str, sheet: Sheet) {
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

    fn link(&mut self, kind: LinkKind, from: (&str, &[&str]), to: (&str, &[&str])) {
        let owned = |(file, columns): (&str, &[&str])| {
            (file.to_owned(), columns.iter().map(|column| (*column).to_owned()).collect())
        };
        self.world.links.push(TrueLink { kind, from: owned(from), to: owned(to) });
    }

    fn make(&mut self) {
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

    fn line(&mut self) -> Line {
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

    fn sales(&mut self, lines: &[Line]) {
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
            rows.push((line.day, row));
        }
        self.put_sales(&names, rows);
        let sales = self.world.facts[0].clone();
        let (item, customer) = (self.title(Item), self.title(Customer));
        let products = self.file(FileOf::Products);
        let key = self.key_title(Item, "code");
        self.link(LinkKind::Plain, (&sales, &[&item]), (&products, &[&key]));
        let (customers, key) = (self.file(FileOf::Customers), self.key_title(Customer, "no"));
        let kind = if choices.roles { LinkKind::Role } else { LinkKind::Plain };
        self.link(kind, (&sales, &[&customer]), (&customers, &[&key]));
        if choices.roles {
            let payer = self.payer();
            self.link(LinkKind::Role, (&sales, &[&payer]), (&customers, &[&key]));
        }
    }

    fn payer(&self) -> String {
        format!("{}_2", self.title(Title::Customer))
    }

    fn put_sales(&mut self, names: &[String], rows: Vec<(i64, Vec<String>)>) {
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
    fn copy_of(&self, file: &str) -> Vec<Vec<String>> {
        let separator = if self.language.has_commas { ';' } else { ',' };
        let text = String::from_utf8_lossy(&self.world.files[file]).into_owned();
        let cells = |line: &str| line.split(separator).map(str::to_owned).collect();
        text.lines().skip(1).take(LINES / 3).map(cells).collect()
    }

    fn customer(&self, number: usize) -> String {
        match self.choices.keys {
            Keys::Small => (number + 1).to_string(),
            _ => (1001 + number * 3).to_string(),
        }
    }

    /// A lookup: with a number of its own, rows that share their key, and columns that lead nowhere, where that is chosen.
    fn lookup(&mut self, of: FileOf, mut titles: Vec<String>, mut rows: Vec<Vec<String>>) {
        if self.choices.shared != Shared::None && of == FileOf::Products {
            for at in [3, 11] {
                let mut again = rows[at].clone();
                if self.choices.shared == Shared::Conflicting {
                    again[1] += " (new)";
                }
                rows.push(again);
            }
        }
        if self.choices.surrogate {
            titles.insert(0, "id".to_owned());
            for (number, row) in rows.iter_mut().enumerate() {
                row.insert(0, (number + 1).to_string());
            }
        }
        if self.choices.decoys {
            titles.extend(["status", "changed"].map(str::to_owned));
            for (number, row) in rows.iter_mut().enumerate() {
                row.push(["A", "B", "X"][number % 3].to_owned());
                row.push(self.day((number as i64 * 11) % 300));
            }
        }
        let file = self.file(of);
        self.put(&file, Sheet { titles, rows });
        self.world.lookups.push(file);
    }

    fn products(&mut self) {
        use Title::{Cost, Group, Item, Name};
        let choices = self.choices;
        let mut titles = vec![self.key_title(Item, "code"), self.title(Name)];
        if choices.chain >= 1 {
            titles.push(self.title(Group));
        }
        if choices.prices == Prices::InProducts {
            titles.push(self.price_title());
        }
        if !choices.dated_costs && !choices.by_store {
            titles.push(self.title(Cost));
        }
        let row = |number: usize| {
            let mut row = vec![self.item(number), format!("Brood box {number}, café")];
            if choices.chain >= 1 {
                row.push(group(number % 6));
            }
            if choices.prices == Prices::InProducts {
                row.push(self.priced(self.price(number, 0)));
            }
            if !choices.dated_costs && !choices.by_store {
                row.push(self.money(self.cost(number, 0, 0)));
            }
            row
        };
        let rows = (0..PRODUCTS).map(row).collect();
        self.lookup(FileOf::Products, titles, rows);
    }

    fn customers(&mut self) {
        use Title::{City, Customer, Name};
        let titles = vec![self.key_title(Customer, "no"), self.title(Name), self.title(City)];
        let row = |number: usize| {
            vec![
                self.customer(number),
                format!("Apiary {number} & Söhne"),
                format!("City {}", number % 9),
            ]
        };
        let rows = (0..CUSTOMERS).map(row).collect();
        self.lookup(FileOf::Customers, titles, rows);
    }

    fn groups(&mut self) {
        use Title::{Group, GroupName, Region};
        let same = self.choices.same_names;
        let named = |own: String, of_all: &str| if same { of_all.to_owned() } else { own };
        let key = named(self.key_title(Group, "key"), "code");
        let mut titles = vec![key.clone(), named(self.title(GroupName), "name")];
        let parent = named(self.title(Region), "parent");
        if self.choices.chain >= 2 {
            titles.push(parent.clone());
        }
        let chain = self.choices.chain;
        let row = |number: usize| {
            let mut row = vec![group(number), format!("Group of {number}")];
            if chain >= 2 {
                row.push(region(number % 3));
            }
            row
        };
        self.lookup(FileOf::Groups, titles, (0..6).map(row).collect());
        let (products, groups) = (self.file(FileOf::Products), self.file(FileOf::Groups));
        let own = self.title(Group);
        self.link(LinkKind::Chained, (&products, &[&own]), (&groups, &[&key]));
        if chain >= 2 {
            let key = named(self.key_title(Region, "key"), "code");
            let titles = vec![key.clone(), named("manager".to_owned(), "name")];
            let rows =
                (0..3).map(|number| vec![region(number), format!("Manager {number}")]).collect();
            self.lookup(FileOf::Regions, titles, rows);
            let regions = self.file(FileOf::Regions);
            self.link(LinkKind::Chained, (&groups, &[&parent]), (&regions, &[&key]));
        }
    }

    fn prices(&mut self) {
        use Title::{From, Item, Until};
        let choices = self.choices;
        if matches!(choices.prices, Prices::OnLines | Prices::InProducts) {
            return;
        }
        let key = self.key_title(Item, "code");
        let (from, until, price) = (self.title(From), self.title(Until), self.price_title());
        let starts = |maker: &Self, item, quarter: i64| {
            vec![
                maker.item(item),
                maker.day(quarter * 91),
                maker.priced(maker.price(item, quarter * 91)),
            ]
        };
        let mut rows = Vec::new();
        let titles = match choices.prices {
            Prices::Quarters => {
                for item in 0..PRODUCTS {
                    // The middle of each quarter.
                    let prices =
                        (0..8).map(|quarter| self.priced(self.price(item, quarter * 91 + 45)));
                    rows.push([self.item(item)].into_iter().chain(prices).collect());
                }
                let quarters =
                    (0..8).map(|quarter| format!("{}-Q{}", 2024 + quarter / 4, quarter % 4 + 1));
                [key.clone()].into_iter().chain(quarters).collect()
            }
            _ => {
                for item in 0..PRODUCTS {
                    for quarter in 0..8 {
                        let mut row = starts(self, item, quarter);
                        match choices.prices {
                            Prices::Periods => row.insert(2, self.day(quarter * 91 + 90)),
                            Prices::HalfOpen => row.insert(2, self.day(quarter * 91 + 91)),
                            _ => {}
                        }
                        rows.push(row);
                    }
                }
                match choices.prices {
                    Prices::Periods | Prices::HalfOpen => vec![key.clone(), from, until, price],
                    Prices::StartsUnnamed => vec![key.clone(), "vf".to_owned(), price],
                    _ => vec![key.clone(), from, price],
                }
            }
        };
        self.lookup(FileOf::Prices, titles, rows);
        let (sales, prices) = (self.world.facts[0].clone(), self.file(FileOf::Prices));
        let own = self.title(Item);
        self.link(LinkKind::Dated, (&sales, &[&own]), (&prices, &[&key]));
    }

    fn costs(&mut self) {
        use Title::{Cost, From, Item, Store, Until};
        let (sales, item) = (self.world.facts[0].clone(), self.title(Item));
        let key = self.key_title(Item, "code");
        let costs = self.file(FileOf::Costs);
        if self.choices.by_store {
            let (store, cost) = (self.title(Store), self.title(Cost));
            let mut rows = Vec::new();
            for item in 0..PRODUCTS {
                for (number, store) in STORES.iter().enumerate() {
                    let cost = self.money(self.cost(item, number, 0));
                    rows.push(vec![self.item(item), (*store).to_owned(), cost]);
                }
            }
            self.lookup(FileOf::Costs, vec![key.clone(), store.clone(), cost], rows);
            self.link(LinkKind::Wide, (&sales, &[&item, &store]), (&costs, &[&key, &store]));
        } else if self.choices.dated_costs {
            let titles = vec![key.clone(), self.title(From), self.title(Until), self.title(Cost)];
            let mut rows = Vec::new();
            for item in 0..PRODUCTS {
                for third in 0..6 {
                    let (from, until) = (third * 120, third * 120 + 119);
                    let cost = self.money(self.cost(item, 0, from));
                    rows.push(vec![self.item(item), self.day(from), self.day(until), cost]);
                }
            }
            self.lookup(FileOf::Costs, titles, rows);
            self.link(LinkKind::Dated, (&sales, &[&item]), (&costs, &[&key]));
        }
    }

    /// Some lines came back: each names its order, its item and how many.
    fn returns(&mut self, lines: &[Line]) {
        use Title::{Day, Item, Order, Quantity, Reason};
        let titles: Vec<String> =
            [Order, Day, Item, Quantity, Reason].map(|own| self.title(own)).to_vec();
        let row = |(number, line): (usize, &Line)| {
            vec![
                (700_100 + number % 200).to_string(),
                self.day((line.day + 9).min(715)),
                self.item(line.item),
                (1 + line.quantity / 3).to_string(),
                ["broken", "late", "other"][number % 3].to_owned(),
            ]
        };
        let rows = lines.iter().step_by(11).enumerate().map(row).collect();
        let file = self.file(FileOf::Returns);
        self.put(&file, Sheet { titles, rows });
        let (item, products) = (self.title(Item), self.file(FileOf::Products));
        let key = self.key_title(Item, "code");
        self.link(LinkKind::Plain, (&file, &[&item]), (&products, &[&key]));
        if !matches!(self.choices.prices, Prices::OnLines | Prices::InProducts) {
            let prices = self.file(FileOf::Prices);
            self.link(LinkKind::Dated, (&file, &[&item]), (&prices, &[&key]));
        }
        if self.choices.dated_costs {
            let costs = self.file(FileOf::Costs);
            self.link(LinkKind::Dated, (&file, &[&item]), (&costs, &[&key]));
        }
        self.world.facts.push(file);
    }

    /// A target for each group and month.
    fn budget(&mut self) {
        let own = self.title(Title::Group);
        let key = if self.choices.same_names {
            "code".to_owned()
        } else {
            self.key_title(Title::Group, "key")
        };
        let titles = vec![own.clone(), "month".to_owned(), "target".to_owned()];
        let mut rows = Vec::new();
        for number in 0..6 {
            for month in 1..=12 {
                rows.push(vec![
                    group(number),
                    format!("2025-{month:02}"),
                    (900 + 70 * number + month * 10).to_string(),
                ]);
            }
        }
        let file = self.file(FileOf::Budget);
        self.put(&file, Sheet { titles, rows });
        let groups = self.file(FileOf::Groups);
        self.link(LinkKind::Plain, (&file, &[&own]), (&groups, &[&key]));
        self.world.facts.push(file);
    }
}

/// The quarter of a day after the first of January 2024.
fn quarter(day: i64) -> i64 {
    let ends = [91, 182, 274, 366, 456, 547, 639];
    ends.iter().filter(|end| day >= **end).count() as i64
}

fn group(number: usize) -> String {
    ["CLO", "COL", "FEE", "HAR", "HIV", "QUE"][number].to_owned()
}

fn region(number: usize) -> String {
    ["R-N", "R-S", "R-W"][number].to_owned()
}
