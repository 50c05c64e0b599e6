//! What column names say: their words, how alike two of them are, and what a word means in the languages in
//! which sales data is headed.

use unicode_normalization::UnicodeNormalization;

/// Words that say "this identifies something" and not what.
const MARKS: [&str; 38] = [
    "id",
    "ids",
    "no",
    "nr",
    "num",
    "number",
    "nummer",
    "code",
    "codes",
    "key",
    "ref",
    "reference",
    "cod",
    "codigo",
    "codice",
    "kod",
    "numero",
    "nro",
    "fk",
    "pk",
    "kennung",
    "schluessel",
    "schlussel",
    "cle",
    "clave",
    "chave",
    "kode",
    "kurzel",
    "kuerzel",
    "short",
    "abbr",
    "abk",
    "uid",
    "identifier",
    "idx",
    "index",
    "nbr",
    "numer",
];

/// Endings of one word that say the same: `kundennr`, `artikelnummer`, `productid`.
const MARK_ENDINGS: [&str; 9] = ["nummer", "nr", "number", "code", "num", "key", "id", "no", "cod"];

/// What a column can be for, by its column name.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Meaning {
    /// How many were sold.
    Quantity,
    /// What one is sold for.
    Price,
    /// What one costs.
    Cost,
    /// A share that is taken off.
    Discount,
    /// An amount of money of the whole line.
    Amount,
    /// A day on which something was sold.
    Sold,
    /// The first day of a period.
    From,
    /// The last day of a period.
    Until,
    /// What is planned.
    Target,
    /// What something is called.
    Name,
    /// A row number or the like.
    Position,
    /// Hundredths of a currency.
    Cents,
}

