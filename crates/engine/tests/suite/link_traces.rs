//! What a trace says of a link: the keys and steps that were tried, the row that was taken, and those that were not.

use interligo_engine::trace::{LinkTrace, NotTaken, PeriodRow, TakenRow};
use interligo_model::plan::{Correction, Plan};
use interligo_model::values::date::Day;

use crate::support::{Tables, over_all_lines, prepared, tables, totals_request};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n\
     [tables.prices]\nfrom = 'p.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'last' }\nduplicates = 'last'\n\
     [tables.products]\nfrom = 'q.csv'\nkey = 'sku'\nduplicates = 'first'\n\
     [[link]]\npath = 'sales.item or sales.other -> prices.sku as of day'\nignore = ['case']\n\
     [[link]]\npath = 'sales.item -> products.sku'\nwhen = \"item <> 'free'\"\nmissing = 'fill'\nfill = { name = 'none' }\n\
     [figures]\nrevenue = 'n * prices.price'\nlabel = 'products.name'\n";

fn shop() -> Tables {
    tables(&[
        (
            "sales",
            "item,other,day,n\nA,,2025-02-15,1\na,,2025-01-05,1\nA,,2025-06-01,1\nX,B,2025-01-05,1\nOLD,,2025-03-10,1\nfree,,2025-01-05,1\n\
             ,,2025-01-05,1\nA,,,1\nA,,2025-03-05,1",
        ),
        (
            "prices",
            "sku,since,last,price\nA,2025-01-01,2025-01-31,1\nA,2025-02-01,2025-02-28,2\nA,2025-03-08,2025-03-31,3\nA,2025-04-01,2025-05-01,4\nB,,,5",
        ),
        ("products", "sku,name\nA,Smoker\nA,Veil\nB,Wax"),
    ])
}

fn day(day: Option<Day>) -> String {
    day.map_or("-".to_owned(), |day| day.to_string())
}

fn row(row: &TakenRow) -> String {
    let place = row.place.as_ref().map_or("nowhere".to_owned(), ToString::to_string);
    let attributes = row.attributes.iter().map(|(name, value)| format!(" {name}={value}"));
    let valid =
        row.valid.map_or(String::new(), |(from, until)| format!(" {}..{}", day(from), day(until)));
    format!("{place}{valid}{}", attributes.collect::<String>())
}

/// How a line was led to a row, in words.
fn told(trace: &LinkTrace) -> String {
    let mut told = vec![format!("{} {}", trace.status.name(), trace.by)];
    for attempt in &trace.attempts {
        let steps = attempt.steps.iter().map(|(step, outcome)| format!(" {step:?} {outcome:?}"));
        let by = attempt.correction.map_or(String::new(), |number| format!(" by {number}"));
        told.push(format!("`{}`{by}:{}", attempt.written, steps.collect::<String>()));
    }
    if let Some(of_day) = &trace.day {
        told.push(format!("on {}", day(of_day.day)));
        let period =
            |own: &PeriodRow| format!("{}..{} {}", day(own.from), day(own.until), row(&own.row));
        told.extend(of_day.before.as_ref().map(|own| format!("before {}", period(own))));
        told.extend(of_day.after.as_ref().map(|own| format!("after {}", period(own))));
        told.extend(
            of_day
                .with
                .iter()
                .map(|own| format!("{:?} {} days {}", own.rule, own.days, row(&own.row))),
        );
    }
    told.extend(trace.row.as_ref().map(|own| format!("took {}", row(own))));
    for other in &trace.not_taken {
        let why = match other.why {
            NotTaken::Duplicate => "duplicate".to_owned(),
            NotTaken::OtherDays { from, until } => format!("{}..{}", day(from), day(until)),
        };
        told.push(format!("not {} {why} {:?}", other.place, other.differs));
    }
    told.join("; ")
}

/// What each line says of a link.
fn traces(link: usize) -> Vec<String> {
    let correction = Correction {
        link: "prices".to_owned(),
        found: "OLD".to_owned(),
        used: "A".to_owned(),
        note: String::new(),
        row: 2,
    };
    let plan = Plan::parse(PLAN).unwrap();
    let (engine, _) =
        prepared(&plan, &shop(), &[totals_request(&[], &["lines"])], vec![correction]).unwrap();
    over_all_lines(&engine, &shop(), |lines| {
        let told = |line: usize| {
            let trace = lines.trace(line);
            trace.links.iter().find(|own| own.link == link).map_or("-".to_owned(), told)
        };
        (0..lines.rows).map(told).collect()
    })
}

