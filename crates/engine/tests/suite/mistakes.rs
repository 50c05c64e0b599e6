//! What is mistaken in a plan, found when its names are bound and its formulas typed: each with its message and what to do.

use interligo_engine::bind::Request;
use interligo_model::plan::{Mistake, Plan};

use crate::support::{Tables, prepared, tables};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\nkey = 'no'\n\
     [tables.returns]\nrole = 'fact'\nfrom = 'x.csv'\n\
     [tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [tables.families]\nfrom = 'f.csv'\nkey = 'code'\n\
     [tables.prices]\nfrom = 'r.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'last' }\n\
     [[link]]\npath = 'sales.item -> products.sku'\n\
     [[link]]\npath = 'products.family -> families.code'\n\
     [[link]]\npath = 'sales.item -> prices.sku as of day'\n\
     [figures]\nrevenue = 'quantity * prices.price'\n";

fn shop() -> Tables {
    tables(&[
        ("sales", "no,item,day,quantity,note\n1,A,2025-01-05,2,x"),
        ("returns", "no,article,amount\n1,A,2"),
        ("products", "sku,name,family,weight\nA,Smoker,tools,3"),
        ("families", "code,name,rank\ntools,Tools,7"),
        ("prices", "sku,since,last,price\nA,2025-01-01,,1.55"),
    ])
}

fn told(mistake: &Mistake) -> String {
    let help = mistake.help.as_deref().map_or(String::new(), |help| format!(" | {help}"));
    format!("{}{help}", mistake.message)
}

/// What is mistaken in the plan when `more` is added, and a text of it is replaced.
fn mistakes(replaced: (&str, &str), more: &str) -> String {
    let text = format!("{}{more}", PLAN.replace(replaced.0, replaced.1));
    let plan = match Plan::parse(&text) {
        Ok(plan) => plan,
        Err(mistake) => return format!("not parsed: {}", told(&mistake)),
    };
    let requests = match Request::of_plan(&plan) {
        Ok(requests) => requests,
        Err(mistake) => return told(&mistake),
    };
    match prepared(&plan, &shop(), &requests, Vec::new()) {
        Ok(_) => "none".to_owned(),
        Err(all) => all.iter().map(told).collect::<Vec<_>>().join("\n"),
    }
}

#[test]
fn tables_and_links_that_do_not_go_together_are_refused() {
    for (old, new, said) in [
        (
            "role = 'fact'\n",
            "",
            "no table of the plan is a fact table | add `role = \"fact\"` to the table with the sales lines",
        ),
        (
            "key = 'no'",
            "key = 'number'",
            "`sales` has no column `number` | there is `no`, `item`, `day`, `quantity`, `note`",
        ),
        (
            "key = 'no'",
            "valid = { from = 'day' }",
            "a fact table takes no `valid` | `valid` belongs to a lookup; leave this line out",
        ),
        (
            "key = 'no'",
            "duplicates = 'first'",
            "a fact table takes no `duplicates` | lines that share a key are settled by `repeats`",
        ),
        ("key = 'no'", "date = 'item2'", "`sales` has no column `item2` | did you mean `item`?"),
        (
            "key = 'no'",
            "key = 'no'\nrepeats = 'newest days'",
            "`sales` has no column `days` | did you mean `day`?",
        ),
        (
            "key = 'no'",
            "repeats = 'keep'",
            "`repeats` needs a `key`: it says what happens to lines that share one | add for instance key = [\"order_no\", \"line_no\"]",
        ),
        (
            "sales.item -> products.sku",
            "sales.itm -> products.sku",
            "`sales` has no column `itm` | did you mean `item`?",
        ),
        (
            "sales.item -> products.sku",
            "sales.item -> products.skus",
            "`products` has no column `skus` | did you mean `sku`?",
        ),
        (
            "sales.item -> products.sku",
            "sales.item -> product.sku",
            "the plan has no table `product` | did you mean `products`?",
        ),
        (
            "sales.item -> products.sku",
            "sales.item -> products.sku as of day",
            "the link asks for a day, the rows of `products` have no period | add `valid = { from = \"…\", until = \"…\" }` to [tables.products]",
        ),
        (
            "sales.item -> products.sku",
            "sales.item + note -> products.sku",
            "2 columns on the left, 1 column on the right | a key of several columns is compared column by column, in the order of writing",
        ),
        (
            "prices.sku as of day",
            "prices.sku",
            "the rows of `prices` are valid for a period, but the link names no date | end the path with `as of` and the column with the day of the sale",
        ),
        (
            "prices.sku as of day",
            "prices.sku as of days",
            "`sales` has no column `days` | did you mean `day`?",
        ),
        (
            "prices.sku as of day",
            "prices.sku as of products.name",
            "the plan needs dates (2025-12-31) in `products.name`, but it contains `Smoker` | check that the plan names the right column, and how its values are written",
        ),
        (
            "products.family -> families.code",
            "products.famili -> families.code",
            "`products` has no column `famili` | did you mean `family`?",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\nmissing = 'fill'",
            "`missing = \"fill\"` needs the values to fill in | add for instance `fill = { name = \"(unknown)\" }`",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\nfill = { rank = 1 }",
            "`fill` has no effect here | add `missing = \"fill\"` to the link",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\nmissing = 'fill'\nfill = { rang = 1 }",
            "`families` has no column `rang` | did you mean `rank`?",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\nneeds = ['rang']",
            "`families` has no column `rang` | did you mean `rank`?",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\ngap = 'earlier'",
            "the rows of `families` have no period, so `gap` has no effect | leave it out, or add `valid` to the table and `as of` to the path",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\nwhen = 'quantity'",
            "`products` has no column `quantity` | there is `sku`, `name`, `family`, `weight`",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\nwhen = 'weigth > 1'",
            "`products` has no column `weigth` | did you mean `weight`?",
        ),
        (
            "'products.family -> families.code'",
            "'products.family -> families.code'\nignore = { cod = ['case'] }",
            "the link does not lead to a column `cod` | did you mean `code`?",
        ),
        (
            "[[link]]\npath = 'products.family -> families.code'",
            "[[link]]\npath = 'families.name -> families.code'",
            "the links go in a circle: families -> families | leave one of these links out",
        ),
        (
            "[figures]",
            "[[link]]\npath = 'families.name -> products.sku'\n[figures]",
            "the links go in a circle: products -> families -> products | leave one of these links out",
        ),
        (
            "[figures]",
            "[[link]]\npath = 'sales.note -> products.sku'\n[figures]\nw = 'quantity * products.weight'",
            "`products` is already the name of the link `sales.item -> products.sku` | give one of them a name of its own: as = \"…\" in the plan, --as with `interligo link add`",
        ),
        (
            "valid = { from = 'since', until = 'last' }",
            "valid = { from = 'begin' }",
            "`prices` has no column `begin` | there is `sku`, `since`, `last`, `price`",
        ),
        (
            "valid = { from = 'since', until = 'last' }",
            "valid = { from = 'price' }",
            "the plan needs dates (2025-12-31) in `prices.price`, but it contains `1.55` | check that the plan names the right column, and how its values are written",
        ),
        (
            "valid = { from = 'since', until = 'last' }",
            "duplicates = 'largest rice'",
            "`prices` has no column `rice` | did you mean `price`?",
        ),
        (
            "'sales.item -> products.sku'",
            "'sales.item -> products.sku'\nwhen = \"day > 'soon'\"",
            "`soon` is not a date | it is written like '2025-12-31'",
        ),
    ] {
        assert_eq!(mistakes((old, new), ""), said, "{new}");
    }
}

#[test]
fn formulas_and_outputs_that_make_no_sense_are_refused() {
    for (more, said) in [
        (
            "x = 'quantity * pricing.price'\n",
            "no link leads from `sales` to `pricing` | add a [[link]] with a path such as \"sales.… -> pricing.…\"; links lead to `products`, `families`, `prices`",
        ),
        (
            "x = 'quantty * 2'\n",
            "no figure or column of `sales` is called `quantty` | did you mean `quantity`?",
        ),
        (
            "x = 'quantity * note'\n",
            "the plan needs numbers (1234.56) in `sales.note`, but it contains `x` | check that the plan names the right column, and how its values are written",
        ),
        (
            "x = 'day + day'\n",
            "`day + day`: a date and a date cannot be added | a number of days may be added to a date, or taken from it",
        ),
        (
            "x = 'note + 1'\n",
            "`note + 1`: text and a number cannot be added | `||` joins texts, `cast(x as number)` reads a text as a number",
        ),
        (
            "x = 'note > 1'\n",
            "the plan needs numbers (1234.56) in `sales.note`, but it contains `x` | check that the plan names the right column, and how its values are written",
        ),
        (
            "x = 'day > 1'\n",
            "the plan needs numbers (1234.56) in `sales.day`, but it contains `2025-01-05` | check that the plan names the right column, and how its values are written",
        ),
        (
            "x = 'month(day) > 2025'\n",
            "`>` cannot combine a period (month) and a number | a period is compared with a text such as '2025-03', or with another; `extract(month from …)` gives the plain number",
        ),
        ("x = 'not quantity'\n", "`not` needs a condition, `quantity` is a number"),
        ("x = 'if quantity then 1 else 2'\n", "`if` needs a condition, `quantity` is a number"),
        (
            "x = \"if quantity > 1 then 1 else 'a'\"\n",
            "the branches of `if` cannot combine a number and text",
        ),
        ("x = 'y + 1'\ny = 'x + 1'\n", "the figures go in a circle: x -> y -> x"),
        ("x = 'x + 1'\n", "the figures go in a circle: x -> x"),
        (
            "quantity = 'revenue * 2'\n",
            "`quantity` is both a figure and a column of `sales` | rename the figure",
        ),
        (
            "x = 'rank * 2'\n",
            "no figure or column of `sales` is called `rank` | `families.rank` is within reach",
        ),
        (
            "x = 'families.weight * 2'\n",
            "`families` has no column `weight` | there is `code`, `name`, `rank`",
        ),
        (
            "x = { formula = 'revenue', of = 'products' }\n",
            "`products` is no fact table of the plan | there is `sales`, `returns`",
        ),
        (
            "x = { formula = 'revenue', of = 'returns' }\n",
            "no figure or column of `returns` is called `revenue` | there is `x`, `no`, `article`, `amount`",
        ),
        (
            "x = { formula = 'note', round = 2 }\n",
            "the plan needs numbers (1234.56) in `sales.note`, but it contains `x` | check that the plan names the right column, and how its values are written",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\ncolumns = ['nothing']\n",
            "no figure or column of `sales` is called `nothing` | there is `revenue`, `no`, `item`, `day`, `quantity`, `note`",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\ncolumns = ['no']\nby = ['item']\n",
            "the output `o` has both `columns` and `by` | lines take `columns`, totals take `by` and `show`; write two outputs",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['itm']\n",
            "no figure or column of `sales` is called `itm` | did you mean `item`?",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['revenu']\n",
            "no figure or column of `sales` is called `revenu` | did you mean `revenue`?",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['note']\n",
            "the plan needs numbers (1234.56) in `sales.note`, but it contains `x` | check that the plan names the right column, and how its values are written",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['revenue / 2']\n",
            "`revenue / 2` is not the name of a figure or column | write `sum(revenue / 2)`, or give the formula a name under [figures] and show that",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['year_before(revenue)']\n",
            "the table has no period of a date column | put a period of a date column into `by` or `across`: month(sold_on)",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['products.weight']\n",
            "`products.weight` is a column of a lookup; its sum over lines is meaningless | multiply it by an amount of the line in a figure and show that, or show `avg`, `min`, `max` or `count(distinct …)` of it",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\ntop = 0\n",
            "the first 0 rows are none | write for instance 10",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nhaving = 'revenue'\n",
            "a condition is wanted here | compare something that is shown: \"revenue > 1000\"",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nwhere = 'quantity'\n",
            "this is a number, not a condition | write for instance quantity > 10",
        ),
        (
            "[outputs.o]\nto = 'o-{day}.csv'\nby = ['item']\n",
            "the totals are not grouped by `day`, so they have no file for it | there is `item`",
        ),
        (
            "[outputs.o]\nto = 'o-{item}.csv'\nby = ['item', 'no']\ntop = 2\n",
            "the first rows alone have no file for each value | leave `top` or the braces in `to` out",
        ),
        (
            "[outputs.o]\nto = 'o-{itm}.csv'\ncolumns = ['no']\n",
            "no figure or column of `sales` is called `itm` | did you mean `item`?",
        ),
        (
            "[outputs.o]\nto = 'o-{item}.csv'\nlist = 'unmatched'\n",
            "`o` is a list: braces in `to` are for lines and totals | name one file",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nstatus = true\nlist = 'unmatched'\n",
            "the output `o` is a list and takes only `to` and `of` | write another output for lines or totals",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nof = 'products'\n",
            "`products` is no fact table of the plan | there is `sales`, `returns`",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item', 'article']\nshow = ['revenue', 'amount']\n",
            "no figure or column of `sales` is called `amount` | there is `revenue`, `no`, `item`, `day`, `quantity`, `note`",
        ),
        (
            "[workbooks.b]\nto = 'b.xlsx'\nsheets = ['o']\n",
            "`o` is no output of the plan | the sheets of a workbook are outputs, by name",
        ),
        (
            "[labels]\nnothing = 'Nothing'\n",
            "no figure or column of `sales` is called `nothing` | there is `revenue`, `no`, `item`, `day`, `quantity`, `note`",
        ),
        (
            "[labels]\nquantity = 'Pieces'\nrevenue = 'Pieces'\n",
            "`quantity` and `revenue` would both be called `Pieces` | give one of them another label",
        ),
        ("[plan]\nweigh-by = 'note'\n", "there is no figure `note` | there is `revenue`"),
        (
            "[bands.size]\nof = 'note'\nedges = [1, 2]\n",
            "the plan needs numbers (1234.56) in `sales.note`, but it contains `x` | check that the plan names the right column, and how its values are written",
        ),
        (
            "[bands.quantity]\nof = 'quantity'\nedges = [1, 2]\n",
            "`quantity` is both a figure and a column of `sales` | rename the figure\n`quantity` is both a figure and a column of `sales` | rename the figure",
        ),
    ] {
        assert_eq!(mistakes(("", ""), more), said, "{more}");
    }
}

#[test]
fn values_that_do_not_go_together_are_refused_with_what_would() {
    for (formula, said) in [
        (
            "day - note",
            "`day - note`: text cannot be subtracted from a date | a number of days may be added to a date, or taken from it",
        ),
        (
            "day * 2",
            "the plan needs numbers (1234.56) in `sales.day`, but it contains `2025-01-05` | check that the plan names the right column, and how its values are written",
        ),
        (
            "quantity / day",
            "the plan needs numbers (1234.56) in `sales.day`, but it contains `2025-01-05` | check that the plan names the right column, and how its values are written",
        ),
        (
            "quantity - day",
            "`quantity - day`: a date cannot be subtracted from a number | a number of days may be added to a date, or taken from it",
        ),
        (
            "day + 1.5",
            "`1.5` may be a fraction of a day, and only whole days can be added to a date | `floor(1.5)` or `round(1.5, 0)` makes it whole",
        ),
        (
            "1.5 + day",
            "`1.5` may be a fraction of a day, and only whole days can be added to a date | `floor(1.5)` or `round(1.5, 0)` makes it whole",
        ),
        (
            "day - 0.5",
            "`0.5` may be a fraction of a day, and only whole days can be added to a date | `floor(0.5)` or `round(0.5, 0)` makes it whole",
        ),
        (
            "year(day) = 2025",
            "`=` cannot combine a period (year) and a number | write '2025': a year is compared with a text; `extract(year from …)` gives the plain number",
        ),
        (
            "year(day) = 25",
            "`=` cannot combine a period (year) and a number | a period is compared with a text such as '2025', or with another; `extract(month from …)` gives the plain number",
        ),
        (
            "month(day) = 3",
            "`=` cannot combine a period (month) and a number | a period is compared with a text such as '2025-03', or with another; `extract(month from …)` gives the plain number",
        ),
        (
            "day > 2025",
            "the plan needs numbers (1234.56) in `sales.day`, but it contains `2025-01-05` | check that the plan names the right column, and how its values are written",
        ),
        (
            "day = note",
            "`=` cannot combine a date and text | a date is compared with a text such as '2025-12-31', or with another",
        ),
        (
            "upper(note) = 1",
            "`=` cannot combine text and a number | write text in single quotes; `cast(x as number)` reads text as a number",
        ),
        (
            "upper(note) in ('a', 1)",
            "`=` cannot combine text and a number | write text in single quotes; `cast(x as number)` reads text as a number",
        ),
        ("day > 'soon'", "`soon` is not a date | it is written like '2025-12-31'"),
        ("month(day) = 'March'", "`March` is not a period (month) | it is written like '2025-03'"),
        ("least(quantity, note)", "`least` cannot combine a number and text"),
        ("coalesce(quantity, 'a')", "`coalesce` cannot combine a number and text"),
        (
            "quantity is blank + 1",
            "`quantity is blank + 1`: a condition and a number cannot be added | a number of days may be added to a date, or taken from it",
        ),
        ("abs(note || '')", "`abs` needs a number, `note || ''` is text"),
        ("round(quantity, quantity)", "the places of `round` are a whole number from 0 to 20"),
        ("power(quantity, -1)", "the second value of `power` is a whole number from 0 to 20"),
        (
            "extract(hour from day)",
            "found `hour`, wanted one of `year`, `quarter`, `month`, `week`, `day`, `weekday`",
        ),
        (
            "nothing(quantity)",
            "there is no function `nothing` | `interligo help formulas` lists them all",
        ),
        ("substring(note)", "found `)`, wanted `from`, as in `substring(text from 2 for 3)`"),
    ] {
        let got = mistakes(("", ""), &format!("x = \"if {formula} is blank then 1 else 2\"\n"));
        assert_eq!(got, said, "{formula}");
    }
}

#[test]
fn what_an_output_cannot_have_at_once_is_refused() {
    for (more, said) in [
        (
            "[outputs.o]\nto = 'o.csv'\nlist = 'unmatched'\ncolumns = ['no']\n",
            "the output `o` is a list and takes only `to` and `of` | write another output for lines or totals",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nlist = 'unmatched'\nby = ['item']\n",
            "the output `o` is a list and takes only `to` and `of` | write another output for lines or totals",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nlist = 'unmatched'\nshow = ['revenue']\n",
            "the output `o` is a list and takes only `to` and `of` | write another output for lines or totals",
        ),
        ("[outputs.o]\nto = 'o.csv'\nlist = 'unmatched'\n", "none"),
        (
            "[outputs.o]\nto = 'o.csv'\ncolumns = ['no']\nshow = ['revenue']\n",
            "the output `o` has no `by` | totals take `by`; `by = []` gives the grand total",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\ncolumns = ['no']\ntop = 3\n",
            "the output `o` has no `by` | totals take `by`; `by = []` gives the grand total",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nstatus = true\nby = ['item']\n",
            "the output `o` has both `status` and `by` | `status` shows the result of each link on each line; totals take `by` and `show`",
        ),
        (
            "[outputs.o]\nto = 'o.html'\ncolumns = ['no']\n",
            "the output `o` is a page and takes only `to` and `title` | a page shows the whole plan; write lines, totals and lists to a file of another form",
        ),
        (
            "[outputs.o]\nto = 'o.html'\nby = ['item']\n",
            "the output `o` is a page and takes only `to` and `title` | a page shows the whole plan; write lines, totals and lists to a file of another form",
        ),
        (
            "[outputs.o]\nto = 'o.html'\nstatus = true\n",
            "the output `o` is a page and takes only `to` and `title` | a page shows the whole plan; write lines, totals and lists to a file of another form",
        ),
        ("[outputs.o]\nto = 'o.html'\n", "none"),
        (
            "[outputs.o]\nto = 'o-{item}.html'\n",
            "`o` is a page: braces in `to` are for lines and totals | name one file",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['share(products.weight)']\n",
            "`products.weight` is a column of a lookup; its sum over lines is meaningless | multiply it by an amount of the line in a figure and show that, or show `avg`, `min`, `max` or `count(distinct …)` of it",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['share(avg(quantity))']\n",
            "a share is part of a sum or a count, and this is neither | show it by itself: it is comparable as it is, with that of `all`",
        ),
        ("[outputs.o]\nto = 'o.csv'\nby = ['item', 'item']\n", "none"),
        ("[outputs.o]\nto = 'o.csv'\nby = ['item > item']\n", "none"),
        ("[outputs.o]\nto = 'o.csv'\nby = ['item >']\n", "the formula ends, wanted a value"),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nsort = ['note']\n",
            "`note` is not a column of the table | there is `lines`, `revenue`, `item`",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nsort = ['difference']\n",
            "`difference` is not a column of the table | there is `lines`, `revenue`, `item`",
        ),
        (
            "[outputs.o]\nto = 'o.csv'\nby = ['item']\nall-periods = true\n",
            "the table has no period of a date column | put a period of a date column into `by` or `across`: month(sold_on)",
        ),
        ("[labels]\nlines = 'Count'\ndifference = 'Change'\n", "none"),
        (
            "[labels]\n'difference / cost' = 'Rate'\n[outputs.o]\nto = 'o.csv'\nby = ['item']\nshow = ['lines']\n",
            "none",
        ),
        ("[labels]\nquantity = ' '\n", "the label of `quantity` is blank"),
        (
            "[labels]\nquantity = 'note'\n",
            "`note` and `quantity` would both be called `note` | give one of them another label",
        ),
        (
            "[bands.size]\nof = 'quantity'\nedges = [2, 1]\n",
            "the edges do not rise: 2 comes before 1 | write each edge once, the smallest first",
        ),
        ("[bands.size]\nof = 'quantity'\nedges = []\n", "a band needs at least one edge"),
        (
            "[bands.size]\nof = 'quantity'\nedges = [1]\nnames = ['few']\n",
            "1 name for 2 ranges | name also what lies below the first edge and what lies above the last",
        ),
        ("[bands.size]\nof = 'quantity'\nedges = [1]\nnames = ['few', 'many']\n", "none"),
        ("[bands.item]\nof = 'quantity'\nedges = [1]\n", "none"),
        ("[shared.s]\nsales = 'item'\n", "none"),
        (
            "[shared.s]\nsales = 'item'\nreturns = 'articles'\n",
            "no figure or column of `returns` is called `articles` | did you mean `article`?",
        ),
        (
            "[shared.s]\nsales = 'item'\nproducts = 'sku'\n",
            "`products` is no fact table of the plan | there is `sales`, `returns`",
        ),
        (
            "x = { formula = 'quantity', round = 2, shown = 'percent', totals = 'average' }\n",
            "none",
        ),
        (
            "x = { formula = 'note', round = 2, totals = 'sum' }\n",
            "the plan needs numbers (1234.56) in `sales.note`, but it contains `x` | check that the plan names the right column, and how its values are written",
        ),
    ] {
        assert_eq!(mistakes(("", ""), more), said, "{more}");
    }
}

#[test]
fn what_only_totals_have_asks_for_attributes() {
    for setting in [
        "show = ['revenue']",
        "where = 'quantity > 0'",
        "across = ['item']",
        "versus = ['revenue', 'quantity']",
        "sort = ['-revenue']",
        "top = 3",
        "having = 'revenue > 0'",
        "all-periods = true",
        "not-shared = 'blank'",
    ] {
        let said = mistakes(("", ""), &format!("[outputs.o]\nto = 'o.csv'\n{setting}\n"));
        let expected =
            "the output `o` has no `by` | totals take `by`; `by = []` gives the grand total";
        assert_eq!(said, expected, "{setting}");
    }
}
