//! The demo project: the files that ship with the program, and sales lines made up on the spot.

mod book;
mod database;
mod line;
mod sales;

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use interligo_model::plan::quoted;

use crate::failure::Failure;

/// The sales lines of the demo when no number is asked for.
pub(crate) const LINES: u64 = 3_000;

/// The files that do not depend on the number of lines.
const FILES: [(&str, &str); 7] = [
    ("interligo.toml", include_str!("../../../../demo/interligo.toml")),
    ("README.md", include_str!("../../../../demo/README.md")),
    ("groups.csv", include_str!("../../../../demo/groups.csv")),
    ("budget.csv", include_str!("../../../../demo/budget.csv")),
    ("prices_2024.csv", include_str!("../../../../demo/prices_2024.csv")),
    ("prices_2025.csv", PRICES_2025),
    ("customers.csv", CUSTOMERS),
];
const PRICES_2025: &str = include_str!("../../../../demo/prices_2025.csv");
const CUSTOMERS: &str = include_str!("../../../../demo/customers.csv");

/// Further lists of `--pricing`.
const LISTS: [(&str, &str); 4] = [
    ("costs.csv", include_str!("../../../../demo/costs.csv")),
    ("season_prices.csv", include_str!("../../../../demo/season_prices.csv")),
    ("depots.csv", include_str!("../../../../demo/depots.csv")),
    ("rates.csv", include_str!("../../../../demo/rates.csv")),
];

/// The tables and links that they add to the plan, and its figures with them.
const WITH_LISTS: &str = include_str!("../../../../demo/pricing.toml");

/// The catalogue: a workbook with a sheet for each of these, below a title.
const CATALOGUE: &str = "catalogue.xlsx";
const PRODUCTS: &str = include_str!("../../../../demo/products.csv");
const FAMILIES: &str = include_str!("../../../../demo/families.csv");

/// A customer who has not bought anything yet.
const NEW_CUSTOMER: &str = "1121";

/// The lines of the plan by which it is kept what runs said.
const KEPT: &str =
    "keep-runs = 3    # for `interligo compare`\nverify    = true # for `interligo verify`\n";

/// The database of `--database`.
const DATABASE: &str = "mielo.sqlite";

/// What the demo has besides its files.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Besides {
    /// Nothing.
    Nothing,
    /// Some of its tables are in a database, and its results; the lines on a server as well, where one is given.
    Database(Option<String>),
    /// Costs, seasonal prices and rates of exchange, each on a calendar of its own.
    Pricing,
}

/// Writes the demo project with this many sales lines; the answer is its plan.
///
/// # Errors
/// The folder holds something other than an earlier demo, or cannot be written.
pub(crate) fn write(folder: &Path, lines: u64, besides: Besides) -> Result<PathBuf, Failure> {
    let failed = |path: &Path| {
        let path = path.to_owned();
        move |reason: io::Error| Failure::Demo { path, reason }
    };
    if !is_free(folder).map_err(failed(folder))? {
        return Err(Failure::FolderInUse(folder.to_owned()));
    }
    let sales = folder.join("sales");
    if sales.exists() {
        fs::remove_dir_all(&sales).map_err(failed(&sales))?;
    }
    fs::create_dir_all(&sales).map_err(failed(&sales))?;
    for (name, content) in FILES {
        let path = folder.join(name);
        fs::write(&path, content).map_err(failed(&path))?;
    }
    write_catalogue(folder, PRODUCTS)?;
    sales::write(&sales, lines, &skus(), &customers()).map_err(failed(&sales))?;
    let plan = folder.join("interligo.toml");
    if lines != LINES {
        // A larger demo is for measuring; whoever wants to compare its runs, or to verify them, adds this.
        let without = FILES[0].1.replacen(KEPT, "", 1);
        let without = match lines > LINES_IN_A_SHEET {
            true => without_lines_in_book(&without),
            false => without,
        };
        fs::write(&plan, without).map_err(failed(&plan))?;
    }
    let in_database = folder.join(DATABASE);
    for (name, content) in LISTS {
        let path = folder.join(name);
        if besides == Besides::Pricing {
            fs::write(&path, content).map_err(failed(&path))?;
        } else if path.exists() {
            fs::remove_file(&path).map_err(failed(&path))?;
        }
    }
    if besides == Besides::Pricing {
        fs::write(&plan, with_lists(FILES[0].1)).map_err(failed(&plan))?;
    }
    if let Besides::Database(server) = &besides {
        database::move_into(folder, &in_database).map_err(failed(&in_database))?;
        let text = with_database(FILES[0].1, server.as_deref());
        fs::write(&plan, text).map_err(failed(&plan))?;
    } else if in_database.exists() {
        fs::remove_file(&in_database).map_err(failed(&in_database))?;
    }
    Ok(plan)
}

/// More lines than this are no use in a sheet with formulas; ten times as many do not fit into any.
const LINES_IN_A_SHEET: u64 = 100_000;

/// The plan without the sheet that has each line.
fn without_lines_in_book(plan: &str) -> String {
    let plan = plan.replacen(&format!("\"{LINES_SHEET}\", "), "", 1);
    let section = plan.find(&format!("[outputs.{LINES_SHEET}]"));
    match section.zip(plan.find("[outputs.findings]")) {
        Some((start, end)) => format!("{}{}", &plan[..start], &plan[end..]),
        None => plan,
    }
}