#[test]
fn a_dated_link_names_the_rows_before_and_after() {
    let expected = [
        "exact 0; `A`: AsWritten Key; on 2025-02-15; took prices:3 2025-02-01..2025-02-28 price=2; not prices:2 2025-01-01..2025-01-31 [(\"price\", \"1\")]; not prices:4 2025-03-08..2025-03-31 [(\"price\", \"3\")]",
        "cleaned 0; `a`: AsWritten NoKey Ignoring(\"a\") Key; on 2025-01-05; took prices:2 2025-01-01..2025-01-31 price=1; not prices:3 2025-02-01..2025-02-28 [(\"price\", \"2\")]",
        "undated 0; `A`: AsWritten Key; ``: AsWritten NoKey; on 2025-06-01; before 2025-04-01..2025-05-01 prices:5 2025-04-01..2025-05-01 price=4; Earlier 31 days prices:5 2025-04-01..2025-05-01 price=4",
        "alternate 1; `X`: AsWritten NoKey Ignoring(\"x\") NoKey; `B`: AsWritten Key; on 2025-01-05; took prices:6 -..- price=5",
        "mended 0; `OLD` by 0: AsWritten NoKey Ignoring(\"old\") NoKey; on 2025-03-10; took prices:4 2025-03-08..2025-03-31 price=3; not prices:3 2025-02-01..2025-02-28 [(\"price\", \"2\")]; not prices:5 2025-04-01..2025-05-01 [(\"price\", \"4\")]",
        "unmatched 0; `free`: AsWritten NoKey Ignoring(\"free\") NoKey; ``: AsWritten NoKey; on 2025-01-05",
        "blank 0; ``: AsWritten NoKey; ``: AsWritten NoKey; on 2025-01-05",
        "undated 0; `A`: AsWritten Key; ``: AsWritten NoKey; on -",
        "undated 0; `A`: AsWritten Key; ``: AsWritten NoKey; on 2025-03-05; before 2025-02-01..2025-02-28 prices:3 2025-02-01..2025-02-28 price=2; after 2025-03-08..2025-03-31 prices:4 2025-03-08..2025-03-31 price=3; Earlier 5 days prices:3 2025-02-01..2025-02-28 price=2; Later 3 days prices:4 2025-03-08..2025-03-31 price=3",
    ];
    assert_eq!(traces(0), expected);
}

#[test]
fn a_link_names_the_duplicates_that_were_not_taken() {
    let expected = [
        "exact 0; `A`: AsWritten Key; took products:2 name=Smoker; not products:3 duplicate [(\"name\", \"Veil\")]",
        "filled 0; `a`: AsWritten NoKey; took nowhere name=none",
        "exact 0; `A`: AsWritten Key; took products:2 name=Smoker; not products:3 duplicate [(\"name\", \"Veil\")]",
        "filled 0; `X`: AsWritten NoKey; took nowhere name=none",
        "filled 0; `OLD`: AsWritten NoKey; took nowhere name=none",
        "not-needed 0",
        "filled 0; ``: AsWritten NoKey; took nowhere name=none",
        "exact 0; `A`: AsWritten Key; took products:2 name=Smoker; not products:3 duplicate [(\"name\", \"Veil\")]",
        "exact 0; `A`: AsWritten Key; took products:2 name=Smoker; not products:3 duplicate [(\"name\", \"Veil\")]",
    ];
    assert_eq!(traces(1), expected);
}

/// Keys of the lookup that differ in the blanks around them alone.
#[test]
fn rows_whose_keys_differ_in_blanks_alone_are_duplicates() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'q.csv'\nkey = 'sku'\n\
         [[link]]\npath = 'sales.item -> products.sku'\n";
    let shop = tables(&[
        ("sales", "no,item,n\n1,W,1\n2, W,1\n3,V ,1"),
        ("products", "name,sku,n\nA, W,1\nB,W ,2\nC,V,3"),
    ]);
    let plan = Plan::parse(plan).unwrap();
    let (engine, _) =
        prepared(&plan, &shop, &[totals_request(&[], &["lines"])], Vec::new()).unwrap();
    let told: Vec<String> = over_all_lines(&engine, &shop, |lines| {
        (0..lines.rows).map(|line| told(&lines.trace(line).links[0])).collect()
    });
    let expected = [
        "cleaned 0; `W`: AsWritten NoKey Trimmed(\"W\") Key; took products:2; not products:3 duplicate [(\"name\", \"\"), (\"n\", \"\")]",
        "exact 0; ` W`: AsWritten Key; took products:2; not products:3 duplicate [(\"name\", \"\"), (\"n\", \"\")]",
        "cleaned 0; `V `: AsWritten NoKey Trimmed(\"V\") Key; took products:4",
    ];
    assert_eq!(told, expected);
}
