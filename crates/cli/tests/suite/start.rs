//! `interligo start` on made-up folders: the links that a careful analyst would draw, and no others.

use std::collections::BTreeSet;

use crate::support::Folder;

/// Numbers that look like chance, the same each time.
pub(crate) struct Chance(u64);

impl Chance {
    pub(crate) fn new(seed: u64) -> Chance {
        Chance(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1)
    }

    pub(crate) fn below(&mut self, bound: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as usize % bound
    }

    fn of<'t>(&mut self, texts: &[&'t str]) -> &'t str {
        texts[self.below(texts.len())]
    }
}

/// A file with a heading and rows.
fn file(heading: &str, rows: usize, mut row: impl FnMut(usize) -> String) -> String {
    let rows: String = (0..rows).map(|number| row(number) + "\n").collect();
    format!("{heading}\n{rows}")
}

fn day(chance: &mut Chance, year: usize) -> String {
    format!("{year}-{:02}-{:02}", 1 + chance.below(12), 1 + chance.below(28))
}

/// A folder with the links that are to be found in it.
struct Case {
    name: &'static str,
    files: Vec<(&'static str, String)>,
    links: &'static [&'static str],
}

/// English headings, chain of three, a dated price list, and decoys: every table has an `id`, a `name` and a
/// `status`.
fn plain() -> Case {
    let mut chance = Chance::new(1);
    let mut c = Chance::new(11);
    let sales = file("id,sold_on,product_no,client,qty,status", 400, |n| {
        format!(
            "{},{},BK-{:03},C{:04},{},{}",
            n + 1,
            day(&mut chance, 2025),
            101 + chance.below(40),
            1 + chance.below(60),
            1 + chance.below(30),
            chance.of(&["open", "paid"])
        )
    });
    let products = file("id,number,name,subcategory,unit_cost,status", 42, |n| {
        format!("{},BK-{:03},Item {n},S{},{}.50,active", n + 1, 101 + n, n % 9, 2 + n)
    });
    let subs = file("id,code,name,category", 9, |n| format!("{},S{n},Sub {n},CAT{}", n + 1, n % 4));
    let cats = file("id,code,name,status", 4, |n| format!("{},CAT{n},Category {n},active", n + 1));
    let prices = file("product_no,valid_from,valid_to,price", 84, |n| {
        let half = if n % 2 == 0 { "2025-01-01,2025-06-30" } else { "2025-07-01,2025-12-31" };
        format!("BK-{:03},{half},{}.9", 101 + n / 2, 5 + n / 2)
    });
    let clients = file("id,client_code,name,region", 60, |n| {
        format!("{},C{:04},Client {n},{}", n + 1, n + 1, c.of(&["Coast", "Hills", "Plain"]))
    });
    Case {
        name: "plain",
        files: vec![
            ("sales.csv", sales),
            ("products.csv", products),
            ("subcategories.csv", subs),
            ("categories.csv", cats),
            ("prices.csv", prices),
            ("clients.csv", clients),
        ],
        links: &[
            "sales.product_no -> products.number",
            "products.subcategory -> subcategories.code",
            "subcategories.category -> categories.code",
            "sales.product_no -> prices.product_no as of sales.sold_on",
            "sales.client -> clients.client_code",
        ],
    }
}

