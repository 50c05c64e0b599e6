//! Links of every kind, on files as they come.

use crate::support::Folder;

/// The lines of an output called `lines.csv`, of a plan with these tables and links.
fn lines(plan: &str, files: &[(&str, &str)]) -> String {
    let mut all = vec![("interligo.toml", plan)];
    all.extend(files);
    let mut came = Folder::with(&all).run(&["run"]);
    assert_eq!(came.said(), "");
    let lines = came.take_file("lines.csv");
    came.any_stdout().nothing_else();
    lines
}

#[test]
fn one_lookup_serves_in_two_roles() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.places]
from = "places.csv"
key = "code"
[[link]]
path = "sales.ship_to -> places.code"
as = "ship"
missing = "fill"
fill = { name = "(nowhere)" }
[[link]]
path = "sales.bill_to -> places.code"
as = "bill"
missing = "fill"
fill = { name = "(nobody)" }
[outputs.lines]
to = "lines.csv"
columns = ["no", "ship.name", "bill.name"]
"#;
    let files = [
        ("sales.csv", "no,ship_to,bill_to\n1,P,Q\n2,Q,X\n3,,P\n"),
        ("places.csv", "code,name\nP,Port\nQ,Quay\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "no,ship.name,bill.name\n1,Port,Quay\n2,Quay,(nobody)\n3,(nowhere),Port\n"
    );
}

#[test]
fn column_names_of_any_kind_are_in_quotes() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables."price list"]
from = "prices.csv"
key = "Art.-Nr"
[[link]]
path = 'sales."Art.-Nr" -> "price list"."Art.-Nr"'
[figures]
"net amount" = '"Menge (kg)" * "price list"."if"'
[outputs.lines]
to = "lines.csv"
columns = ["Größe", '"net amount"', '"price list"."if"', "column_4"]
"#;
    let files = [
        (
            "sales.csv",
            "\u{feff}Art.-Nr,Menge (kg),Gr\u{f6}\u{df}e,\r\n\"0,1\",2.5,\"say \"\"XL\"\"\",z\r\n",
        ),
        ("prices.csv", "Art.-Nr,if\n\"0,1\",4\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "Größe,\"\"\"net amount\"\"\",\"\"\"price list\"\".\"\"if\"\"\",column_4\n\"say \"\"XL\"\"\",10.0,4,z\n"
    );
}

#[test]
fn a_price_list_may_lie_in_a_file_a_year() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.prices]
from = ["lists/{year}.csv", "lists/*.csv"]
key = "sku"
valid = { from = "since", until = "until" }
[[link]]
path = "sales.item -> prices.sku as of day"
[outputs.lines]
to = "lines.csv"
columns = ["*", "prices.price", "prices.year"]
"#;
    let files = [
        (
            "sales.csv",
            "item,day\nA,2023-12-31\nA,2024-01-01\nA,2024-12-31\nA,2025-01-01\nA,2026-01-01\nA,\n",
        ),
        ("lists/2024.csv", "sku,since,until,price\nA,2024-01-01,2024-12-31,1.5\n"),
        ("lists/2025.csv", "price,sku,until,since,remark\n1.75,A,2025-12-31,2025-01-01,up\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "item,day,prices.price,prices.year\n\
         A,2023-12-31,,\nA,2024-01-01,1.5,2024\nA,2024-12-31,1.5,2024\nA,2025-01-01,1.75,2025\nA,2026-01-01,,\nA,,,\n"
    );
}

#[test]
fn codes_keep_their_zeros_and_a_column_may_be_key_and_number_at_once() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.products]
from = "products.csv"
key = "code"
[[link]]
path = "sales.code -> products.code"
[figures]
twice = "code * 2"
[outputs.lines]
to = "lines.csv"
columns = ["code", "products.name", "products.code", "twice"]
"#;
    let files = [
        ("sales.csv", "code\n007\n7\n07\n8.0\n"),
        ("products.csv", "code,name\n007,Seven with zeros\n7,Seven\n8,Eight\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "code,products.name,products.code,twice\n007,Seven with zeros,007,14.0\n7,Seven,7,14.0\n07,,,14.0\n8.0,,,16.0\n"
    );
}

