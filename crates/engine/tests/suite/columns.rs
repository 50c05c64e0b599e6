//! How the cells of a column are read by what the plan says of it, in a fact and in a lookup alike, and columns that are computed.

use interligo_model::plan::Plan;

use crate::support::{Tables, engine, over_all_lines, prepared, tables, totals_request};

/// What a figure over the one line comes to; the text stands for what is said where it cannot be computed.
fn value(plan: &str, tables: &Tables) -> String {
    let plan = Plan::parse(plan).unwrap();
    match prepared(&plan, tables, &[totals_request(&[], &["lines"])], Vec::new()) {
        Ok((engine, _)) => over_all_lines(&engine, tables, |lines| {
            lines.values_of(engine.figure_expr(0)).unwrap().value(0).to_string()
        }),
        Err(mistakes) => {
            mistakes.iter().map(|own| own.message.clone()).collect::<Vec<_>>().join("; ")
        }
    }
}

/// The value of a cell in a column of the fact and in one of a lookup.
fn read(column: &str, cell: &str, formula: &str) -> [String; 2] {
    let columns = |table: &str| match column {
        "" => String::new(),
        column => format!("[tables.{table}.columns]\nx = {column}\n"),
    };
    let tables = tables(&[
        ("sales", &format!("item,x\nA,{cell}")),
        ("products", &format!("sku,x\nA,{cell}\nB,{cell}")),
    ]);
    let link = "[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n";
    let path = "[[link]]\npath = 'sales.item -> products.sku'\n";
    let own = format!(
        "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n{}{link}{path}[figures]\nf = \"{}\"\n",
        columns("sales"),
        formula.replace('@', "x"),
    );
    let of_lookup = format!(
        "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n{link}{}{path}[figures]\nf = \"{}\"\n",
        columns("products"),
        formula.replace('@', "products.x"),
    );
    [value(&own, &tables), value(&of_lookup, &tables)]
}

#[test]
fn numbers_are_read_as_the_plan_says() {
    for (column, cell, formula, expected) in [
        ("", "12.50", "@ + 0", ["12.50", "12.50"]),
        ("", "12.5%", "@ + 0", ["0.125", "0.125"]),
        ("{ type = 'percent' }", "12.5", "@ + 0", ["", ""]),
        ("{ type = 'percent' }", "12.5%", "@ + 0", ["0.125", "0.125"]),
        ("{ type = 'number' }", "12.5%", "@ + 0", ["", ""]),
        ("{ scale = 0.01 }", "12.5%", "@ + 0", ["0.12500", "0.12500"]),
        ("{ type = 'integer' }", "7", "@ + 0", ["7", "7"]),
        ("{ type = 'integer' }", "7.5", "@ + 0", ["", ""]),
        ("{ type = 'number' }", "wax", "@ + 0", ["", ""]),
        (
            "",
            "wax",
            "@ + 0",
            [
                "`x + 0`: text and a number cannot be added",
                "`products.x + 0`: text and a number cannot be added",
            ],
        ),
        ("{ type = 'text' }", "007", "@ || '!'", ["007!", "007!"]),
        ("", "007", "@ || '!'", ["007!", "007!"]),
        (
            "{ type = 'text' }",
            "7",
            "@ + 0",
            [
                "`x + 0`: text and a number cannot be added",
                "`products.x + 0`: text and a number cannot be added",
            ],
        ),
        ("{ type = 'yes-no' }", "yes", "if @ then 1 else 2", ["1", "1"]),
        (
            "",
            "no",
            "if @ then 1 else 2",
            ["`if` needs a condition, `x` is text", "`if` needs a condition, `products.x` is text"],
        ),
        ("{ type = 'date' }", "2025-03-05", "extract(day from @)", ["5", "5"]),
        ("", "2025-03-05", "extract(day from @)", ["5", "5"]),
        ("{ type = 'date' }", "soon", "extract(day from @)", ["", ""]),
        (
            "",
            "soon",
            "extract(day from @)",
            [
                "the plan needs dates (2025-12-31) in `sales.x`, but it contains `soon`",
                "the plan needs dates (2025-12-31) in `products.x`, but it contains `soon`",
            ],
        ),
        (
            "",
            "12%",
            "extract(day from @)",
            [
                "the plan needs dates (2025-12-31) in `sales.x`, but it contains `12%`",
                "the plan needs dates (2025-12-31) in `products.x`, but it contains `12%`",
            ],
        ),
        ("{ type = 'number', scale = 0.01 }", "12.5%", "@ + 0", ["0.12500", "0.12500"]),
        (
            "{ scale = 0 }",
            "1",
            "@ + 0",
            ["`0` is no number to multiply by", "`0` is no number to multiply by"],
        ),
        (
            "{ scale = 'x' }",
            "1",
            "@ + 0",
            ["`x` is no number to multiply by", "`x` is no number to multiply by"],
        ),
        (
            "{ like = 'x' }",
            "1",
            "@ + 0",
            [
                "`x` shows neither how 1234.56 nor how the 31st of December 2025 is written",
                "`x` shows neither how 1234.56 nor how the 31st of December 2025 is written",
            ],
        ),
    ] {
        assert_eq!(read(column, cell, formula), expected, "{column} {cell} {formula}");
    }
}

