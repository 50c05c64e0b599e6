//! How many distinct values there are, without keeping them.
//!
//! The method is that of P. Flajolet, É. Fusy, O. Gandouet and F. Meunier, "HyperLogLog: the analysis of
//! a near-optimal cardinality estimation algorithm" (2007), with 2^14 registers: the standard error is
//! 1.04 / sqrt(2^14), less than 1 %. Where few registers are in use, the paper's correction counts those
//! that are not (K.-Y. Whang, B. T. Vander-Zanden and H. M. Taylor, "A linear-time probabilistic counting
//! algorithm for database applications", 1990). Hashes have 64 bits, so that the correction for very many
//! values is not needed.

use std::hash::{BuildHasher, Hasher};

use foldhash::quality::FixedState;

/// The first bits of a hash choose the register.
const BITS: u32 = 14;
const REGISTERS: usize = 1 << BITS;

/// The paper's constant for 2^14 registers, 0.7213 / (1 + 1.079 / 2^14), times their number squared.
const SCALE: u128 = 193_609_744;

/// A sketch of a set of texts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Sketch {
    /// Of the hashes of a register, the longest run of zeros before the first one, and that one.
    registers: Vec<u8>,
}

impl Default for Sketch {
    fn default() -> Sketch {
        Sketch { registers: vec![0; REGISTERS] }
    }
}

impl Sketch {
    pub(crate) fn add(&mut self, text: &str) {
        let mut hasher = FixedState::with_seed(0x7369_6d70).build_hasher();
        hasher.write(text.as_bytes());
        let hash = hasher.finish();
        let register = (hash >> (64 - BITS)) as usize;
        let run = ((hash << BITS) | 1 << (BITS - 1)).leading_zeros() as u8 + 1;
        self.registers[register] = self.registers[register].max(run);
    }

    pub(crate) fn merge(&mut self, other: &Sketch) {
        for (own, other) in self.registers.iter_mut().zip(&other.registers) {
            *own = (*own).max(*other);
        }
    }

    /// About how many distinct texts were added.
    pub(crate) fn estimate(&self) -> u64 {
        // A run is at most 51, so that these shares of 2^52 are whole numbers.
        let sum: u128 = self.registers.iter().map(|run| 1u128 << (52 - u32::from(*run))).sum();
        let estimate = ((SCALE << 52) / sum) as u64;
        let unused = self.registers.iter().filter(|run| **run == 0).count();
        if unused > 0 && estimate * 2 <= 5 * REGISTERS as u64 { counted(unused) } else { estimate }
    }
}

/// About how many values leave this many registers unused: m ln(m / unused).
#[expect(clippy::float_arithmetic, reason = "the estimate of a count, not an amount")]
fn counted(unused: usize) -> u64 {
    let size = REGISTERS as f64;
    (size * (size / unused as f64).ln()).round() as u64
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_estimate_is_within_three_standard_errors() {
        for count in [2u64, 700, 30_000, 120_000, 500_000] {
            let (mut odd, mut even) = (Sketch::default(), Sketch::default());
            for number in 0..count {
                let sketch = if number % 2 == 0 { &mut even } else { &mut odd };
                sketch.add(&format!("order-{number}"));
                sketch.add(&format!("order-{}", number / 2));
            }
            even.merge(&odd);
            let estimate = even.estimate();
            assert!(estimate.abs_diff(count) * 1000 <= count * 25, "{estimate} for {count}");
        }
    }
}
