//! Totals by channel and segment over large lookups, written for this one job: `by_hand FOLDER TOTALS`.
//!
//! Keys are numbers behind letters, amounts have two decimals, nothing is missing, and no field has quotes.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufRead, BufReader, Result, Seek, SeekFrom, Write};
use std::path::Path;

use foldhash::{HashMap, HashMapExt};

const THREADS: u64 = 2;

/// Lines, pieces, and hundredths of revenue and cost.
type Sums = [i64; 4];

struct Lookups {
    /// Of an order, its channel and the segment of its customer.
    groups: HashMap<u32, (u8, u8)>,
    list_prices: HashMap<u32, u32>,
    /// By product and site.
    costs: HashMap<u64, u32>,
    channels: Vec<String>,
    segments: Vec<String>,
}

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1);
    let (Some(folder), Some(totals)) = (arguments.next(), arguments.next()) else {
        eprintln!("usage: by_hand FOLDER TOTALS");
        std::process::exit(2);
    };
    let folder = Path::new(&folder);
    let lookups = Lookups::read(folder)?;
    let sums = summed(&folder.join("lines.csv"), &lookups)?;
    let mut out = File::create(totals)?;
    writeln!(out, "orders.channel,customers.segment,lines,quantity,revenue,cost,profit")?;
    let mut named = BTreeMap::new();
    for ((channel, segment), sums) in sums {
        let names = (&lookups.channels[channel as usize], &lookups.segments[segment as usize]);
        named.insert(names, sums);
    }
    for ((channel, segment), [lines, quantity, revenue, cost]) in named {
        let (revenue, cost, profit) = (money(revenue), money(cost), money(revenue - cost));
        writeln!(out, "{channel},{segment},{lines},{quantity},{revenue},{cost},{profit}")?;
    }
    Ok(())
}

impl Lookups {
    fn read(folder: &Path) -> Result<Lookups> {
        let (mut channels, mut segments) = (Vec::new(), Vec::new());
        let mut of_customers: HashMap<u32, u8> = HashMap::new();
        rows(&folder.join("customers.csv"), |[number, _, segment]| {
            of_customers.insert(code(number), place_of(&mut segments, segment));
        })?;
        let mut groups = HashMap::with_capacity(1_500_000);
        rows(&folder.join("orders.csv"), |[number, _, customer, channel]| {
            let group = (place_of(&mut channels, channel), of_customers[&code(customer)]);
            groups.insert(code(number), group);
        })?;
        let mut list_prices = HashMap::new();
        rows(&folder.join("products.csv"), |[sku, _, price]| {
            list_prices.insert(code(sku), hundredths(price));
        })?;
        let mut costs = HashMap::with_capacity(800_000);
        rows(&folder.join("costs.csv"), |[sku, site, cost]| {
            costs.insert(at_site(sku, site), hundredths(cost));
        })?;
        Ok(Lookups { groups, list_prices, costs, channels, segments })
    }
}

/// The first fields of every row behind the names of columns.
fn rows<const N: usize>(path: &Path, mut row: impl FnMut([&[u8]; N])) -> Result<()> {
    let mut reader = BufReader::with_capacity(1 << 18, File::open(path)?);
    let mut line = Vec::new();
    reader.read_until(b'\n', &mut line)?;
    loop {
        line.clear();
        if reader.read_until(b'\n', &mut line)? == 0 {
            return Ok(());
        }
        row(fields(&line));
    }
}

fn fields<const N: usize>(line: &[u8]) -> [&[u8]; N] {
    let mut start = 0;
    let mut ends = memchr::memchr2_iter(b',', b'\n', line);
    [(); N].map(|()| {
        let end = ends.next().unwrap_or(line.len());
        let field = &line[start..end];
        start = end + 1;
        field
    })
}

/// The number of a key, whatever letters are before it.
fn code(key: &[u8]) -> u32 {
    let digits = key.iter().filter(|byte| byte.is_ascii_digit());
    digits.fold(0, |number, byte| number * 10 + u32::from(byte - b'0'))
}

/// Amounts have two decimals.
fn hundredths(amount: &[u8]) -> u32 {
    code(amount)
}

fn at_site(sku: &[u8], site: &[u8]) -> u64 {
    u64::from(code(sku)) << 32 | u64::from(code(site))
}

fn place_of(names: &mut Vec<String>, name: &[u8]) -> u8 {
    let known = names.iter().position(|known| known.as_bytes() == name);
    known.unwrap_or_else(|| {
        names.push(String::from_utf8_lossy(name).into_owned());
        names.len() - 1
    }) as u8
}

fn summed(path: &Path, lookups: &Lookups) -> Result<BTreeMap<(u8, u8), Sums>> {
    let size = path.metadata()?.len();
    let of_part =
        |part: u64| part_summed(path, lookups, size * part / THREADS, size * (part + 1) / THREADS);
    let parts: Vec<Result<Vec<Sums>>> = std::thread::scope(|scope| {
        let threads: Vec<_> = (0..THREADS).map(|part| scope.spawn(move || of_part(part))).collect();
        threads.into_iter().map(|thread| thread.join().expect("a thread ends")).collect()
    });
    let mut sums = BTreeMap::new();
    for part in parts {
        for (at, own) in part?.into_iter().enumerate().filter(|(_, own)| own[0] > 0) {
            let all: &mut Sums = sums.entry(((at / 16) as u8, (at % 16) as u8)).or_default();
            (0..all.len()).for_each(|sum| all[sum] += own[sum]);
        }
    }
    Ok(sums)
}

/// Sums of the lines that begin in a range of bytes, by channel times 16 and segment.
fn part_summed(path: &Path, lookups: &Lookups, start: u64, end: u64) -> Result<Vec<Sums>> {
    let mut file = File::open(path)?;
    // The line in which the range begins is of the range before; the first one has the names of columns.
    let mut at = start.saturating_sub(1);
    file.seek(SeekFrom::Start(at))?;
    let mut reader = BufReader::with_capacity(1 << 18, &mut file);
    let mut line = Vec::new();
    at += reader.read_until(b'\n', &mut line)? as u64;
    let mut sums = vec![Sums::default(); 256];
    while at < end {
        line.clear();
        at += reader.read_until(b'\n', &mut line)? as u64;
        let [order, sku, site, quantity] = fields(&line);
        let (channel, segment) = lookups.groups[&code(order)];
        let quantity = i64::from(code(quantity));
        let own = &mut sums[usize::from(channel) * 16 + usize::from(segment)];
        own[0] += 1;
        own[1] += quantity;
        own[2] += quantity * i64::from(lookups.list_prices[&code(sku)]);
        own[3] += quantity * i64::from(lookups.costs[&at_site(sku, site)]);
    }
    Ok(sums)
}

fn money(hundredths: i64) -> String {
    let sign = if hundredths < 0 { "-" } else { "" };
    let hundredths = hundredths.unsigned_abs();
    format!("{sign}{}.{:02}", hundredths / 100, hundredths % 100)
}