/// German headings, numeric keys in overlapping ranges, semicolons and decimal commas.
fn german() -> Case {
    let mut chance = Chance::new(2);
    let sales = file("Beleg;Pos;Datum;KdNr;ArtNr;Menge;Rabatt", 500, |n| {
        format!(
            "{};{};{:02}.{:02}.2025;{};{};{};{}",
            9000 + n / 3,
            1 + n % 3,
            1 + chance.below(28),
            1 + chance.below(12),
            1 + chance.below(80),
            1 + chance.below(50),
            1 + chance.below(12),
            chance.of(&["0 %", "5 %", "10 %"])
        )
    });
    let articles = file("Artikelnummer;Bezeichnung;WG;EK-Preis;VK-Preis", 50, |n| {
        format!("{};Artikel {n};{};{},40;{},90", n + 1, 1 + n % 7, n + 1, n + 3)
    });
    let groups = file("WGNr;Warengruppe", 7, |n| format!("{};Gruppe {n}", n + 1));
    let customers = file("Kundennummer;Name;PLZ;Vertreter", 80, |n| {
        format!("{};Imkerei {n};{:05};{}", n + 1, 10_000 + n * 37, 1 + n % 5)
    });
    let agents =
        file("Vertreter-Nr;Name;Gebiet", 5, |n| format!("{};Vertreter {n};Nord{n}", n + 1));
    Case {
        name: "german",
        files: vec![
            ("Umsatz.csv", sales),
            ("Artikel.csv", articles),
            ("Warengruppen.csv", groups),
            ("Kunden.csv", customers),
            ("Vertreter.csv", agents),
        ],
        links: &[
            "umsatz.KdNr -> kunden.Kundennummer",
            "umsatz.ArtNr -> artikel.Artikelnummer",
            "artikel.WG -> warengruppen.WGNr",
            "kunden.Vertreter -> vertreter.\"Vertreter-Nr\"",
        ],
    }
}

/// A price by product and region, where the region is the customer's.
fn composite() -> Case {
    let mut chance = Chance::new(3);
    let regions = ["NORTH", "SOUTH", "ISLES"];
    let sales = file("order_no,line_no,order_date,customer,sku,units", 450, |n| {
        format!(
            "{},{},{},CU-{:03},HN{:04},{}",
            70_000 + n / 2,
            1 + n % 2,
            day(&mut chance, 2024),
            chance.below(45),
            chance.below(30) * 7,
            1 + chance.below(9)
        )
    });
    let products = file("sku,title,cost", 30, |n| format!("HN{:04},Honey {n},{}.10", n * 7, 1 + n));
    let customers = file("customer_no,customer_name,price_region", 45, |n| {
        format!("CU-{n:03},Shop {n},{}", regions[n % 3])
    });
    let prices = file("sku,region,list_price", 90, |n| {
        format!("HN{:04},{},{}.25", n / 3 * 7, regions[n % 3], 4 + n)
    });
    Case {
        name: "composite",
        files: vec![
            ("sales.csv", sales),
            ("products.csv", products),
            ("customers.csv", customers),
            ("prices.csv", prices),
        ],
        links: &[
            "sales.sku -> products.sku",
            "sales.customer -> customers.customer_no",
            "sales.sku + customers.price_region -> prices.sku + region",
        ],
    }
}

/// Two facts at different grains on the same lookups, Spanish headings.
fn two_facts() -> Case {
    let mut chance = Chance::new(4);
    let (mut other, zones) = (Chance::new(44), ["N1", "N2", "S1", "S2"]);
    let sales = file("fecha,cod_articulo,tienda,cantidad,precio", 380, |_| {
        format!(
            "{},A{:03},T-{:02},{},{}.50",
            day(&mut chance, 2025),
            chance.below(25) * 3,
            chance.below(12),
            1 + chance.below(8),
            2 + chance.below(40)
        )
    });
    let budget = file("mes,familia,zona,objetivo", 96, |n| {
        format!(
            "2025-{:02},F{},{},{}",
            1 + n % 12,
            n / 12 % 4,
            zones[n / 48],
            500 + other.below(900)
        )
    });
    let articles = file("codigo,descripcion,familia,coste", 25, |n| {
        format!("A{:03},Articulo {n},F{},{}.75", n * 3, n % 4, 1 + n)
    });
    let families = file("familia,nombre", 4, |n| format!("F{n},Familia {n}"));
    let shops = file("tienda,nombre,zona", 12, |n| format!("T-{n:02},Tienda {n},{}", zones[n % 4]));
    let zones = file("zona,nombre,responsable", 4, |n| format!("{},Zona {n},Jefe {n}", zones[n]));
    Case {
        name: "two facts",
        files: vec![
            ("ventas.csv", sales),
            ("presupuesto.csv", budget),
            ("articulos.csv", articles),
            ("familias.csv", families),
            ("tiendas.csv", shops),
            ("zonas.csv", zones),
        ],
        links: &[
            "ventas.cod_articulo -> articulos.codigo",
            "ventas.tienda -> tiendas.tienda",
            "articulos.familia -> familias.familia",
            "tiendas.zona -> zonas.zona",
            "presupuesto.familia -> familias.familia",
            "presupuesto.zona -> zonas.zona",
        ],
    }
}

