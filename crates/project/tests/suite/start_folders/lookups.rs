//! The lookups of a folder, and its second fact.

use super::choices::{Keys, Prices, Shared};
use super::language::{FileOf, Title};
use super::world::{CUSTOMERS, Line, LinkKind, Maker, PRODUCTS, STORES, Sheet, group, region};

impl Maker<'_> {
    /// A lookup: with a number of its own, rows that share their key, and columns that lead nowhere, where that is chosen.
    pub(super) fn lookup(
        &mut self,
        of: FileOf,
        mut titles: Vec<String>,
        mut rows: Vec<Vec<String>>,
    ) {
        if self.choices.shared != Shared::None && of == FileOf::Products {
            let many = [3, 11, 17, 22, 31, 40, 52];
            let count = if self.choices.shared == Shared::Many { many.len() } else { 2 };
            for at in &many[..count] {
                let mut again = rows[*at].clone();
                if self.choices.shared != Shared::Identical {
                    again[1] += " (new)";
                }
                rows.push(again);
            }
        }
        if self.choices.keys == Keys::ById && of == FileOf::Products {
            titles.push("code".to_owned());
            for (number, row) in rows.iter_mut().enumerate() {
                row.push(format!("BX-{}", 300 + number * 7));
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

    pub(super) fn products(&mut self) {
        use Title::{Cost, Group, Item, Name};
        let choices = self.choices;
        let mut titles = vec![self.own_key(Item, "code"), self.title(Name)];
        if choices.chain >= 1 {
            titles.push(self.title(Group));
        }
        if choices.prices == Prices::InProducts {
            titles.push(self.price_title());
            if choices.two_prices {
                titles.push(format!("{} brutto", self.title(Title::Price)));
            }
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
                if choices.two_prices {
                    row.push(self.priced(self.price(number, 0) * 119 / 100));
                }
            }
            if !choices.dated_costs && !choices.by_store {
                row.push(self.money(self.cost(number, 0, 0)));
            }
            row
        };
        let rows = (0..PRODUCTS).map(row).collect();
        self.lookup(FileOf::Products, titles, rows);
    }

    pub(super) fn customers(&mut self) {
        use Title::{City, Customer, Name};
        let titles = vec![self.own_key(Customer, "no"), self.title(Name), self.title(City)];
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

    pub(super) fn groups(&mut self) {
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

    pub(super) fn prices(&mut self) {
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

    pub(super) fn costs(&mut self) {
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
    pub(super) fn returns(&mut self, lines: &[Line]) {
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
        let own = self.own_key(Item, "code");
        self.link(LinkKind::Plain, (&file, &[&item]), (&products, &[&own]));
        let key = self.key_title(Item, "code");
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
    pub(super) fn budget(&mut self) {
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