/// What `--next-month` changes besides adding sales.
pub(crate) const NEXT_MONTH: [&str; 4] = [
    "the sales of January 2026, from each depot",
    "a line of December 2025 that came late",
    "the price of BO-110 from October 2025: 33.90, not 34.31",
    "FD-117 is called \"Frame feeder, plastic\"",
];

/// Adds the next month to a demo, as it comes in life; the answer is its plan.
///
/// # Errors
/// The folder holds no demo, or cannot be written.
pub(crate) fn add_next_month(folder: &Path) -> Result<PathBuf, Failure> {
    let failed = |path: &Path| {
        let path = path.to_owned();
        move |reason: io::Error| Failure::Demo { path, reason }
    };
    let plan = folder.join("interligo.toml");
    if !is_demo(folder) {
        return Err(Failure::NoEarlierDemo(folder.to_owned()));
    }
    let sales = folder.join("sales");
    sales::write_next_month(&sales, &skus(), &customers()).map_err(failed(&sales))?;
    let prices = folder.join("prices_2025.csv");
    let corrected = PRICES_2025.replace("BO-110,2025-10-01,,34.31", "BO-110,2025-10-01,,33.90");
    fs::write(&prices, corrected).map_err(failed(&prices))?;
    let renamed = PRODUCTS.replace(",Frame feeder,", ",\"Frame feeder, plastic\",");
    write_catalogue(folder, &renamed)?;
    Ok(plan)
}

fn write_catalogue(folder: &Path, products: &str) -> Result<(), Failure> {
    let path = folder.join(CATALOGUE);
    let sheets = [
        ("Products", "Catalogue of the Mielo Cooperative", products),
        ("Families", "Families of products", FAMILIES),
    ];
    book::write_tables(&path, &sheets).map_err(|reason| Failure::Demo { path, reason })
}

/// The products that are sold.
fn skus() -> Vec<&'static str> {
    first_column(PRODUCTS).collect()
}

/// The customers that buy.
fn customers() -> Vec<&'static str> {
    first_column(CUSTOMERS).filter(|customer| *customer != NEW_CUSTOMER).collect()
}

/// The plan with the tables that are in the database, and with its results in another; the lines on a server as well,
/// where one is given.
fn with_database(plan: &str, server: Option<&str>) -> String {
    let sales = "[[tables.sales.part]]\nfrom = \"mielo.sqlite#{depot}_{year}\"\n\n# Tilia";
    let plan = plan.replacen("# Tilia", sales, 1);
    let plan = plan.replacen("\"customers.csv\"", "\"mielo.sqlite#customers\"", 1);
    let book = plan.find(BOOK).zip(plan.find("[outputs.by_group]"));
    let mut plan = match book {
        Some((start, end)) => format!("{}{}", &plan[..start], &plan[end..]),
        None => plan,
    };
    for table in SHEETS {
        let section = format!("[outputs.{table}]\n");
        let with_file = format!("{section}to   = \"out/result.sqlite#{table}\"\n");
        plan = plan.replacen(&section, &with_file, 1);
    }
    if let Some(server) = server {
        plan += &format!(
            "\n# The lines in a table on a server.\n[outputs.on_server]\nto = {}\n",
            quoted(&format!("{server}#mielo_lines"))
        );
    }
    plan
}

/// How the part of the plan begins that is about the workbook.
const BOOK: &str = "# A workbook with a sheet for each";

/// The sheets of the results, which are tables in a database.
const SHEETS: [&str; 6] =
    ["by_group", "by_size", "budget", "top_products", LINES_SHEET, "findings"];

/// The sheet that has each line.
const LINES_SHEET: &str = "sales_lines";

/// The plan with the lists of `--pricing`: its figures and outputs give way to those that use them.
fn with_lists(plan: &str) -> String {
    let own = plan.find("# Figures: ").map_or(plan, |at| &plan[..at]);
    format!("{own}{WITH_LISTS}")
}

/// Whether a folder is new, empty, or holds an earlier demo and nothing else.
fn is_free(folder: &Path) -> io::Result<bool> {
    let entries = match fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(true),
        Err(error) => return Err(error),
    };
    let mut names = Vec::new();
    for entry in entries {
        names.push(entry?.file_name().to_string_lossy().into_owned());
    }
    if names.is_empty() {
        return Ok(true);
    }
    let ours = |name: &String| {
        ["sales", "out", ".interligo", CATALOGUE, DATABASE].contains(&name.as_str())
            || FILES.iter().chain(&LISTS).any(|(file, _)| file == name)
    };
    Ok(is_demo(folder) && names.iter().all(ours))
}

/// Whether a folder holds a demo.
fn is_demo(folder: &Path) -> bool {
    let plan = fs::read_to_string(folder.join("interligo.toml")).unwrap_or_default();
    plan.lines().next() == FILES[0].1.lines().next()
}

/// The keys of one of the demo's lookups.
fn first_column(csv: &'static str) -> impl Iterator<Item = &'static str> {
    csv.lines().skip(1).filter_map(|row| row.split(',').next())
}
