//! Words by which sales data is headed in some languages.

/// The words of a language.
pub(crate) struct Language {
    /// What files are called: sales, products, customers, prices, groups, regions, costs, returns, budget.
    files: [&'static str; 9],
    /// Titles, in the order of [`Title`].
    titles: [&'static str; 18],
    /// How days are written: by `/` the day first, by `.` the day first, by `-` the year first.
    pub(crate) day: char,
    /// Whether decimals have a comma, and fields are between semicolons.
    pub(crate) has_commas: bool,
}

/// What a column is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Title {
    Order,
    Line,
    Day,
    Item,
    Customer,
    Quantity,
    Price,
    Discount,
    Name,
    Group,
    GroupName,
    From,
    Until,
    Cost,
    Store,
    City,
    Region,
    Reason,
}

/// What a file holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum FileOf {
    Sales,
    Products,
    Customers,
    Prices,
    Groups,
    Regions,
    Costs,
    Returns,
    Budget,
}

impl Language {
    pub(crate) fn title(&self, title: Title) -> &'static str {
        self.titles[title as usize]
    }

    pub(crate) fn file(&self, of: FileOf) -> &'static str {
        self.files[of as usize]
    }
}

macro_rules! language {
    ($day:literal, $commas:literal, $files:literal, $titles:literal) => {
        Language { files: words($files), titles: words($titles), day: $day, has_commas: $commas }
    };
}

/// The words of a text between commas.
fn words<const N: usize>(text: &'static str) -> [&'static str; N] {
    let words: Vec<&str> = text.split(',').collect();
    words.try_into().unwrap()
}

/// Languages, by number.
pub(crate) fn languages() -> Vec<Language> {
    vec![
        language!(
            '-',
            false,
            "sales,products,customers,price_list,categories,regions,costs,returns,budget",
            "order_no,line,order_date,sku,customer_id,qty,unit_price,discount,name,category,category_name,valid_from,valid_to,cost,store,city,region,reason"
        ),
        language!(
            '.',
            true,
            "verkaeufe,artikel,kunden,preisliste,warengruppen,gebiete,kosten,retouren,planung",
            "Auftrag,Pos,Bestelldatum,Artikelnr,Kundennr,Menge,Preis,Rabatt,Bezeichnung,Warengruppe,Gruppenname,gültig ab,gültig bis,EK,Filiale,Ort,Gebiet,Grund"
        ),
        language!(
            '/',
            true,
            "ventes,articles,clients,tarifs,familles,regions,couts,retours,objectifs",
            "commande,ligne,date_vente,réf_article,client,qté,prix_unitaire,remise,désignation,famille,nom_famille,début,fin,coût,magasin,ville,région,motif"
        ),
        language!(
            '/',
            true,
            "ventas,articulos,clientes,tarifas,familias,zonas,costes,devoluciones,presupuesto",
            "pedido,linea,fecha,articulo,cliente,cantidad,precio,descuento,descripcion,familia,nombre_familia,desde,hasta,coste,tienda,ciudad,zona,motivo"
        ),
        language!(
            '/',
            true,
            "vendite,articoli,clienti,listino,categorie,zone,costi,resi,obiettivi",
            "ordine,riga,data,codice_articolo,cod_cliente,quantità,prezzo,sconto,descrizione,categoria,nome_categoria,dal,al,costo,negozio,città,zona,motivo"
        ),
        language!(
            '-',
            true,
            "vendas,artigos,clientes,precario,familias,zonas,custos,devolucoes,orcamento",
            "encomenda,linha,data_venda,cod_artigo,cliente,quantidade,preço,desconto,descrição,familia,nome_familia,inicio,fim,custo,loja,cidade,zona,motivo"
        ),
        language!(
            '-',
            true,
            "sprzedaz,towary,kontrahenci,cennik,grupy,regiony,koszty,zwroty,plan",
            "zamowienie,lp,data,indeks,kontrahent,ilość,cena,rabat,nazwa,grupa,nazwa_grupy,od,do,koszt,sklep,miasto,region,powód"
        ),
        language!(
            '-',
            true,
            "verkopen,artikelen,klanten,prijslijst,groepen,regios,kosten,retouren,begroting",
            "bestelling,regel,datum,artikel,klant,aantal,prijs,korting,omschrijving,groep,groepsnaam,vanaf,tot,kostprijs,winkel,plaats,regio,reden"
        ),
        language!(
            '.',
            true,
            "prodeje,zbozi,zakaznici,cenik,skupiny,kraje,naklady,vratky,plan",
            "objednavka,radek,datum,zbozi,zakaznik,mnozstvi,cena,sleva,nazev,skupina,nazev_skupiny,od,do,naklad,prodejna,mesto,kraj,duvod"
        ),
        language!(
            '-',
            true,
            "forsaljning,artiklar,kunder,prislista,grupper,regioner,kostnader,returer,budget",
            "order,rad,datum,artikel,kund,antal,pris,rabatt,benämning,grupp,gruppnamn,från,till,kostnad,butik,ort,region,orsak"
        ),
        language!(
            '-',
            false,
            "売上,商品,得意先,価格表,分類,地域,原価表,返品,予算",
            "注文番号,行番号,受注日,商品コード,得意先コード,数量,単価,割引,商品名,分類コード,分類名,開始日,終了日,原価,店舗,市区,地域コード,理由"
        ),
    ]
}