/// Returns that name the line of the sale; the lookup twice, in two roles.
fn returns_and_roles() -> Case {
    let mut chance = Chance::new(5);
    let mut other = Chance::new(55);
    let sales = file("order,line,day,item,ship_to,bill_to,quantity", 420, |n| {
        format!(
            "SO{:05},{},{},{},K{:03},K{:03},{}",
            n / 3,
            1 + n % 3,
            day(&mut chance, 2025),
            4_000 + chance.below(35) * 13,
            chance.below(50),
            chance.below(50),
            1 + chance.below(20)
        )
    });
    let returns = file("order,line,returned_on,pieces,reason", 60, |_| {
        let line = other.below(420);
        format!(
            "SO{:05},{},2025-12-{:02},1,R{}",
            line / 3,
            1 + line % 3,
            1 + other.below(28),
            other.below(4)
        )
    });
    let reasons = file("reason,text", 4, |n| format!("R{n},Reason number {n}"));
    let items =
        file("item_no,name,price", 35, |n| format!("{},Thing {n},{}.00", 4_000 + n * 13, 3 + n));
    let partners = file("no,partner,town", 50, |n| format!("K{n:03},Partner {n},Town {}", n % 6));
    Case {
        name: "returns and roles",
        files: vec![
            ("sales.csv", sales),
            ("returns.csv", returns),
            ("reasons.csv", reasons),
            ("items.csv", items),
            ("partners.csv", partners),
        ],
        links: &[
            "sales.item -> items.item_no",
            "sales.ship_to -> partners.no",
            "sales.bill_to -> partners.no",
            "returns.order + returns.line -> sales.order + line",
            "returns.reason -> reasons.reason",
        ],
    }
}

/// Keys written in two ways, a lookup with rows that come twice, files of a year each, Portuguese.
fn unclean() -> Case {
    let mut chance = Chance::new(6);
    let mut sale = |year: usize| {
        file("data,artigo,qtd,cliente", 200, |n| {
            let code = chance.below(40);
            let code = if n % 7 == 0 { format!("col-{code:03}") } else { format!("COL-{code:03}") };
            format!(
                "{},{code},{},{:05}",
                day(&mut chance, year),
                1 + chance.below(9),
                chance.below(70)
            )
        })
    };
    let (first, second) = (sale(2024), sale(2025));
    let articles = file("código,descrição,família,preço,custo", 41, |n| {
        let n = n.min(39);
        format!("COL-{n:03},Artigo {n},FAM-{},{}.5,{}.1", n % 5, n + 4, n + 1)
    });
    let families = file("família,nome", 5, |n| format!("FAM-{n},Família {n}"));
    let customers =
        file("nº cliente,nome,concelho", 70, |n| format!("{n},Cliente {n},Concelho {}", n % 9));
    Case {
        name: "unclean",
        files: vec![
            ("vendas_2024.csv", first),
            ("vendas_2025.csv", second),
            ("artigos.csv", articles),
            ("familias.csv", families),
            ("clientes.csv", customers),
        ],
        links: &[
            "vendas.artigo -> artigos.código",
            "artigos.família -> familias.família",
            "vendas.cliente -> clientes.\"nº cliente\"",
        ],
    }
}

