//! Totals over several facts, and sums of a fact as a lookup.

use crate::support::Folder;

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.budget]
role = "fact"
from = "budget.csv"
[tables.items]
from = "items.csv"
key = "sku"
[tables.groups]
from = "groups.csv"
key = "code"
[[link]]
path = "sales.item -> items.sku"
[[link]]
path = "items.group -> groups.code"
[[link]]
path = "budget.group -> groups.code"
[shared.month]
sales = "month(day)"
budget = "month"
[figures]
revenue = "quantity * price"
"#;

fn office(more: &str) -> Folder {
    Folder::with(&[
        ("interligo.toml", &format!("{PLAN}{more}")),
        (
            "sales.csv",
            "no,day,item,quantity,price\n1,2025-01-05,A,2,10\n2,2025-01-20,B,1,7.50\n3,2025-02-03,A,1,12\n4,2025-02-04,C,4,5\n",
        ),
        ("budget.csv", "group,month,target\nH,2025-01,25\nH,2025-02,10\nW,2025-02,8\n"),
        ("items.csv", "sku,name,group\nA,Hive,H\nB,Frame,H\nC,Jar,J\n"),
        ("groups.csv", "code,name\nH,Hives\nJ,Jars\nW,Wax\n"),
    ])
}

fn csv(folder: &Folder, arguments: &[&str]) -> String {
    folder.run(&[&["totals", "--format", "csv"], arguments].concat()).printed().to_owned()
}

#[test]
fn two_facts_stand_side_by_side_by_what_they_share() {
    let folder = office("");
    assert_eq!(
        csv(&folder, &["--by", "groups.name > month", "--versus", "revenue,budget.target"]),
        "level,groups.name,month,revenue,budget.target,difference,difference / budget.target\n\
         1,Hives,,39.50,35,4.50,0.1285714285714\n\
         2,Hives,2025-01,27.50,25,2.50,0.1\n\
         2,Hives,2025-02,12.00,10,2.00,0.2\n\
         1,Jars,,20.00,,20.00,\n\
         2,Jars,2025-02,20.00,,20.00,\n\
         1,Wax,,,8,-8,-1\n\
         2,Wax,2025-02,,8,-8,-1\n"
    );
    // The best group with its months in their order, which nobody asked to be another.
    assert_eq!(
        csv(
            &folder,
            &[
                "--by",
                "groups.name > month",
                "--show",
                "budget.target,year_before(revenue)",
                "--top",
                "1"
            ]
        ),
        "level,groups.name,month,budget.target,year_before(revenue)\n\
         1,Hives,,35,\n2,Hives,2025-01,25,\n2,Hives,2025-02,10,\n1,(the other 2),,8,\n"
    );
    // Months of one are put beside quarters of the other by what each of them says.
    let quarters = office("[shared.quarter]\nsales = 'quarter(day)'\nbudget = 'month'\n");
    assert_eq!(
        csv(&quarters, &["--by", "quarter", "--show", "lines,revenue,budget.target,budget.lines"]),
        "quarter,lines,revenue,budget.target,budget.lines\n2025-Q1,4,59.50,43,3\n"
    );
}

#[test]
fn no_total_is_repeated_where_a_fact_does_not_reach_an_attribute() {
    let folder = office("");
    let asked = ["totals", "--by", "items.name", "--show", "revenue,budget.target"];
    let came = folder.run(&asked);
    assert!(
        came.said().contains(
            "`budget` does not have `items.name`, and no total is repeated in its place: no link leads from `budget` to `items`"
        ),
        "{}",
        came.said()
    );
    assert_eq!(came.exit_status(), 2);
    assert_eq!(
        csv(
            &folder,
            &["--by", "items.name", "--show", "revenue,budget.target", "--not-shared", "blank"]
        ),
        "items.name,revenue,budget.target\nFrame,7.50,\nHive,32.00,\nJar,20.00,\n,,43\n"
    );
    // In a condition it is blank there as well: no line of that fact is a jar, and all are of no item.
    let filtered = |condition: &str| {
        let asked = ["--by", "items.name", "--show", "revenue,budget.target"];
        let how = ["--not-shared", "blank", "--where", condition];
        csv(&folder, &[&asked[..], &how[..]].concat())
    };
    let column_names = "items.name,revenue,budget.target\n";
    assert_eq!(filtered("items.name = 'Jar'"), format!("{column_names}Jar,20.00,\n"));
    assert_eq!(
        filtered("items.name = 'Jar' or items.name is blank"),
        format!("{column_names}Jar,20.00,\n,,43\n")
    );
    let wrong = [&asked[..], &["--not-shared", "blank", "--where", "items.nam = 'Jar'"]].concat();
    assert!(folder.run(&wrong).said().contains("did you mean"), "a typo is one");
}

