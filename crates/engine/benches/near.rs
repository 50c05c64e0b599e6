//! Near misses: 10,000 keys that were not found against lookups of many keys.

use divan::{AllocProfiler, Bencher};
use interligo_engine::near::near_keys;

#[global_allocator]
static ALLOC: AllocProfiler = AllocProfiler::system();

fn main() {
    divan::main();
}

/// Numbers that look like chance.
fn numbers() -> impl FnMut(usize) -> usize {
    let mut state = 20_261_123u64;
    move |bound| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        (state >> 33) as usize % bound
    }
}

/// Codes such as `KJ-40127-Q`, and some of them mistyped.
fn codes(keys: usize, sought: usize) -> (Vec<String>, Vec<String>) {
    let mut below = numbers();
    let mut letter = || char::from(b'A' + below(26) as u8);
    let characters: Vec<[char; 3]> = (0..keys).map(|_| [letter(), letter(), letter()]).collect();
    let keys: Vec<String> =
        characters.iter().map(|[a, b, c]| format!("{a}{b}-{:05}-{c}", below(100_000))).collect();
    let wrong = (0..sought)
        .map(|_| {
            let mut key: Vec<char> = keys[below(keys.len())].chars().collect();
            let at = below(key.len());
            match below(3) {
                0 => key[at] = 'X',
                1 => drop(key.remove(at)),
                _ => key.swap(3, 4),
            }
            key.into_iter().collect()
        })
        .collect();
    (keys, wrong)
}

#[divan::bench(args = [10_000, 100_000, 1_000_000], sample_count = 5, sample_size = 1)]
fn ten_thousand_keys_against(bencher: Bencher<'_, '_>, keys: usize) {
    let (keys, wrong) = codes(keys, 10_000);
    let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
    let wrong: Vec<&str> = wrong.iter().map(String::as_str).collect();
    bencher.bench(|| near_keys(&wrong, &keys));
}

/// Numbers without gaps: every key has many neighbours.
#[divan::bench(sample_count = 3, sample_size = 1)]
fn ten_thousand_numbers_against_a_million(bencher: Bencher<'_, '_>) {
    let keys: Vec<String> = (1_000_000..2_000_000).map(|number| number.to_string()).collect();
    let wrong: Vec<String> =
        (0..10_000).map(|number| (2_000_000 + number * 37).to_string()).collect();
    let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
    let wrong: Vec<&str> = wrong.iter().map(String::as_str).collect();
    bencher.bench(|| near_keys(&wrong, &keys));
}
