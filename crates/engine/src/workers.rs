//! Work side by side. The whole program has one allowance of threads, however many pieces of work ask for some;
//! work that gets none is done by the thread that asked. The results are the same.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

/// How many threads may work at a time; one until somebody says otherwise.
static ALLOWED: AtomicUsize = AtomicUsize::new(1);

/// How many are at work beside those that asked for them.
static BESIDE: AtomicUsize = AtomicUsize::new(0);

/// The stack of a thread: formulas are worked out recursively.
const STACK: usize = 64 << 20;

/// Says how many threads may work at a time.
pub fn allow(threads: usize) {
    ALLOWED.store(threads.max(1), Ordering::Relaxed);
}

/// How many threads may work at a time.
pub fn allowed() -> usize {
    ALLOWED.load(Ordering::Relaxed)
}

/// A thread that may work beside the one that asked for it, until this is dropped.
struct Permit;

impl Permit {
    fn take() -> Option<Permit> {
        let more = |beside: usize| (beside + 1 < allowed()).then_some(beside + 1);
        BESIDE.fetch_update(Ordering::Relaxed, Ordering::Relaxed, more).ok().map(|_| Permit)
    }
}

impl Drop for Permit {
    fn drop(&mut self) {
        BESIDE.fetch_sub(1, Ordering::Relaxed);
    }
}

/// Lets `most` threads at most do the same, this one among them; the answers come in no order.
///
/// Where the system gives no more threads, those that are there do the work.
///
/// # Panics
/// The work does.
pub fn crew<R: Send>(most: usize, work: impl Fn() -> R + Sync) -> Vec<R> {
    std::thread::scope(|scope| {
        let work = &work;
        let hired = (1..most).map_while(|_| {
            let permit = Permit::take()?;
            let beside = move || {
                let _permit = permit;
                work()
            };
            std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, beside).ok()
        });
        let hired: Vec<_> = hired.collect();
        let mut answers = vec![work()];
        for worker in hired {
            match worker.join() {
                Ok(answer) => answers.push(answer),
                Err(panic) => std::panic::resume_unwind(panic),
            }
        }
        answers
    })
}

/// Does something with each of some items, side by side; the answers come in their order.
///
/// # Panics
/// The work does.
pub fn each<T: Send, R: Send>(items: Vec<T>, work: impl Fn(T) -> R + Sync) -> Vec<R> {
    let most = items.len();
    let items = Mutex::new(items.into_iter().enumerate());
    let next = || items.lock().unwrap_or_else(PoisonError::into_inner).next();
    let answers = crew(most, || {
        std::iter::from_fn(&next).map(|(number, item)| (number, work(item))).collect::<Vec<_>>()
    });
    let mut answers: Vec<(usize, R)> = answers.into_iter().flatten().collect();
    answers.sort_by_key(|(number, _)| *number);
    answers.into_iter().map(|(_, answer)| answer).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_more_threads_work_than_are_allowed() {
        for threads in [1, 2, 3] {
            allow(threads);
            let (now, most) = (AtomicUsize::new(0), AtomicUsize::new(0));
            let answers = each((0..40).collect(), |item: u32| {
                let here = now.fetch_add(1, Ordering::SeqCst) + 1;
                most.fetch_max(here, Ordering::SeqCst);
                let inner = each(vec![item, item], |item| item * 2);
                now.fetch_sub(1, Ordering::SeqCst);
                inner[0]
            });
            assert_eq!(answers, (0..40).map(|item| item * 2).collect::<Vec<_>>());
            assert!(most.load(Ordering::SeqCst) <= threads);
        }
        allow(1);
    }
}