const COMPUTED: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [tables.products.columns]\nCOLUMNS\n[[link]]\npath = 'sales.item -> products.sku'\n[figures]\nf = 'n * products.net'\n";

#[test]
fn a_column_of_a_lookup_is_computed_from_those_before_it() {
    let shop = tables(&[
        ("sales", "item,n\nA,2"),
        ("products", "sku,price,rate,since,gross,net\nA,12.50,0.2,2025-03-05,,"),
    ]);
    for (columns, expected) in [
        ("net = { formula = 'price * (1 - rate)' }", "20.000"),
        ("gross = { formula = 'price * 2' }\nnet = { formula = 'gross - rate' }", "49.60"),
        (
            "net = { formula = 'gross - rate' }\ngross = { formula = 'price * 2' }",
            "`gross` is computed below this column, or by it",
        ),
        ("net = { formula = 'net + 1' }", "`net` is computed below this column, or by it"),
        ("net = { formula = 'extract(day from since)' }", "10"),
        ("net = { formula = 'since + 1' }", "`*` needs a number, `products.net` is a date"),
        ("net = { formula = \"sku || '1'\" }", "`*` needs a number, `products.net` is text"),
        ("net = { formula = 'prise * 2' }", "`products` has no column `prise`"),
        ("net = { formula = 'sales.n * 2' }", "`sales.n` is no column of `products`"),
        ("net = { formula = 'price * ' }", "the formula ends, wanted a value"),
        ("nett = { type = 'number' }", "no file of the table has a column `nett`"),
        ("price = { type = 'integer' }\nnet = { formula = 'price * 2' }", ""),
    ] {
        assert_eq!(value(&COMPUTED.replace("COLUMNS", columns), &shop), expected, "{columns}");
    }
}

#[test]
fn what_a_lookup_needs_of_its_keys_tells_them_apart() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
                [tables.products.columns]\nclass = { type = 'text' }\n\
                [[link]]\npath = 'sales.item -> products.sku'\n[figures]\nf = 'n * products.price'\ng = 'products.class'\nh = 'products.size'\n";
    let shop = tables(&[
        ("sales", "item,n\nA,2\nB,3"),
        (
            "products",
            "sku,class,size,price\nA,x,1,1.50\nA,y,1,2.50\nB,x,2,3\nC,x,7,1.25\nC,z,8,1.75",
        ),
    ]);
    let (engine, _) = engine(plan, &shop, &[], &["lines"]);
    let lookup = &engine.lookups[0];
    assert_eq!(lookup.telling_apart(&["sku".to_owned()]), ["class"]);
    assert!(
        lookup.telling_apart(&["class".to_owned()]).contains(&"class"),
        "nothing is shared by it"
    );
    assert_eq!(
        [lookup.is_unique(&[0]), lookup.is_unique(&[0, 1]), lookup.is_unique(&[2])],
        [false, true, false]
    );
}
