//! How a run uses the machine.

/// How a run uses the machine; no result depends on it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Parallelism {
    /// Workers.
    pub threads: usize,
    /// Bytes of text that a worker takes at a time.
    pub block: usize,
}

impl Default for Parallelism {
    /// All cores, blocks that stay in their caches.
    fn default() -> Parallelism {
        let threads = std::thread::available_parallelism().map_or(1, Into::into);
        Parallelism { threads, block: 1 << 19 }
    }
}