/// Keys that are all small whole numbers called `id`, told apart by the headings alone; a table that belongs to
/// nothing.
fn surrogate_keys() -> Case {
    let mut chance = Chance::new(7);
    let lines = file("id,order_id,product_id,quantity,unit_price", 600, |n| {
        format!(
            "{},{},{},{},{}.99",
            n + 1,
            1 + n / 3,
            1 + chance.below(48),
            1 + chance.below(6),
            1 + chance.below(90)
        )
    });
    let orders = file("id,customer_id,employee_id,order_date,shipped", 200, |n| {
        format!(
            "{},{},{},{},{}",
            n + 1,
            1 + chance.below(90),
            1 + chance.below(9),
            day(&mut chance, 2025),
            chance.of(&["yes", "no"])
        )
    });
    let products = file("id,name,category_id,supplier_id", 48, |n| {
        format!("{},Product {n},{},{}", n + 1, 1 + n % 8, 1 + n % 12)
    });
    let categories = file("id,name", 8, |n| format!("{},Category {n}", n + 1));
    let suppliers = file("id,name,country", 12, |n| format!("{},Supplier {n},PT", n + 1));
    let customers = file("id,name,city", 90, |n| format!("{},Customer {n},City {}", n + 1, n % 7));
    let employees = file("id,name,desk", 9, |n| format!("{},Employee {n},{}", n + 1, 1 + n % 3));
    let meetings =
        file("when,room,topic", 20, |n| format!("2025-03-{:02},Hall {},Swarm {n}", n + 1, n % 2));
    Case {
        name: "surrogate keys",
        files: vec![
            ("order_lines.csv", lines),
            ("orders.csv", orders),
            ("products.csv", products),
            ("categories.csv", categories),
            ("suppliers.csv", suppliers),
            ("customers.csv", customers),
            ("employees.csv", employees),
            ("meetings.csv", meetings),
        ],
        links: &[
            "order_lines.order_id -> orders.id",
            "order_lines.product_id -> products.id",
            "orders.customer_id -> customers.id",
            "orders.employee_id -> employees.id",
            "products.category_id -> categories.id",
            "products.supplier_id -> suppliers.id",
        ],
    }
}