/// Words with what they mean; the first that fits counts. A word is without accents, in lower case; one that
/// ends in `*` represents all that begin so.
const MEANINGS: [(Meaning, &[&str]); 12] = [
    (
        Meaning::Discount,
        &[
            "割引*",
            "値引*",
            "折扣",
            "disc*",
            "rabat*",
            "rabatt*",
            "descuento*",
            "desc",
            "desconto*",
            "remise*",
            "sconto*",
            "nachlass*",
            "korting*",
            "reduction*",
            "skonto",
            "sleva*",
            "alennus*",
            "kedvezmeny*",
            "indirim*",
            "iskonto*",
            "reducere",
            "zlava*",
            "popust*",
        ],
    ),
    (
        Meaning::Cost,
        &[
            "原価*",
            "仕入*",
            "成本",
            "cost",
            "costs",
            "costprice",
            "unitcost",
            "kosten*",
            "einkauf*",
            "einstand*",
            "ek",
            "ekpreis",
            "coste",
            "costes",
            "costo",
            "costos",
            "costi",
            "custo",
            "custos",
            "cout*",
            "koszt*",
            "kostprijs",
            "inkoop*",
            "purchase*",
            "achat*",
            "compra",
            "acquisto*",
            "kostnad*",
            "omkostning*",
            "inkop*",
            "kobspris*",
            "innkjop*",
            "naklad*",
            "nakup*",
            "zakup*",
            "hankinta*",
            "kustannu*",
            "bekerules*",
            "maliyet*",
            "nabavn*",
        ],
    ),
    (
        Meaning::Price,
        &[
            "単価",
            "価格*",
            "販売価格",
            "单价",
            "价格",
            "售价",
            "price*",
            "preis*",
            "vk",
            "vkpreis",
            "precio*",
            "preco*",
            "prix*",
            "prezz*",
            "cena*",
            "prijs*",
            "verkaufspreis*",
            "rate*",
            "kurs*",
            "tarif*",
            "listenpreis*",
            "einzelpreis*",
            "stueckpreis*",
            "stuckpreis*",
            "pvp",
            "unitprice",
            "pris",
            "prislist*",
            "cennik*",
            "cenik*",
            "listin*",
            "precario*",
            "apris",
            "enhetspris*",
            "enhedspris*",
            "hinta",
            "yksikkohinta*",
            "egysegar*",
            "fiyat*",
            "pret",
            "pretul",
            "cijena*",
        ],
    ),
    (
        Meaning::Target,
        &[
            "budget*",
            "target*",
            "plan",
            "planned",
            "forecast*",
            "soll*",
            "ziel*",
            "objetivo*",
            "presupuesto*",
            "orcamento*",
            "objectif*",
            "obiettiv*",
            "cel",
            "begroting*",
        ],
    ),
    (
        Meaning::Quantity,
        &[
            "数量",
            "個数",
            "件数",
            "qty",
            "quant*",
            "menge*",
            "anzahl*",
            "stueck*",
            "stuck",
            "stk",
            "cantidad*",
            "cant",
            "quantidade*",
            "qtd*",
            "qtde",
            "qte",
            "nombre",
            "quantita*",
            "qta",
            "ilosc*",
            "aantal*",
            "antal*",
            "pieces",
            "pcs",
            "units",
            "unidades",
            "unites",
            "pezzi",
            "sold",
            "mnozstv*",
            "maengde*",
            "mangd*",
            "maara*",
            "kpl",
            "mennyiseg*",
            "darab*",
            "miktar*",
            "adet*",
            "cantitate*",
            "kolicina*",
            "ks",
            "szt",
            "copies",
            "boxes",
            "packs",
            "stems",
            "kg",
            "uds",
            "ud",
            "count",
        ],
    ),
    (
        Meaning::From,
        &[
            "開始*",
            "from",
            "since",
            "start*",
            "begin*",
            "valid_from",
            "validfrom",
            "ab",
            "von",
            "gueltigab",
            "gultigab",
            "desde",
            "inicio",
            "vigente_desde",
            "de",
            "debut",
            "depuis",
            "da",
            "dal",
            "inizio",
            "od",
            "vanaf",
            "effective*",
            "vf",
            "fran",
            "fra",
            "alkaen",
            "tol",
            "baslangic*",
            "gyldig",
            "giltig",
        ],
    ),
    (
        Meaning::Until,
        &[
            "終了*", "until", "to", "till", "end*", "thru", "through", "bis", "hasta", "fin",
            "ate", "jusqu*", "au", "al", "fine", "do", "tot", "expir*", "ablauf*", "til", "asti",
            "ig", "bitis*", "vt",
        ],
    ),
    (
        Meaning::Amount,
        &[
            "amount*", "total*", "revenue*", "umsatz*", "betrag*", "importe*", "valor*",
            "montant*", "importo*", "kwota*", "bedrag*", "sum", "summe", "net", "netto", "gross",
            "brutto", "turnover", "ventas", "vendas",
        ],
    ),
    (
        Meaning::Sold,
        &[
            "受注日",
            "注文日",
            "売上日",
            "販売日",
            "日付",
            "日期",
            "sold*",
            "date*",
            "datum*",
            "day",
            "tag",
            "fecha*",
            "dia",
            "data*",
            "jour*",
            "giorno",
            "dzien",
            "dag",
            "order*",
            "invoice*",
            "rechnung*",
            "bestell*",
            "verkauf*",
            "on",
            "venta",
            "venda",
            "vente",
            "vendita",
            "sprzedaz*",
        ],
    ),
    (
        Meaning::Name,
        &[
            "商品名",
            "分類名",
            "得意先名",
            "顧客名",
            "名称",
            "名前",
            "name*",
            "bezeichnung*",
            "beschreibung*",
            "description*",
            "descripcion*",
            "descricao*",
            "nombre",
            "nom",
            "nome",
            "label*",
            "title*",
            "titel*",
            "nazwa*",
            "naam",
            "omschrijving*",
            "text",
            "remark*",
            "note*",
            "comment*",
            "bemerkung*",
            "libelle*",
        ],
    ),
    (
        Meaning::Position,
        &[
            "line*",
            "pos",
            "position*",
            "row*",
            "zeile*",
            "linea*",
            "linha*",
            "ligne*",
            "riga*",
            "lp",
            "regel*",
            "seq*",
            "lfd",
            "index",
            "item_no",
            "lineno",
            "rad",
            "radek*",
            "radnr",
            "riadok*",
            "rivi*",
            "satir*",
            "tetel*",
            "linje*",
        ],
    ),
    (
        Meaning::Cents,
        &[
            "cent",
            "cents",
            "ct",
            "cts",
            "centimes",
            "centimos",
            "centavos",
            "centesimi",
            "grosz*",
            "pence",
            "haler*",
            "ore",
            "oere",
            "kurus*",
            "bani",
        ],
    ),
];

/// A column name in words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Words {
    /// Those that say what it is about.
    pub(crate) about: Vec<String>,
    /// All of them.
    all: Vec<String>,
    /// Whether one says that it identifies something.
    pub(crate) is_mark: bool,
}

impl Words {
    pub(crate) fn of(column_name: &str) -> Words {
        let all = split(column_name);
        let mut is_mark = false;
        let mut about = Vec::new();
        for word in &all {
            if MARKS.contains(&word.as_str()) {
                is_mark = true;
                continue;
            }
            let ending =
                MARK_ENDINGS.iter().find(|end| word.len() > end.len() + 2 && word.ends_with(**end));
            match ending {
                Some(ending) => {
                    is_mark = true;
                    about.push(word[..word.len() - ending.len()].to_owned());
                }
                None => about.push(word.clone()),
            }
        }
        Words { about, all, is_mark }
    }

    /// What the column name means, as far as a word of it says so.
    pub(crate) fn meanings(&self) -> Vec<Meaning> {
        let means = |list: &[&str]| self.all.iter().any(|word| fits(word, list));
        MEANINGS.iter().filter(|(_, list)| means(list)).map(|(meaning, _)| *meaning).collect()
    }

    pub(crate) fn means(&self, meaning: Meaning) -> bool {
        self.meanings().contains(&meaning)
    }