#[test]
fn totals_of_the_plan_show_both_and_are_written() {
    let output = "[outputs.plan]\nto = 'plan.csv'\nby = ['month']\nversus = ['revenue', 'budget.target']\nsort = ['-difference']\n";
    let mut came = office(output).run(&["run"]);
    assert_eq!(came.said(), "");
    assert_eq!(
        came.take_file("plan.csv"),
        "month,revenue,budget.target,difference,difference / budget.target\n\
         2025-02,32.00,18,14.00,0.777777777778\n\
         2025-01,27.50,25,2.50,0.1\n"
    );
}

#[test]
fn sums_of_a_fact_are_a_lookup() {
    let sums = "
[tables.of_group]
sums = { of = 'sales', by = ['items.group'], show = ['revenue', 'lines'] }
[[link]]
path = 'items.group -> of_group.group'
";
    let plan = PLAN.replace(
        "[figures]\n",
        &format!("{sums}[figures]\nshare = 'round(revenue / of_group.revenue, 3)'\n"),
    ) + "[outputs.lines]\nto = 'lines.csv'\ncolumns = ['no', 'revenue', 'of_group.lines', 'share']\n";
    let mut folder = office("");
    folder.put("interligo.toml", plan.as_bytes());
    let mut came = folder.run(&["run", "--full"]);
    assert_eq!(came.said(), "");
    assert!(came.printed().contains("The lines were read before, for the sums of_group."));
    assert_eq!(
        came.take_file("lines.csv"),
        "no,revenue,of_group.lines,share\n1,20.00,3,0.506\n2,7.50,3,0.190\n3,12.00,3,0.304\n4,20.00,1,1.000\n"
    );
    // Only large groups, and the share over a total.
    assert_eq!(
        csv(
            &folder,
            &["--by", "items.name", "--show", "revenue", "--where", "of_group.revenue > 30"]
        ),
        "items.name,revenue\nFrame,7.50\nHive,32.00\n"
    );
}

/// The table `customer` is called as its key, and the sums by region build on it.
const STEPS: &str = "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n\
    [tables.customer]\nsums = { of = 'sales', by = ['customer'], show = ['amount', 'lines'] }\n\
    [tables.regional]\nsums = { of = 'sales', by = ['region'], show = ['weight'], where = \"size = 'large'\" }\n\
    [[link]]\npath = 'sales.customer -> customer.customer'\n\
    [[link]]\npath = 'sales.region -> regional.region'\n\
    [figures]\nshare = 'weight / regional.weight'\nweight = 'amount / customer.amount'\n\
    [bands.size]\nof = 'customer.amount'\nedges = [20]\nnames = ['small', 'large']\n\
    [outputs.lines]\nto = 'lines.csv'\n";
const STEPS_SALES: &str = "customer,region,amount\na,N,10\na,S,30\nb,N,5\nc,N,25\n";