/// Abbreviated French headings; prices and costs, each on its own calendar; rates by currency.
fn calendars() -> Case {
    let mut chance = Chance::new(8);
    let sales = file("num_cde,dt_cde,ref_prod,qte,devise", 350, |n| {
        format!(
            "{},{},P{:04},{},{}",
            5_000 + n,
            day(&mut chance, 2025),
            chance.below(20) * 11,
            1 + chance.below(9),
            chance.of(&["EUR", "CHF", "USD"])
        )
    });
    let products =
        file("ref,libelle,gamme", 20, |n| format!("P{:04},Produit {n},G{}", n * 11, n % 3));
    let ranges = file("gamme,intitule", 3, |n| format!("G{n},Gamme numero {n}"));
    let period = |n: usize, cuts: [&'static str; 2]| cuts[n % 2];
    let prices = file("ref_prod,debut,fin,prix", 40, |n| {
        format!(
            "P{:04},{},{}.2",
            n / 2 * 11,
            period(n, ["2025-01-01,2025-04-30", "2025-05-01,2025-12-31"]),
            6 + n
        )
    });
    let costs = file("produit,debut,fin,cout", 40, |n| {
        format!(
            "P{:04},{},{}.8",
            n / 2 * 11,
            period(n, ["2025-01-01,2025-08-31", "2025-09-01,"]),
            2 + n
        )
    });
    let rates = file("devise,debut,fin,taux", 6, |n| {
        let currency = ["EUR", "CHF", "USD"][n / 2];
        format!(
            "{currency},{},1.{n}",
            period(n, ["2025-01-01,2025-06-30", "2025-07-01,2025-12-31"])
        )
    });
    Case {
        name: "calendars",
        files: vec![
            ("commandes.csv", sales),
            ("produits.csv", products),
            ("gammes.csv", ranges),
            ("prix.csv", prices),
            ("couts.csv", costs),
            ("taux.csv", rates),
        ],
        links: &[
            "commandes.ref_prod -> produits.ref",
            "produits.gamme -> gammes.gamme",
            "commandes.ref_prod -> prix.ref_prod as of commandes.dt_cde",
            "commandes.ref_prod -> couts.produit as of commandes.dt_cde",
            "commandes.devise -> taux.devise as of commandes.dt_cde",
        ],
    }
}

/// A name beside the code, in the lines as well; unused columns; upper case headings.
fn denormalized() -> Case {
    let mut chance = Chance::new(9);
    let names =
        ["Smoker", "Veil", "Hive tool", "Brush", "Feeder", "Extractor", "Uncapping fork", "Sieve"];
    let sales = file("INVOICE,INV_DATE,PRODUCT_CODE,PRODUCT_NAME,STORE,AMOUNT,QTY", 300, |n| {
        let product = chance.below(8);
        format!(
            "INV{:06},{},{},{},{},{}.40,{}",
            n,
            day(&mut chance, 2025),
            ["SM-1", "VE-1", "HT-2", "BR-9", "FE-3", "EX-7", "UF-4", "SV-5"][product],
            names[product],
            ["Porto", "Braga", "Faro"][chance.below(3)],
            10 + chance.below(80),
            1 + chance.below(5)
        )
    });
    let products = file("CODE,NAME,LINE,WEIGHT", 8, |n| {
        let code = ["SM-1", "VE-1", "HT-2", "BR-9", "FE-3", "EX-7", "UF-4", "SV-5"][n];
        format!("{code},{},{},{}.5", names[n], ["Tools", "Wear"][n % 2], 1 + n)
    });
    let stores = file("STORE,MANAGER,SINCE", 3, |n| {
        format!("{},Manager {n},2019-0{}-01", ["Porto", "Braga", "Faro"][n], n + 1)
    });
    let lines = file("LINE_NAME,OWNER", 2, |n| format!("{},Owner {n}", ["Tools", "Wear"][n]));
    Case {
        name: "denormalized",
        files: vec![
            ("invoices.csv", sales),
            ("products.csv", products),
            ("stores.csv", stores),
            ("product_lines.csv", lines),
        ],
        links: &[
            "invoices.PRODUCT_CODE -> products.CODE",
            "invoices.STORE -> stores.STORE",
            "products.LINE -> product_lines.LINE_NAME",
        ],
    }
}

/// The paths of the links in a plan.
fn links_of(plan: &str) -> BTreeSet<String> {
    let paths = plan.lines().filter_map(|line| line.strip_prefix("path = "));
    let parsed = paths.map(|path| format!("path = {path}").parse::<toml::Table>().unwrap());
    parsed.map(|doc| doc["path"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn the_links_of_a_careful_analyst_are_found_and_few_others() {
    let cases = [
        plain(),
        german(),
        composite(),
        two_facts(),
        returns_and_roles(),
        unclean(),
        surrogate_keys(),
        calendars(),
        denormalized(),
    ];
    let (mut expected, mut found, mut proposed) = (0, 0, 0);
    let mut report = String::new();
    for case in cases {
        let files: Vec<(&str, &str)> =
            case.files.iter().map(|(name, text)| (*name, text.as_str())).collect();
        let folder = Folder::with(&files);
        let mut came = folder.run(&["start"]);
        assert_eq!((came.exit_status(), came.said()), (0, ""), "{}", case.name);
        let plan = came.take_file("interligo.toml");
        let links = links_of(&plan);
        let wanted: BTreeSet<String> = case.links.iter().map(|link| (*link).to_owned()).collect();
        expected += wanted.len();
        proposed += links.len();
        found += wanted.intersection(&links).count();
        for missed in wanted.difference(&links) {
            report += &format!("{}: missed {missed}\n", case.name);
        }
        for wrong in links.difference(&wanted) {
            report += &format!("{}: wrong  {wrong}\n", case.name);
        }
    }
    let wrong = proposed - found;
    println!(
        "{report}{found} of {expected} links found, {wrong} of {proposed} proposed ones wrong"
    );
    assert!(found * 100 >= expected * 95, "{report}");
    assert!(wrong * 100 <= proposed * 5, "{report}");
}

/// The demo's files without its plan: what `start` draws runs, and where it says nothing is left to decide but
/// what it names, taking these decisions in gives the profit of the demo's own plan.
#[test]
fn the_demo_without_its_plan_comes_to_the_same_profit() {
    let profit = |folder: &Folder, show: &str| {
        let came = folder.run(&["totals", "--show", show, "--format", "csv"]);
        assert_eq!(
            came.said().lines().find(|line| line.contains("error")),
            None,
            "{}",
            came.said()
        );
        came.printed().lines().last().unwrap().to_owned()
    };
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]);
    let own = profit(&folder, "lines,profit");
    std::fs::remove_file(folder.path().join("interligo.toml")).unwrap();
    std::fs::remove_dir_all(folder.path().join("out")).unwrap();
    let came = folder.run(&["start"]);
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    // What is to be decided is said, each with the lines to add.
    for decision in [
        "the headings of `prices_2024` name periods: if its columns are to become rows, add tall = { \"{from} to {until}\"",
        "the cells of `items`, `quantities`, `Disc. %` in `tilia` hold several values: add unpack =",
        "`products` has several rows for the key `SM-117`, which differ in `unit_cost`",
    ] {
        assert!(came.printed().contains(decision), "{decision} in {}", came.printed());
    }
    assert!(
        folder.run(&["run"]).said().contains("`products` has several rows for the key"),
        "{plan}"
    );
    let mut decided: toml::Table = plan.parse().unwrap();
    decide(&mut decided);
    std::fs::write(folder.path().join("interligo.toml"), decided.to_string()).unwrap();
    assert_eq!(profit(&folder, "lines,profit"), own);
}

/// Takes in what an analyst knows: the last row of a product holds, a draft does not belong, slips are unpacked
/// to sales lines, and the price lists of both years are one.
fn decide(plan: &mut toml::Table) {
    let parse = |text: &str| text.parse::<toml::Table>().unwrap();
    let tables = plan["tables"].as_table_mut().unwrap();
    tables.remove("tilia");
    tables.remove("prices_2024");
    tables["products"].as_table_mut().unwrap().insert("duplicates".into(), "last".into());
    let sales = tables["sales"].as_table_mut().unwrap();
    let mut from = sales.remove("from").unwrap();
    from.as_array_mut().unwrap().retain(|file| !file.as_str().unwrap().contains("draft"));
    let mut own = toml::Table::new();
    own.insert("from".into(), from);
    let slips = parse(
        "from = \"sales/tilia_{year}.csv\"\n\
         unpack = { columns = [\"item\", \"quantity\", \"Disc. %\"], separator = \"|\", position = \"line_no\" }\n\
         columns = { items = { name = \"item\" }, quantities = { name = \"quantity\" } }",
    );
    sales.insert("part".into(), vec![own, slips].into());
    let prices = tables["prices_2025"].as_table_mut().unwrap();
    prices.remove("from");
    let parts = vec![
        parse("from = \"prices_2025.csv\""),
        parse(
            "from = \"prices_2024.csv\"\ntall = { \"{valid_from} to {valid_to}\" = \"unit_price\" }",
        ),
    ];
    prices.insert("part".into(), parts.into());
    let gone = |text: &str| text.contains("tilia") || text.contains("prices_2024");
    plan["link"].as_array_mut().unwrap().retain(|link| !gone(link["path"].as_str().unwrap()));
    let outputs = plan["outputs"].as_table_mut().unwrap();
    let names: Vec<String> = outputs.keys().filter(|name| gone(name)).cloned().collect();
    names.iter().for_each(|name| {
        outputs.remove(name);
    });
}

#[test]
fn a_plan_is_kept_unless_it_is_told_otherwise() {
    let (_, files) = ("", plain().files);
    let mut folder = Folder::with(&[("interligo.toml", "# mine\n")]);
    files.iter().for_each(|(name, text)| folder.put(name, text.as_bytes()));
    let came = folder.run(&["start"]);
    assert!(came.said().contains("there is a plan already, `./interligo.toml`"), "{}", came.said());
    came.status(2).any_stderr().nothing_else();
    let printed = folder.run(&["start", "--print"]);
    assert!(printed.printed().contains("path = \"sales.product_no -> products.number\""));
    printed.any_stdout().nothing_else();
    let mut came = folder.run(&["start", "--replace"]);
    assert_eq!(came.said(), "");
    assert!(came.take_file("interligo.toml").contains("[tables.sales]"));
    // What is drawn runs as it is.
    let mut ran = folder.run(&["run"]);
    assert_eq!(ran.said(), "");
    assert_eq!(ran.take_file("out/lines.csv").lines().count(), 401);
}

#[test]
fn what_can_be_drawn_is_drawn_from_little() {
    let sales = "day,item,qty\n2025-01-01,A,2\n2025-01-02,B,1\n";
    let many: String = (0..60).map(|n| format!("2025-01-02,P{:02},{n}\n", n % 30)).collect();
    let many = format!("day,item,qty\n{many}");
    let rows: String = (0..30).map(|n| format!("P{n:02},Name {n},{n}.5\n")).collect();
    let rows = format!("sku,name,price\n{rows}");
    for (files, status, said, printed) in [
        (vec![], 2, "there is no table to start from", ""),
        (vec![("a.csv", "")], 2, "`./a.csv` is empty", ""),
        (vec![("a.xlsx", "no")], 2, "there is no table to start from: a.xlsx", ""),
        (vec![("sales.csv", sales)], 0, "", "No column of one table finds its row in another"),
        (
            vec![("sales.csv", "day,item,qty\n"), ("b.csv", "sku,name\n")],
            0,
            "",
            "No column of one table",
        ),
        (
            vec![("sales.csv", "item\nA\nB\n"), ("b.csv", "item\nA\nB\n")],
            0,
            "",
            "No column of one table",
        ),
        (
            vec![
                ("sales.csv", many.as_str()),
                ("p.csv", rows.as_str()),
                ("p_old.csv", rows.as_str()),
                ("x.csv", ""),
            ],
            0,
            "",
            "`p` and `p_old` have the same headings and fit sales.item equally well",
        ),
    ] {
        let came = Folder::with(&files).run(&["start"]);
        assert!(came.said().contains(said), "{}", came.said());
        assert!(came.printed().contains(printed), "{files:?} {}", came.printed());
        assert_eq!(came.exit_status(), status);
    }
    let came = Folder::with(&[]).run(&["start", "sale.csv"]);
    assert!(
        came.said().contains("there is no file or folder called `sale.csv`"),
        "{}",
        came.said()
    );
}

/// Many files of one kind are one table.
#[test]
fn a_thousand_files_are_one_table() {
    let mut folder = Folder::with(&[]);
    for number in 0..1000 {
        let text = format!("day,item,qty\n2025-01-02,P{:02},{number}\n", number % 30);
        folder.put(&format!("till_{number:04}.csv"), text.as_bytes());
    }
    let rows: String = (0..30).map(|n| format!("P{n:02},Name {n},{n}.5\n")).collect();
    folder.put("products.csv", format!("sku,name,price\n{rows}").as_bytes());
    let mut came = folder.run(&["start"]);
    let plan = came.take_file("interligo.toml");
    assert!(plan.contains("from = \"till_{number}.csv\""), "{plan}");
    assert!(came.printed().contains("100.0 % of 1,000 lines"), "{}", came.printed());
}

/// Keys that say nothing by themselves: small numbers under headings that are not alike.
const BARE: [(&str, &str); 2] = [
    ("umsatz.csv", "t,a,b\n1,1,2\n2,2,1\n3,1,1\n"),
    ("dinge.csv", "n,text\n1,Stock\n2,Smoker\n3,Zange\n"),
];

#[test]
fn what_is_stated_beside_the_files_is_believed() {
    let with = |extra: Option<(&str, &str)>| {
        let mut files: Vec<(&str, &str)> = BARE.to_vec();
        files.extend(extra);
        let mut came = Folder::with(&files).run(&["start"]);
        assert_eq!(came.said(), "");
        came.take_file("interligo.toml")
    };
    assert_eq!(links_of(&with(None)), BTreeSet::new());
    let csvw = r#"{ "@context": "http://www.w3.org/ns/csvw", "tables": [
        { "url": "umsatz.csv", "tableSchema": { "columns": [{ "name": "thing", "titles": "a" }],
          "foreignKeys": [{ "columnReference": "thing",
            "reference": { "resource": "dinge.csv", "columnReference": "n" } }] } },
        { "url": "dinge.csv", "tableSchema": { "primaryKey": "n" } } ] }"#;
    let package = r#"{ "resources": [
        { "name": "sales", "path": "umsatz.csv", "schema": {
          "foreignKeys": [{ "fields": ["b"], "reference": { "resource": "things", "fields": ["n"] } }] } },
        { "name": "things", "path": "dinge.csv", "schema": { "primaryKey": ["n"] } } ] }"#;
    for (name, text, column) in
        [("csv-metadata.json", csvw, "a"), ("datapackage.json", package, "b")]
    {
        let plan = with(Some((name, text)));
        let wanted = BTreeSet::from([format!("umsatz.{column} -> dinge.n")]);
        assert_eq!(links_of(&plan), wanted, "{plan}");
        assert!(plan.contains(&format!("stated by {name}")), "{plan}");
    }
    // What is no description changes nothing.
    assert_eq!(
        links_of(&with(Some(("datapackage.json", "{ \"resources\": 7 }")))),
        BTreeSet::new()
    );
}