    /// Of how many pieces a price is that has this name: of ten, a hundred or a thousand.
    pub(crate) fn number(&self) -> Option<u32> {
        let numbers = self.all.iter().filter_map(|word| word.parse().ok());
        numbers.into_iter().find(|number| matches!(number, 10 | 100 | 1000))
    }

    /// How alike two column names are, in percent.
    pub(crate) fn alike(&self, other: &Words) -> u32 {
        alike(&self.about, &other.about)
    }
}

fn fits(word: &str, list: &[&str]) -> bool {
    list.iter().any(|known| match known.strip_suffix('*') {
        Some(start) => word.starts_with(start) || (start.len() >= 5 && word.ends_with(start)),
        None => word == *known,
    })
}

/// The words of a column name: without accents, in lower case, parted at what is no letter and where a small letter is
/// followed by a capital.
fn split(column_name: &str) -> Vec<String> {
    let plain: String = column_name
        .replace('ß', "ss")
        .replace(['ł', 'Ł'], "l")
        .nfkd()
        .filter(|character| !unicode_normalization::char::is_combining_mark(*character))
        .collect();
    let mut words = vec![String::new()];
    let mut before = ' ';
    for character in plain.chars() {
        let parts = !character.is_alphanumeric()
            || (character.is_uppercase() && before.is_lowercase())
            || (character.is_ascii_digit() && before.is_alphabetic());
        if parts {
            words.push(String::new());
        }
        if character.is_alphanumeric()
            && let Some(word) = words.last_mut()
        {
            word.extend(character.to_lowercase());
        }
        before = character;
    }
    words.retain(|word| !word.is_empty());
    words
}

/// How alike the words of two column names are, in percent: of the longer list, the share that has its like in
/// the other.
fn alike(one: &[String], other: &[String]) -> u32 {
    let (short, long) = if one.len() <= other.len() { (one, other) } else { (other, one) };
    if short.is_empty() {
        return 0;
    }
    let best = |word: &String| long.iter().map(|o| word_alike(word, o)).max().unwrap_or(0);
    let sum: u32 = short.iter().map(best).sum();
    let own = sum / short.len() as u32;
    // A word more on one side (`ship_to_customer` and `customer`) takes a little off.
    own.saturating_sub(10 * (long.len() - short.len()) as u32)
}

fn word_alike(one: &str, other: &str) -> u32 {
    let (short, long) = if one.len() <= other.len() { (one, other) } else { (other, one) };
    if short == long {
        return 100;
    }
    // Singular and plural, abbreviations, words put together.
    if short.len() >= 3 && long.starts_with(short) {
        return 90;
    }
    if short.len() >= 4 && (long.ends_with(short) || long.contains(short)) {
        return 80;
    }
    let common = short.bytes().zip(long.bytes()).take_while(|(a, b)| a == b).count();
    if common >= 4 && common * 10 >= short.len() * 7 {
        return 80;
    }
    if short.len() >= 2 && long.len() >= short.len() + 2 && is_drawn_from(short, long) {
        return 65;
    }
    if short.len() >= 5 && strsim::damerau_levenshtein(short, long) <= 1 { 80 } else { 0 }
}

/// Whether a word leaves letters of another out: `cstmr`, `prd`. The first letter stays.
fn is_drawn_from(short: &str, long: &str) -> bool {
    let mut letters = long.chars();
    short.chars().next() == long.chars().next()
        && short.chars().all(|wanted| letters.any(|letter| letter == wanted))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn like(one: &str, other: &str) -> u32 {
        Words::of(one).alike(&Words::of(other))
    }

    #[test]
    fn column_names_are_alike_by_their_words() {
        for (one, other) in [
            ("customer_no", "CustomerNumber"),
            ("Kd-Nr", "KD Nummer"),
            ("kundennr", "Kunden-Nr."),
            ("prod_id", "products"),
            ("código_artículo", "Articulo"),
            ("cust", "customer_id"),
            ("ship_to_customer", "customer_no"),
            ("supplierId", "supplier"),
        ] {
            assert!(like(one, other) >= 60, "{one} {other} {}", like(one, other));
        }
        for (one, other) in
            [("id", "id"), ("name", "status"), ("product_id", "customer_id"), ("qty", "code")]
        {
            assert!(like(one, other) < 60, "{one} {other} {}", like(one, other));
        }
    }

    #[test]
    fn column_names_mean_something_in_several_languages() {
        for (column_name, meaning) in [
            ("Menge (kg)", Meaning::Quantity),
            ("Qté", Meaning::Quantity),
            ("unit_price", Meaning::Price),
            ("Preço unitário", Meaning::Price),
            ("Disc. %", Meaning::Discount),
            ("EK-Preis", Meaning::Cost),
            ("gültig ab", Meaning::From),
            ("valid_to", Meaning::Until),
            ("Bestelldatum", Meaning::Sold),
        ] {
            assert!(Words::of(column_name).means(meaning), "{column_name}");
        }
    }
}
