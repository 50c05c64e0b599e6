//! How a run uses the machine.

use rayon::{ThreadPool, ThreadPoolBuilder};

/// How a run uses the machine; no result depends on it.
///
/// All work is done in the pool of threads in which it is asked for: `pool.install(|| project.run_outputs())`, or in
/// rayon's own where there is none.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Parallelism {
    /// Workers; more than the pool has threads bring nothing.
    pub threads: usize,
    /// Bytes of text that a worker takes at a time.
    pub block: usize,
}

impl Default for Parallelism {
    /// All threads of the pool, blocks that stay in the caches of a core.
    fn default() -> Parallelism {
        Parallelism { threads: rayon::current_num_threads(), block: 1 << 19 }
    }
}

/// The stack of a thread: long formulas are typed and evaluated recursively.
const STACK: usize = 64 << 20;

/// A pool of this many threads, whose stacks are large enough for any plan; of fewer, where the system gives no more, and
/// none, where it gives none at all.
pub fn pool(threads: usize) -> Option<ThreadPool> {
    let build = |threads| ThreadPoolBuilder::new().num_threads(threads).stack_size(STACK).build();
    (1..=threads.max(1)).rev().find_map(|threads| build(threads).ok())
}
