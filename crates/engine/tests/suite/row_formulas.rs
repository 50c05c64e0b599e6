//! Formulas over the columns of one row: columns of a fact that are computed, and conditions on rows.

use arrow_array::StringViewArray;
use interligo_engine::bind::RowColumns;
use interligo_model::plan::{ColumnType, Plan, Written};
use interligo_model::reading::style::PartStyle;

use crate::support::{engine, over_all_lines, tables};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.sales.columns]\n\
     total = { formula = 'n * price' }\ncode = { formula = \"left(item, 1) || '-' || no\" }\n\
     later = { formula = 'day + 1' }\nlarge = { formula = 'total > 5' }\n";

fn columns() -> Vec<String> {
    ["item", "no", "n", "price", "day", "total", "code", "later", "large"]
        .map(str::to_owned)
        .to_vec()
}

const TYPES: [ColumnType; 5] = [
    ColumnType::Text,
    ColumnType::Integer,
    ColumnType::Number,
    ColumnType::Number,
    ColumnType::Date,
];

/// The texts of a column, of three rows.
fn texts(column: usize) -> StringViewArray {
    StringViewArray::from_iter_values(match column {
        0 => ["Smoker", "Veil", ""],
        1 => ["007", "8", ""],
        2 => ["2", "3", "many"],
        3 => ["1.50", "2", "1"],
        4 => ["2025-01-31", "", "2025-02-28"],
        _ => [""; 3],
    })
}

fn over(plan: &Plan, columns: &[String], then: impl FnOnce(RowColumns<'_>)) {
    let types = TYPES.into_iter().chain([ColumnType::Text; 4]).collect();
    then(RowColumns::new(plan, "sales", columns, types).unwrap());
}

#[test]
fn columns_are_computed_row_by_row() {
    let (plan, columns) = (Plan::parse(PLAN).unwrap(), columns());
    over(&plan, &columns, |rows| {
        assert_eq!(
            rows.types()[5..],
            [ColumnType::Number, ColumnType::Text, ColumnType::Date, ColumnType::YesNo]
        );
        assert!(rows.computed(0).is_none(), "it is read");
        let computed = |column: usize| {
            let expr = rows.computed(column).unwrap();
            let of: Vec<usize> = expr.columns().collect();
            let all = expr.texts(3, &PartStyle::default(), texts).unwrap();
            (of, all.iter().map(|text| text.unwrap().to_owned()).collect::<Vec<_>>())
        };
        let expected =
            |of: &[usize], texts: [&str; 3]| (of.to_vec(), texts.map(str::to_owned).to_vec());
        assert_eq!(computed(5), expected(&[2, 3], ["3.00", "6", ""]));
        assert_eq!(computed(6), expected(&[0, 1], ["S-007", "V-8", ""]));
        assert_eq!(computed(7), expected(&[4], ["2025-02-01", "", "2025-03-01"]));
        assert_eq!(computed(8), expected(&[2, 3], ["no", "yes", ""]));
    });
}

#[test]
fn a_condition_holds_for_some_rows() {
    let (plan, columns) = (Plan::parse(PLAN).unwrap(), columns());
    over(&plan, &columns, |rows| {
        let holds = |condition: &str| {
            let written = Written::in_option("--where", condition, 0..condition.len());
            match rows.condition(&written) {
                Ok(expr) => format!("{:?}", expr.holds(3, &PartStyle::default(), texts).unwrap()),
                Err(mistake) => mistake.message,
            }
        };
        for (condition, expected) in [
            ("item = 'Veil'", "[false, true, false]"),
            ("total > 2 and n < 3", "[true, false, false]"),
            ("no = '007'", "[true, false, false]"),
            ("no = 7", "[true, false, false]"),
            ("day < date(2025, 2, 1)", "[true, false, false]"),
            ("large", "[false, true, false]"),
            ("n", "a condition is wanted here"),
            ("nothing = 1", "`sales` has no column `nothing`"),
            ("other.n = 1", "`other.n` is no column of `sales`"),
            ("n >", "the formula ends, wanted a value"),
        ] {
            assert_eq!(holds(condition), expected, "{condition}");
        }
    });
}

#[test]
fn lines_have_the_columns_that_are_computed_of_them() {
    let plan = format!(
        "{PLAN}[tables.codes]\nfrom = 'c.csv'\nkey = 'code'\n[[link]]\npath = 'sales.code -> codes.code'\n\
         [[link]]\npath = 'sales.total -> sizes.total'\n[tables.sizes]\nfrom = 'z.csv'\nkey = 'total'\n\
         [figures]\nsum = 'total * 2'\nname = 'codes.name'\nnext = 'later'\nsize = 'sizes.name'\n"
    );
    let tables = tables(&[
        (
            "sales",
            "item,no,n,price,day,total,code,later,large\nSmoker,007,2,1.50,2025-01-31,,,,\nVeil,8,3,2,,,,,\n,,many,1,2025-02-28,,,,",
        ),
        ("codes", "code,name\nS-007,first\nV-8,second"),
        ("sizes", "total,name\n3.00,three\n6.00,six"),
    ]);
    let (engine, _) = engine(&plan, &tables, &[], &["lines"]);
    let lines = over_all_lines(&engine, &tables, |lines| {
        let value = |figure: usize, line: usize| {
            lines.values_of(engine.figure_expr(figure)).unwrap().value(line).to_string()
        };
        [0, 1, 2].map(|line| [0, 1, 2, 3].map(|figure| value(figure, line)).join(" "))
    });
    let expected = ["6.00 first 2025-02-01 three", "12.00 second  six", "  2025-03-01 "];
    assert_eq!(lines, expected);
    let names: Vec<&str> = engine.line_column_names().collect();
    // What is a number and a key, too, is there as both.
    let expected = ["item", "no", "n", "price", "day", "total", "total", "code", "later", "large"];
    assert_eq!(names, expected);
    assert_eq!((engine.computed_column(0), engine.computed_column(5).is_some()), (None, true));
    assert_eq!(
        (engine.column_type(2), engine.column_type(4)),
        (Some(ColumnType::Number), Some(ColumnType::Date))
    );
}
