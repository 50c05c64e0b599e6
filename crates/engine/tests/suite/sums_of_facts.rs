//! Sums of a fact as a lookup: what is summed, by which plan, and which sums are none.

use interligo_engine::bind::{Content, sums_request};
use interligo_model::plan::Plan;

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n\
     [tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [tables.families]\nfrom = 'f.csv'\nkey = 'code'\n\
     [tables.per_item]\nsums = { of = 'sales', by = ['item', 'families.name'], show = ['lines', 'quantity'], where = 'quantity > 0' }\n\
     [tables.per_family]\nsums = { of = 'sales', by = ['products.family'], show = ['share_of_item'] }\n\
     [[link]]\npath = 'sales.item -> products.sku'\n[[link]]\npath = 'products.family -> families.code'\n\
     [[link]]\npath = 'sales.item + families.name -> per_item.item + name'\n\
     [[link]]\npath = 'products.family -> per_family.family'\n\
     [figures]\nshare_of_item = 'quantity / per_item.quantity'\nof_family = 'share_of_item / per_family.share_of_item'\n\
     [outputs.lines]\nto = 'l.csv'\ncolumns = ['of_family']\n";

fn plan(text: &str) -> Plan {
    Plan::parse(text).unwrap()
}

#[test]
fn the_totals_of_a_table_of_sums_have_the_names_of_its_columns() {
    let sums = sums_request(&plan(PLAN), "per_item").unwrap().unwrap();
    assert_eq!(
        (sums.columns, sums.keys),
        (["item", "name", "lines", "quantity"].map(str::to_owned).into(), 2)
    );
    assert_eq!(
        (sums.request.name.as_str(), sums.request.of.unwrap().text.as_str()),
        ("per_item", "sales")
    );
    let Content::Totals(totals) = sums.request.content else { panic!("sums are totals") };
    let texts = |all: &[interligo_model::plan::Written]| {
        all.iter().map(|own| own.text.clone()).collect::<Vec<_>>()
    };
    assert_eq!(texts(&totals.by), ["item", "families.name"]);
    assert_eq!(texts(&totals.show.unwrap()), ["lines", "quantity"]);
    assert_eq!(totals.filter.unwrap().text, "quantity > 0");
    assert!(sums_request(&plan(PLAN), "products").unwrap().is_none(), "it is read from files");
    assert!(sums_request(&plan(PLAN), "nothing").unwrap().is_none());
}

/// The tables, the links and the figures of the plan by which the sums of a table are computed.
fn left(table: &str) -> [Vec<String>; 3] {
    let plan = sums_request(&plan(PLAN), table).unwrap().unwrap().plan;
    assert!(plan.outputs.iter().next().is_none(), "nothing is put out");
    let tables = plan.tables.iter().map(|own| own.name.clone());
    let links = plan.link.iter().map(|own| own.get_ref().path.get_ref().clone());
    let figures = plan.figures.iter().map(|own| own.name.clone());
    [tables.collect(), links.collect(), figures.collect()]
}

#[test]
fn sums_are_computed_without_what_does_not_need_them() {
    let links = ["sales.item -> products.sku", "products.family -> families.code"];
    let tables = ["sales", "products", "families"];
    assert_eq!(
        left("per_item"),
        [tables.map(str::to_owned).to_vec(), links.map(str::to_owned).to_vec(), vec![]]
    );
    let [tables, links, figures] = left("per_family");
    assert_eq!(tables, ["sales", "products", "families", "per_item"], "on which they build");
    assert_eq!(links.len(), 3);
    assert_eq!(figures, ["share_of_item"]);
}

#[test]
fn sums_that_are_none_are_refused() {
    for (old, new, said) in [
        (
            "of = 'sales', by = ['item', ",
            "of = 'products', by = ['item', ",
            "`products` is no fact table of the plan",
        ),
        ("by = ['item', 'families.name']", "by = []", "sums need something that they are found by"),
        (
            "'lines', 'quantity']",
            "'lines', 'item']",
            "two columns of the table would be called `item`",
        ),
        (
            "'lines', 'quantity']",
            "'lines', 'share_of_item']",
            "the sums of `per_item` build on themselves",
        ),
        ("'lines', 'quantity']", "'lines', 'sum(']", "the formula ends, wanted a value"),
        (
            "[tables.per_item]\n",
            "[tables.per_item]\nfrom = 'i.csv'\n",
            "the table has both `sums` and files",
        ),
    ] {
        let refused = sums_request(&plan(&PLAN.replace(old, new)), "per_item").err();
        let refused = refused.map_or(String::new(), |mistake| mistake.message);
        assert_eq!(refused, said);
    }
}
