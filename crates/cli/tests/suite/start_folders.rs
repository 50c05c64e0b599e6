//! Made-up folders of tables, each with the links that are to be found in it.

/// Numbers that look like chance, the same each time.
struct Chance(u64);

impl Chance {
    fn new(seed: u64) -> Chance {
        Chance(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1)
    }

    fn below(&mut self, bound: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as usize % bound
    }

    fn of<'t>(&mut self, texts: &[&'t str]) -> &'t str {
        texts[self.below(texts.len())]
    }
}

/// A file with a header row and rows.
fn file(column_name: &str, rows: usize, mut row: impl FnMut(usize) -> String) -> String {
    let rows: String = (0..rows).map(|number| row(number) + "\n").collect();
    format!("{column_name}\n{rows}")
}

fn day(chance: &mut Chance, year: usize) -> String {
    format!("{year}-{:02}-{:02}", 1 + chance.below(12), 1 + chance.below(28))
}

/// A folder with the links that are to be found in it.
pub(crate) struct Case {
    pub(crate) name: &'static str,
    pub(crate) files: Vec<(&'static str, String)>,
    pub(crate) links: &'static [&'static str],
}

/// English column names, chain of three, a dated price list, and decoys: every table has an `id`, a `name` and a
/// `status`.
pub(crate) fn plain() -> Case {
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

/// German column names, numeric keys in overlapping ranges, semicolons and decimal commas.
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

/// Two facts at different grains on the same lookups, Spanish column names.
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

/// Keys that are all small whole numbers called `id`, distinguished by the column names alone; a table that belongs to
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

/// Abbreviated French column names; prices and costs, each on its own calendar; rates by currency.
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

/// A name beside the code, in the lines as well; unused columns; upper case column names.
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

/// Decoys: weeks, hours, ages and a status that fall among the small numbers that are keys; a category by name.
fn decoys() -> Case {
    let mut chance = Chance::new(10);
    let names = ["Hives", "Tools", "Wear"];
    let sales = file("id,week,hour,age,emp,product_id,status,qty", 500, |n| {
        format!(
            "{},{},{},{},{},{},{},{}",
            n + 1,
            1 + chance.below(52),
            1 + chance.below(24),
            18 + chance.below(50),
            1 + chance.below(20),
            1 + chance.below(50),
            chance.below(3),
            1 + chance.below(30)
        )
    });
    let employees = file("id,name,status", 20, |n| format!("{},Employee {n},{}", n + 1, n % 3));
    let products = file("id,name,status,category", 50, |n| {
        format!("{},Product {n},{},{}", n + 1, n % 3, names[n % 3])
    });
    let categories = file("id,category,owner", 3, |n| format!("{},{},Owner {n}", n + 1, names[n]));
    Case {
        name: "decoys",
        files: vec![
            ("tills.csv", sales),
            ("employees.csv", employees),
            ("products.csv", products),
            ("categories.csv", categories),
        ],
        links: &[
            "tills.emp -> employees.id",
            "tills.product_id -> products.id",
            "products.category -> categories.category",
        ],
    }
}

/// Zeros before the numbers here and not there, other case, stray spaces; short German column names over bare numbers.
fn written_otherwise() -> Case {
    let mut chance = Chance::new(11);
    let sales = file("date,article,quantite,client,kd", 300, |_| {
        format!(
            "{},{:06},{}, c-{:03},{}",
            day(&mut chance, 2025),
            3 + chance.below(80) * 3,
            1 + chance.below(9),
            1 + chance.below(40),
            1 + chance.below(60)
        )
    });
    let articles =
        file("article,libelle,famille", 80, |n| format!("{},Article {n},f{}", n * 3 + 3, n % 4));
    let clients = file("code_client,nom", 40, |n| format!("C-{:03},Nom {n}", n + 1));
    let families = file("famille,intitule", 4, |n| format!("F{n},Famille {n}"));
    let accounts = file("id,firma,ort", 60, |n| format!("{},Firma {n},Ort {}", n + 1, n % 7));
    Case {
        name: "written otherwise",
        files: vec![
            ("ventes.csv", sales),
            ("articles.csv", articles),
            ("clients.csv", clients),
            ("familles.csv", families),
            ("kunden.csv", accounts),
        ],
        links: &[
            "ventes.article -> articles.article",
            "ventes.client -> clients.code_client",
            "ventes.kd -> kunden.id",
            "articles.famille -> familles.famille",
        ],
    }
}

/// A key of three columns that is valid for periods; a list of changes that names only the first day.
fn three_columns() -> Case {
    let mut chance = Chance::new(12);
    let (countries, channels) = (["PT", "ES", "FR"], ["web", "shop"]);
    let sales = file("day,product,country,channel,qty", 400, |_| {
        format!(
            "{},P{:03},{},{},{}",
            day(&mut chance, 2025),
            chance.below(15),
            chance.of(&countries),
            chance.of(&channels),
            1 + chance.below(9)
        )
    });
    let prices = file("product,country,channel,valid_from,valid_to,price", 180, |n| {
        let half = if n % 2 == 0 { "2025-01-01,2025-06-30" } else { "2025-07-01,2025-12-31" };
        let (country, channel) = (countries[n / 4 % 3], channels[n / 2 % 2]);
        format!("P{:03},{country},{channel},{half},{}.5", n / 12, 3 + n)
    });
    let costs = file("product,from_day,new_cost", 30, |n| {
        format!("P{:03},{},{}.2", n / 2, ["2024-12-01", "2025-05-10"][n % 2], 1 + n)
    });
    let products = file("product,name", 15, |n| format!("P{n:03},Product {n}"));
    let countries =
        file("code,country_name", 4, |n| format!("{},Country {n}", ["PT", "ES", "FR", "DE"][n]));
    Case {
        name: "three columns",
        files: vec![
            ("sales.csv", sales),
            ("prices.csv", prices),
            ("cost_changes.csv", costs),
            ("products.csv", products),
            ("countries.csv", countries),
        ],
        links: &[
            "sales.product -> products.product",
            "sales.country -> countries.code",
            "sales.product + sales.country + sales.channel -> prices.product + country + channel as of sales.day",
            "sales.product -> cost_changes.product as of sales.day",
        ],
    }
}

/// All folders.
pub(crate) fn all() -> Vec<Case> {
    vec![
        plain(),
        german(),
        composite(),
        two_facts(),
        returns_and_roles(),
        unclean(),
        surrogate_keys(),
        calendars(),
        denormalized(),
        decoys(),
        written_otherwise(),
        three_columns(),
    ]
}