#[test]
fn sums_may_build_on_other_sums() {
    let folder = Folder::with(&[("interligo.toml", STEPS), ("sales.csv", STEPS_SALES)]);
    let mut came = folder.run(&["run"]);
    assert_eq!(came.said(), "");
    assert_eq!(
        came.take_file("lines.csv"),
        "customer,region,amount,share,weight,size\n\
         a,N,10,0.2,0.25,large\na,S,30,1,0.75,large\nb,N,5,0.8,1,small\nc,N,25,0.8,1,large\n"
    );
    // In a circle nothing can be first.
    let circle = STEPS.replace("'lines']", "'share']");
    let folder = Folder::with(&[("interligo.toml", &circle), ("sales.csv", STEPS_SALES)]);
    let came = folder.run(&["run"]).status(2);
    assert!(came.said().contains("the sums of `customer` build on themselves"), "{}", came.said());
}

#[test]
fn quantities_are_net_of_what_was_given_back() {
    let folder = Folder::with(&[
        (
            "interligo.toml",
            "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n\
             [tables.returns]\nrole = 'fact'\nfrom = 'returns.csv'\n\
             [tables.returned]\nsums = { of = 'returns', by = ['order', 'line'], show = ['pieces'], where = \"reason <> 'void'\" }\n\
             [[link]]\npath = 'sales.order + line -> returned.order + line'\nmissing = 'normal'\n\
             [figures]\nnet = 'quantity - coalesce(returned.pieces, 0)'\n",
        ),
        ("sales.csv", "order,line,quantity\n1,1,5\n1,2,3\n2,1,4\n"),
        (
            "returns.csv",
            "order,line,pieces,reason\n1,1,1,worn\n1,1,1,worn\n2,1,4,late\n2,1,9,void\n",
        ),
    ]);
    assert_eq!(
        csv(&folder, &["--by", "order", "--show", "quantity,net"]),
        "order,quantity,net\n1,8,6\n2,4,0\n"
    );
}

#[test]
fn sums_that_are_none_are_refused_at_their_place() {
    for (table, message) in [
        (
            "sums = { of = 'sale', by = ['item'], show = ['revenue'] }",
            "`sale` is no fact table of the plan",
        ),
        (
            "sums = { of = 'items', by = ['item'], show = ['revenue'] }",
            "`items` is no fact table of the plan",
        ),
        (
            "sums = { of = 'sales', by = [], show = ['revenue'] }",
            "sums need something that they are found by",
        ),
        (
            "sums = { of = 'sales', by = ['item'], show = ['revenu'] }",
            "no figure or column of `sales` is called `revenu`",
        ),
        ("sums = { of = 'sales', by = ['item'], show = ['sales.item'] }", "would be called `item`"),
        (
            "from = 'x.csv'\nsums = { of = 'sales', by = ['item'], show = ['lines'] }",
            "both `sums` and files",
        ),
    ] {
        let came = office(&format!("[tables.sums]\n{table}\n")).run(&["run"]);
        assert!(came.said().contains(message), "{table}: {}", came.said());
        assert_eq!(came.exit_status(), 2, "{table}");
    }
}

#[test]
fn bands_that_facts_share_stand_in_the_order_of_their_edges() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [tables.budget]\nrole = \"fact\"\nfrom = \"budget.csv\"\n\
        [bands.order_size]\nof = \"quantity\"\nedges = [10, 50]\nnames = [\"small\", \"medium\", \"large\"]\n\
        [shared.size]\nsales = \"order_size\"\nbudget = \"class\"\n";
    for (of, show) in [("sales", "quantity,budget.target"), ("budget", "target,sales.quantity")] {
        let folder = Folder::with(&[
            ("interligo.toml", plan),
            ("sales.csv", "quantity,n\n60,1\n20,1\n1,1\n"),
            ("budget.csv", "class,target\nmedium,5\nlarge,6\nsmall,7\n"),
        ]);
        let asked = ["totals", "--of", of, "--by", "size", "--show", show, "--format", "csv"];
        let came = folder.run(&asked);
        let sizes: Vec<&str> =
            came.printed().lines().skip(1).filter_map(|line| line.split(',').next()).collect();
        assert_eq!(sizes, ["small", "medium", "large"], "{} {}", came.printed(), came.said());
    }
}