#[test]
fn a_key_that_fits_several_is_left_undecided() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.products]
from = "products.csv"
key = "code"
[[link]]
path = "sales.code -> products.code"
ignore = ["punctuation", "case"]
missing = "set-aside"
[outputs.lines]
to = "lines.csv"
columns = ["code", "products.name"]
"#;
    let files = [
        ("sales.csv", "code\na-1\na.1\nA1\nb/2\n"),
        ("products.csv", "code,name\nA-1,dash\nA.1,dot\nB-2,b\n"),
    ];
    // Several rows fit: that is not missing, and no rule for missing rows reaches it.
    assert_eq!(lines(plan, &files), "code,products.name\na-1,\na.1,\nA1,\nb/2,b\n");
}

#[test]
fn an_output_of_totals_may_have_a_condition_and_the_tie_out_knows() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[outputs.large]
to = "large.csv"
by = ["kind"]
show = ["lines", "amount"]
where = "amount > 10"
"#;
    let files =
        [("interligo.toml", plan), ("sales.csv", "kind,amount\na,10\na,11\nb,12.50\nb,\nc,1\n")];
    let came = Folder::with(&files).run(&["run", "--full"]);
    assert!(
        came.printed().contains("large.csv (3 lines do not meet its condition)"),
        "{}",
        came.printed()
    );
    came.any_stdout().file("large.csv", "kind,lines,amount\na,1,11.00\nb,1,12.50\n").nothing_else();
}

/// A plan over `sales.csv` and lookups called by their files, with links and an output of lines.
fn plan(lookups: &[(&str, &str)], links: &str, columns: &str) -> String {
    let mut plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n".to_owned();
    for (name, more) in lookups {
        plan += &format!("[tables.{name}]\nfrom = \"{name}.csv\"\n{more}\n");
    }
    plan + links + "\n[outputs.lines]\nto = \"lines.csv\"\ncolumns = " + columns + "\n"
}

#[test]
fn a_key_may_have_several_columns_some_of_them_from_other_lookups() {
    let plan = plan(
        &[("customers", "key = 'no'"), ("prices", "key = ['sku', 'class']")],
        r#"
[[link]]
path = "sales.customer -> customers.no"
[[link]]
path = "customers.class + sales.item -> prices.class + sku"
ignore = { class = ["case"] }
"#,
        r#"["item", "customers.class", "prices.price"]"#,
    );
    let files = [
        ("sales.csv", "item,customer\nA,1\nA,2\n A ,3\nB,1\nA,9\n"),
        ("customers.csv", "no,class\n1,Shop\n2,club\n3,CLUB\n"),
        ("prices.csv", "sku,class,price\nA,Shop,5\nA,Club,4\nB,Club,7\n"),
    ];
    assert_eq!(
        lines(&plan, &files),
        "item,customers.class,prices.price\nA,Shop,5\nA,club,4\n A ,CLUB,4\nB,Shop,\nA,,\n"
    );
}

#[test]
fn candidates_are_tried_in_the_order_of_the_path_and_of_the_list() {
    let plan = plan(
        &[("products", "key = 'sku'")],
        r#"
[[link]]
path = "sales.item or sales.old_item or sales.codes -> products.sku"
split = ";"
needs = ["name"]
"#,
        r#"["*", "products.name"]"#,
    );
    let files = [
        ("sales.csv", "item,old_item,codes\nA,B,\nX,B,\n,,x; ;B;A\nE,A,\nE,,\nX,Y,Z\nx;A,,\n"),
        ("products.csv", "sku,name\nA,Hive\nB,Frame\nE,\n"),
    ];
    assert_eq!(
        lines(&plan, &files),
        "item,old_item,codes,products.name\nA,B,,Hive\nX,B,,Frame\n,,x; ;B;A,Frame\nE,A,,Hive\nE,,,\nX,Y,Z,\nx;A,,,Hive\n"
    );
    let mut all = vec![("interligo.toml", plan.as_str())];
    all.extend(files);
    let came = Folder::with(&all).run(&["check", "--format", "csv"]);
    let printed = came.printed().to_owned();
    for finding in [
        "skipped-candidate,products,X,1",
        "skipped-candidate,products,E,1",
        "skipped-candidate,products,x,2",
        "incomplete-row,products,E,1",
        "unmatched-key,products,X or Y or Z,1",
    ] {
        assert!(printed.contains(finding), "{finding} in {printed}");
    }
}

