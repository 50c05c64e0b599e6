//! `interligo link`: match rates of links, their map, links found and added.

use crate::linking::SHOP;
use crate::support::Folder;

const COMMENTED: &str = "\
# The shop.
[tables.sales]
role = \"fact\"
from = \"sales.csv\"
[tables.products]
from = \"products.csv\"
[tables.families]
from = \"families.csv\"
[tables.places]
from = \"places.csv\"

[[link]]
path = \"sales.item -> products.sku\" # by hand

# What it comes to.
[figures]
x = \"1\"
";

fn shop() -> Folder {
    let mut all = vec![("interligo.toml", COMMENTED)];
    all.extend(SHOP);
    Folder::with(&all)
}

#[test]
fn a_link_is_added_where_it_belongs_once_it_was_tried() {
    let folder = shop();
    let mut came = folder.run(&["link", "add", "products.family -> families.code"]);
    let plan = came.take_file("interligo.toml");
    let entry = "[[link]]\npath = \"products.family -> families.code\"\n\n# What it comes to.";
    assert_eq!(plan, COMMENTED.replace("# What it comes to.", entry));
    insta::assert_snapshot!("link_add", came.as_text());
    // Further links to one table have a name; one that finds nothing is not taken.
    for (arguments, status, said) in [
        (&["sales.ship_to -> places.code", "--as", "ship", "--ignore", "case"][..], 0, ""),
        (&["sales.no -> places.code"], 1, "no line finds a row by `sales.no -> places.code`"),
        (&["sales.no -> places.code", "--anyway"], 0, ""),
        (&["sales.ship_to -> places.code", "--dry-run"], 0, ""),
        (&["sales.itm -> places.code"], 2, "did you mean `item`?"),
        (&["sales.item"], 2, "the path ends, wanted `->`"),
        (&["sales.item -> products.sku"], 2, "`products` is already the name of the link"),
    ] {
        let mut all = vec!["link", "add"];
        all.extend(arguments);
        let mut came = shop().run(&all);
        assert!(came.said().contains(said), "{}", came.said());
        let writes = status == 0 && !arguments.contains(&"--dry-run");
        if writes {
            came.take_file("interligo.toml");
        }
        came.status(status).any_stdout().any_stderr().nothing_else();
    }
}

#[test]
fn links_are_listed_drawn_and_found() {
    let folder = shop();
    insta::assert_snapshot!("link_list", folder.run(&["link"]).as_text());
    insta::assert_snapshot!("link_csv", folder.run(&["link", "--format", "csv"]).as_text());
    insta::assert_snapshot!("link_map", folder.run(&["link", "map"]).as_text());
    let json: serde_json::Value =
        serde_json::from_str(folder.run(&["link", "--format", "json"]).printed()).unwrap();
    assert_eq!((&json["links"][0]["found"], &json["links"][0]["lines"]), (&2.into(), &2.into()));
    let mut came = folder.run(&["link", "map", "--svg", "map.svg"]);
    let svg = came.take_file("map.svg");
    assert!(svg.starts_with("<svg ") && svg.ends_with("</svg>\n"), "{svg}");
    assert!(svg.contains(">sales</text>") && svg.contains("item → sku"), "{svg}");
    came.any_stdout().nothing_else();
    let found = folder.run(&["link", "find"]);
    assert!(found.printed().contains("products.family -> families.code"), "{}", found.printed());
}

#[test]
fn what_cannot_be_drawn_or_found_is_reported() {
    for (arguments, status, said) in [
        (&["link", "map", "--svg", "sales.csv/map.svg"][..], 4, "cannot be written"),
        (&["link", "map", "--svg", "."], 4, "it is a folder"),
        (&["link", "--plan", "interligo.tml"], 3, "did you mean `interligo.toml`?"),
        (
            &["link", "--plan", "other.txt"],
            3,
            "name a plan that is there; `interligo start` drafts one",
        ),
        (&["link", "drow"], 2, "there is no command `drow`"),
    ] {
        let came = shop().run(arguments);
        assert!(came.said().contains(said), "{}", came.said());
        came.status(status).any_stderr().nothing_else();
    }
    #[cfg(unix)]
    {
        // A device is written to and never replaced.
        use std::os::unix::fs::FileTypeExt;
        let came = shop().run(&["link", "map", "--svg", "/dev/null"]);
        came.stdout("The map is written: /dev/null\n").nothing_else();
        assert!(std::fs::metadata("/dev/null").unwrap().file_type().is_char_device());
        let came = shop().run(&["link", "map", "--svg", "/dev/stdout"]);
        assert!(came.printed().contains("</svg>"), "{}", came.printed());
        assert!(std::fs::symlink_metadata("/dev/stdout").unwrap().is_symlink());
    }
}

/// A wide map and a narrow one have no line longer than the terminal.
#[test]
fn the_map_fits_the_terminal() {
    let folder = shop();
    for width in [60usize, 80, 200] {
        let output =
            folder.command(&["link", "map"]).env("COLUMNS", width.to_string()).output().unwrap();
        let printed = String::from_utf8(output.stdout).unwrap();
        let longest = printed.lines().map(|line| line.chars().count()).max().unwrap();
        assert!(longest <= width, "{longest} of {width}\n{printed}");
    }
}

/// A link whose key has a part of another table is known to be there, and is not proposed again.
#[test]
fn a_key_with_a_part_of_another_table_is_not_found_again() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n[tables.customers]\nfrom = \"customers.csv\"\n\
                [tables.prices]\nfrom = \"prices.csv\"\n\
                [[link]]\npath = \"sales.customer -> customers.no\"\n\
                [[link]]\npath = \"sales.item + customers.class -> prices.sku + class\"\n";
    let sales: String = (0..60).map(|n| format!("I{:02},C{:02}\n", n % 12, n % 20)).collect();
    let customers: String = (0..20).map(|n| format!("C{n:02},Shop {n},K{}\n", n % 3)).collect();
    let prices: String = (0..36).map(|n| format!("I{:02},K{},{n}\n", n / 3, n % 3)).collect();
    let found = Folder::with(&[
        ("interligo.toml", plan),
        ("sales.csv", &format!("item,customer\n{sales}")),
        ("customers.csv", &format!("no,name,class\n{customers}")),
        ("prices.csv", &format!("sku,class,price\n{prices}")),
    ])
    .run(&["link", "find"]);
    assert!(found.printed().contains("There are no others."), "{}", found.printed());
    found.any_stdout().nothing_else();
}

#[test]
fn the_command_for_a_link_that_was_found_is_one_that_a_shell_takes() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [tables.customers]\nfrom = \"customers.csv\"\nkey = \"Kd-Nr\"\n";
    let sales: String = (0..60).map(|n| format!("K{:03},{n}\n", n % 9)).collect();
    let customers: String = (0..10).map(|n| format!("K{n:03},n{n}\n")).collect();
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("sales.csv", &format!("Kd-Nr,qty\n{sales}")),
        ("customers.csv", &format!("Kd-Nr,name\n{customers}")),
    ]);
    let found = folder.run(&["link", "find"]);
    let command = found.printed().lines().last().unwrap_or_default().trim().to_owned();
    let words = shlex::split(&command).expect("words that a shell takes");
    assert_eq!(words[..3], ["interligo", "link", "add"], "{command}");
    let words: Vec<&str> = words[1..].iter().map(String::as_str).collect();
    let added = folder.run(&words);
    assert!(added.printed().contains("The link is in the plan"), "{}", added.said());
}