#[test]
fn the_keys_of_a_database_are_believed() {
    const TABLES: &str = "CREATE TABLE dinge (n integer PRIMARY KEY, text text);\
        CREATE TABLE umsatz (t integer, a integer REFERENCES dinge (n), b integer);\
        INSERT INTO dinge VALUES (1, 'Stock'), (2, 'Smoker'), (3, 'Zange');\
        INSERT INTO umsatz VALUES (1, 1, 2), (2, 2, 1), (3, 1, 1);";
    let folder = Folder::with(&[]);
    let file = folder.path().join("shop.sqlite");
    rusqlite::Connection::open(file).unwrap().execute_batch(TABLES).unwrap();
    let plan = folder.run(&["start", "--print", "shop.sqlite"]);
    assert_eq!(links_of(plan.printed()), BTreeSet::from(["umsatz.a -> dinge.n".to_owned()]));
    let Some(server) = crate::server::Server::get() else { return };
    let made = format!("CREATE SCHEMA bare; SET search_path = bare; {TABLES}");
    server.client().batch_execute(&made).unwrap();
    let output = folder
        .command(&["start", "--print", "postgres:///postgres"])
        .envs(server.environment())
        .output()
        .unwrap();
    let printed = String::from_utf8(output.stdout).unwrap();
    assert!(
        links_of(&printed).iter().any(|link| link.contains("umsatz") && link.ends_with("dinge.n")),
        "{printed}{}",
        String::from_utf8_lossy(&output.stderr)
    );
}