#[test]
fn a_link_may_be_meant_for_some_lines_only_and_a_missing_row_be_normal() {
    let plan = plan(
        &[("rates", "key = 'currency'"), ("gifts", "key = 'order'")],
        r#"
[[link]]
path = "sales.currency -> rates.currency"
when = "currency <> 'EUR'"
missing = "stop"
[[link]]
path = "sales.order -> gifts.order"
missing = "normal"
match = "as-written"
"#,
        r#"["order", "rates.rate", "gifts.gift"]"#,
    );
    let files = [
        ("sales.csv", "order,currency\n1,EUR\n2,USD\n 1,EUR\n"),
        ("rates.csv", "currency,rate\nUSD,1.1\n"),
        ("gifts.csv", "order,gift\n1,honey\n"),
    ];
    assert_eq!(lines(&plan, &files), "order,rates.rate,gifts.gift\n1,,honey\n2,1.1,\n 1,,\n");
    let mut all = vec![("interligo.toml", plan.as_str())];
    all.extend(files);
    let checked = Folder::with(&all).run(&["check"]);
    assert!(checked.printed().contains("Every key matches"), "{}", checked.printed());
}

pub(crate) const SHOP: [(&str, &str); 4] = [
    ("sales.csv", "no,item,ship_to,bill_to\n1,A,P,Q\n2,B,Q,P\n"),
    ("products.csv", "sku,family\nA,F\nB,G\n"),
    ("families.csv", "code,name\nF,Hives\nG,Frames\n"),
    ("places.csv", "code,family\nP,G\nQ,F\n"),
];

/// Where a table is reached in two ways, the reference says which; where it does not, it is asked.
#[test]
fn two_ways_to_a_table_are_distinguished_by_the_way() {
    let with = |columns: &str| {
        let links = r#"
[[link]]
path = "sales.item -> products.sku"
[[link]]
path = "sales.ship_to -> places.code"
as = "ship"
[[link]]
path = "sales.bill_to -> places.code"
as = "bill"
[[link]]
path = "products.family -> families.code"
[[link]]
path = "places.family -> families.code"
"#;
        let lookups =
            [("products", ""), ("families", ""), ("places", "")].map(|(name, more)| (name, more));
        plan(&lookups, links, columns)
    };
    let every_way =
        r#"["no", "products.families.name", "ship.families.name", "bill.families.name"]"#;
    assert_eq!(
        lines(&with(every_way), &SHOP),
        "no,products.families.name,ship.families.name,bill.families.name\n1,Hives,Frames,Hives\n2,Frames,Hives,Frames\n"
    );
    let asked = |columns: &str, message: &str, help: &str| {
        let plan = with(columns);
        let mut all = vec![("interligo.toml", plan.as_str())];
        all.extend(SHOP);
        let came = Folder::with(&all).run(&["run"]);
        assert!(came.said().contains(message) && came.said().contains(help), "{}", came.said());
    };
    asked(
        r#"["families.name"]"#,
        "`sales` reaches `families` in 3 ways: sales -> products -> families; sales -> ship -> families; sales -> bill -> families",
        "name the one that is meant: `products.families` or `ship.families` or `bill.families`",
    );
    asked(
        r#"["places.code"]"#,
        "`places` is reached by links with names of their own",
        "write `ship.code` or `bill.code`",
    );
}

/// A path that stands the wrong way round is turned, and said to be: where the fact is on the right, where
/// the plan's keys leave no doubt, and where only the data tells.
#[test]
fn a_path_written_backwards_is_turned() {
    let columns = r#"["no", "families.name"]"#;
    let lookups = [("products", ""), ("families", ""), ("places", "")];
    let forwards = "[[link]]\npath = \"sales.item -> products.sku\"\n[[link]]\npath = \"products.family -> families.code\"\n";
    let expected = lines(&plan(&lookups, forwards, columns), &SHOP);
    for (links, note) in [
        (
            forwards.replace("sales.item -> products.sku", "products.sku -> sales.item"),
            "products.sku -> sales.item; taken as sales.item -> products.sku",
        ),
        (
            forwards
                .replace("products.family -> families.code", "families.code -> products.family"),
            "families.code -> products.family; taken as products.family -> families.code",
        ),
    ] {
        let plan = plan(&lookups, &links, columns);
        let mut all = vec![("interligo.toml", plan.as_str())];
        all.extend(SHOP);
        let mut came = Folder::with(&all).run(&["run"]);
        assert_eq!(came.take_file("lines.csv"), expected);
        assert!(came.printed().contains(note), "{}", came.printed());
    }
    // Families are reached by another link as well; only the keys themselves tell the direction.
    let links = "[[link]]\npath = \"sales.item -> products.sku\"\n[[link]]\npath = \"sales.kind -> families.code\"\n\
                 [[link]]\npath = \"families.code -> products.family\"\n";
    let plan = plan(&lookups[..2], links, r#"["products.families.name", "sales.families.name"]"#);
    let mut came = Folder::with(&[
        ("interligo.toml", plan.as_str()),
        ("sales.csv", "item,kind\nA,G\n"),
        ("products.csv", "sku,family\nA,F\nB,G\nC,G\n"),
        SHOP[2],
    ])
    .run(&["run"]);
    assert_eq!(came.said(), "");
    assert_eq!(
        came.take_file("lines.csv"),
        "products.families.name,sales.families.name\nHives,Frames\n"
    );
}

#[test]
fn a_key_that_is_unique_on_neither_side_stops_with_the_worst_and_the_ways_out() {
    let plan = plan(
        &[("prices", "")],
        "[[link]]\npath = \"sales.item -> prices.sku\"\n[figures]\nx = \"prices.price * prices.zone\"\n",
        r#"["*"]"#,
    );
    let came = Folder::with(&[
        ("interligo.toml", plan.as_str()),
        ("sales.csv", "item\nA\nA\nB\n"),
        ("prices.csv", "sku,zone,price\nA,1,5\nA,2,6\nA,3,6\nB,1,5\nB,2,5\nC,1,7\n"),
    ])
    .run(&["run"]);
    came.status(1)
        .stderr(
            "error: `prices` has several rows for 2 keys of `sku`, which differ in `zone`, `price`: one line would become up to 3\n  \
             `A` on 3 rows: prices.csv:2, prices.csv:3, prices.csv:4\n  `B` on 2 rows: prices.csv:5, prices.csv:6\n  \
             fix: correct the rows, or add `duplicates = \"first\"` or \"last\" to [tables.prices], or add `zone` to its key and to \
             the link, or add `valid` if its rows are valid for periods; `interligo check` lists them all\nNothing was written.\n",
        )
        .nothing_else();
}

/// Where no link leads to a table, the message names the tables and the link that the values are evidence for.
#[test]
fn a_table_out_of_reach_is_refused_with_the_link_that_would_join_it() {
    let plan = plan(
        &[("products", "key = 'sku'"), ("families", "key = 'code'"), ("places", "")],
        "[[link]]\npath = \"sales.item -> products.sku\"\n",
        r#"["no", "families.name"]"#,
    );
    let many = |line: &dyn Fn(usize) -> String| (0..40).map(line).collect::<String>();
    let sales = many(&|n| format!("{n},P{:02}\n", n % 20));
    let products = (0..20).map(|n| format!("P{n:02},FA-{}\n", n % 5)).collect::<String>();
    let families = (0..5).map(|n| format!("FA-{n},Family {n}\n")).collect::<String>();
    let came = Folder::with(&[
        ("interligo.toml", plan.as_str()),
        ("sales.csv", &format!("no,item\n{sales}")),
        ("products.csv", &format!("sku,family\n{products}")),
        ("families.csv", &format!("code,name\n{families}")),
        ("places.csv", "code,town\nX,Y\n"),
    ])
    .run(&["run"]);
    for said in [
        "no link leads from `sales` to `families`",
        "there is evidence in the values for a [[link]] with path = \"products.family -> families.code\"",
        "5 of 5 values and 20 of 20 rows found in families",
    ] {
        assert!(came.said().contains(said), "{}", came.said());
    }
    came.status(2).any_stderr().nothing_else();
}

#[test]
fn rows_may_hold_until_the_next_of_their_key_begins() {
    let plan = plan(
        &[("prices", "key = 'sku'\nvalid = { from = 'since' }")],
        "[[link]]\npath = \"sales.item -> prices.sku as of day\"\n",
        r#"["*", "prices.price"]"#,
    );
    let files = [
        (
            "sales.csv",
            "item,day\nA,2025-01-31\nA,2025-02-01\nA,2030-01-01\nA,2024-12-31\nB,2025-01-01\n",
        ),
        ("prices.csv", "sku,since,price\nA,2025-02-01,6\nA,2025-01-01,5\nB,2025-01-02,1\n"),
    ];
    assert_eq!(
        lines(&plan, &files),
        "item,day,prices.price\nA,2025-01-31,5\nA,2025-02-01,6\nA,2030-01-01,6\nA,2024-12-31,\nB,2025-01-01,\n"
    );
}

#[test]
fn texts_and_numbers_are_compared_as_written_and_it_is_reported() {
    let plan = plan(
        &[("products", "key = 'no'")],
        "[[link]]\npath = \"sales.item -> products.no\"\n",
        r#"["item", "products.name"]"#,
    );
    let files =
        [("sales.csv", "item\n388\nX1\n0388\n"), ("products.csv", "no,name\n388,Hive\n7,Frame\n")];
    assert_eq!(lines(&plan, &files), "item,products.name\n388,Hive\nX1,\n0388,\n");
    let mut all = vec![("interligo.toml", plan.as_str())];
    all.extend(files);
    let said = Folder::with(&all).run(&["link"]);
    assert!(said.printed().contains("texts here, numbers there"), "{}", said.printed());
}

/// The lines of a sale have the price of their day, and a return has that of its sale.
#[test]
fn a_dated_link_may_start_from_a_lookup() {
    let plan = plan(
        &[
            ("orders", "key = 'no'"),
            ("rates", "key = 'currency'\nvalid = { from = 'since', until = 'until' }"),
        ],
        "[[link]]\npath = \"sales.order -> orders.no\"\n[[link]]\npath = \"orders.currency -> rates.currency as of orders.day\"\n\
         [[link]]\npath = \"orders.currency -> rates.currency as of sales.paid\"\nas = \"paid\"\n",
        r#"["order", "rates.rate", "paid.rate"]"#,
    );
    let files = [
        ("sales.csv", "order,paid\n1,2025-02-01\n2,2025-02-01\n1,\n3,2025-02-01\n"),
        ("orders.csv", "no,currency,day\n1,CHF,2025-01-05\n2,CHF,2025-02-05\n3,,2025-02-05\n"),
        (
            "rates.csv",
            "currency,since,until,rate\nCHF,2025-01-01,2025-01-31,0.9\nCHF,2025-02-01,,1.1\n",
        ),
    ];
    assert_eq!(
        lines(&plan, &files),
        "order,rates.rate,paid.rate\n1,0.9,1.1\n2,1.1,1.1\n1,0.9,\n3,,\n"
    );
}

/// A part of a key may be computed, on either side: the target of a month by its region.
#[test]
fn a_part_of_a_key_may_be_computed() {
    let plan = plan(
        &[(
            "targets",
            "key = ['month', 'region']\ncolumns.month = { formula = \"month(first_day)\" }",
        )],
        "[[link]]\npath = \"sales.month + region -> targets.month + region\"\n\
         [tables.sales.columns]\nmonth = { formula = \"month(day)\" }\n",
        r#"["no", "month", "targets.pieces"]"#,
    );
    let files = [
        ("sales.csv", "no,day,region\n1,2025-01-31,N\n2,2025-02-01,N\n3,2025-02-28,S\n4,,S\n"),
        (
            "targets.csv",
            "first_day,region,pieces\n2025-01-01,N,10\n2025-02-01,N,20\n2025-02-01,S,30\n",
        ),
    ];
    assert_eq!(
        lines(&plan, &files),
        "no,month,targets.pieces\n1,2025-01,10\n2,2025-02,20\n3,2025-02,30\n4,,\n"
    );
}

#[test]
fn what_is_computed_as_no_day_is_no_day_of_a_link() {
    let plan = plan(
        &[
            ("orders", "key = 'no'\ncolumns.due = { formula = \"month(day)\" }"),
            ("rates", "key = 'currency'\nvalid = { from = 'since' }"),
        ],
        "[[link]]\npath = \"sales.order -> orders.no\"\n\
         [[link]]\npath = \"orders.currency -> rates.currency as of orders.due\"\n",
        r#"["order"]"#,
    );
    let came = Folder::with(&[
        ("interligo.toml", plan.as_str()),
        ("sales.csv", "order\n1\n"),
        ("orders.csv", "no,currency,day\n1,CHF,2025-01-05\n"),
        ("rates.csv", "currency,since,rate\nCHF,2025-01-01,0.9\n"),
    ])
    .run(&["run"]);
    let said = "the plan needs dates (2025-12-31) in `orders.due`, but it contains `2025-01`";
    assert!(came.said().contains(said), "{}", came.said());
    came.status(2).any_stderr().nothing_else();
}

/// Two links by one column, of which the first finds keys that the second must not: by case, and by a row that is filled in.
/// What the first found of a key as it is written is true of the second as well, and of no other key.
#[test]
fn links_by_one_column_match_each_in_its_own_way() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [tables.products]\nfrom = \"products.csv\"\nkey = \"sku\"\n\
        [tables.prices]\nfrom = \"prices.csv\"\nkey = \"sku\"\n\
        [[link]]\npath = \"sales.sku -> products.sku\"\nignore = [\"case\"]\n\
        missing = \"fill\"\nfill = { name = \"none\" }\n\
        [[link]]\npath = \"sales.sku -> prices.sku\"\n\
        [outputs.lines]\nto = \"o.csv\"\n\
        columns = [\"sku\", \"products.name\", \"prices.price\"]\nstatus = true\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("sales.csv", "no,sku\n1,AB-1\n2,ab-1\n3,AB-2\n4,ZZ\n5, AB-1 \n6,AB-3\n"),
        ("products.csv", "sku,name\nAB-1,Box\nAB-2,Lid\nAB-3,Peg\n"),
        ("prices.csv", "sku,price\nAB-2,2\nAB-1,1\n"),
    ]);
    let mut came = folder.run(&["run"]);
    assert_eq!(
        came.take_file("o.csv"),
        "sku,products.name,prices.price,products status,products key,prices status,prices key\n\
         AB-1,Box,1,exact,AB-1,exact,AB-1\n\
         ab-1,Box,,cleaned,AB-1,unmatched,\n\
         AB-2,Lid,2,exact,AB-2,exact,AB-2\n\
         ZZ,none,,filled,,unmatched,\n \
         AB-1 ,Box,1,cleaned,AB-1,cleaned,AB-1\n\
         AB-3,Peg,,exact,AB-3,unmatched,\n"
    );
}
