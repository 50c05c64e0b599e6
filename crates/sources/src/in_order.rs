//! Work in parallel, results in order.
//!
//! Each worker takes the next item, works on it, and hands in its result; results leave in the order
//! of the items, whoever happens to complete the next one. A worker that is far ahead waits, so that
//! only a few results are held.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

/// Results held per worker before it waits for the others.
const AHEAD: usize = 3;

struct Intake<N> {
    next: N,
    taken: u64,
    /// Whether the last item was taken; nobody asks for one after it.
    ended: bool,
}

struct Sink<R, F, E> {
    emit: F,
    /// Results that wait for those before them.
    waiting: BTreeMap<u64, R>,
    emitted: u64,
    /// The error of the earliest item.
    failed: Option<(u64, E)>,
}

/// Works on all items of `next` with `threads` workers, in the pool of whoever calls.
///
/// Workers wait for each other. So `work` must not work in parallel itself: a thread that waits for that could be given
/// another worker, which would wait for the one below it.
///
/// `work` is given a worker's own state; the states come back at the end. `emit` gets the results in
/// the order of the items.
///
/// # Errors
/// That of the earliest item, whichever worker met it.
pub fn in_order<T, R, S, E>(
    threads: usize,
    next: impl FnMut() -> Result<Option<T>, E> + Send,
    state: impl Fn() -> S + Sync,
    work: impl Fn(&mut S, T) -> Result<R, E> + Sync,
    emit: impl FnMut(R) -> Result<(), E> + Send,
) -> Result<Vec<S>, E>
where
    T: Send,
    R: Send,
    S: Send,
    E: Send,
{
    let source = Mutex::new(Intake { next, taken: 0, ended: false });
    let sink = Mutex::new(Sink { emit, waiting: BTreeMap::new(), emitted: 0, failed: None });
    let (moved, stopped) = (Condvar::new(), AtomicBool::new(false));
    let worker = || {
        let mut own = state();
        while !stopped.load(Ordering::Relaxed) {
            let (number, item) = {
                let mut source = locked(&source);
                let number = source.taken;
                source.taken += 1;
                let item = if source.ended { Ok(None) } else { (source.next)() };
                source.ended = !matches!(item, Ok(Some(_)));
                (number, item)
            };
            let result = match item {
                Ok(None) => break,
                Ok(Some(item)) => work(&mut own, item),
                Err(error) => Err(error),
            };
            let mut sink = locked(&sink);
            sink.hand_in(number, result);
            if sink.failed.is_some() {
                stopped.store(true, Ordering::Relaxed);
            }
            moved.notify_all();
            while sink.waiting.len() > AHEAD * threads && sink.failed.is_none() {
                sink = moved.wait(sink).unwrap_or_else(PoisonError::into_inner);
            }
        }
        own
    };
    let states = Mutex::new(Vec::new());
    rayon::scope(|scope| {
        for _ in 0..threads.max(1) {
            scope.spawn(|_| {
                let own = worker();
                locked(&states).push(own);
            });
        }
    });
    match sink.into_inner().unwrap_or_else(PoisonError::into_inner).failed {
        Some((_, error)) => Err(error),
        None => Ok(states.into_inner().unwrap_or_else(PoisonError::into_inner)),
    }
}

impl<R, F: FnMut(R) -> Result<(), E>, E> Sink<R, F, E> {
    fn hand_in(&mut self, number: u64, result: Result<R, E>) {
        match result {
            Ok(result) => {
                self.waiting.insert(number, result);
            }
            Err(error) => self.fail(number, error),
        }
        while let Some(result) = self.waiting.remove(&self.emitted) {
            if self.failed.as_ref().is_none_or(|(at, _)| self.emitted < *at)
                && let Err(error) = (self.emit)(result)
            {
                self.fail(self.emitted, error);
            }
            self.emitted += 1;
        }
    }

    fn fail(&mut self, number: u64, error: E) {
        if self.failed.as_ref().is_none_or(|(at, _)| number < *at) {
            self.failed = Some((number, error));
        }
    }
}

/// A stretch of work that workers do in the order of their items, each for a moment, though they work on
/// them at the same time.
pub struct Turns<S> {
    inner: Mutex<Turn<S>>,
    moved: Condvar,
}

struct Turn<S> {
    state: S,
    /// The item whose turn it is.
    next: u64,
    /// The first item that failed; those behind it have no turn any more.
    failed: Option<u64>,
}

impl<S> Turns<S> {
    /// It is the turn of the first.
    pub fn new(state: S) -> Turns<S> {
        Turns { inner: Mutex::new(Turn { state, next: 0, failed: None }), moved: Condvar::new() }
    }

    /// Does `work` when it is the turn of an item. `None` when an earlier item has failed.
    pub fn take<R>(&self, item: u64, work: impl FnOnce(&mut S) -> R) -> Option<R> {
        let behind = |turn: &Turn<S>| turn.failed.is_some_and(|failed| failed < item);
        let waits = |turn: &mut Turn<S>| turn.next != item && !behind(turn);
        let turn = self.moved.wait_while(locked(&self.inner), waits);
        let mut turn = turn.unwrap_or_else(PoisonError::into_inner);
        if behind(&turn) {
            return None;
        }
        let result = work(&mut turn.state);
        turn.next = item + 1;
        self.moved.notify_all();
        Some(result)
    }

    /// An item fails: no later one has a turn.
    pub fn fail(&self, item: u64) {
        let mut turn = locked(&self.inner);
        turn.failed = Some(turn.failed.map_or(item, |failed| failed.min(item)));
        self.moved.notify_all();
    }

    /// What came of all turns.
    pub fn finish(self) -> S {
        self.inner.into_inner().unwrap_or_else(PoisonError::into_inner).state
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(threads: usize, fails: &[u64]) -> (Vec<u64>, Result<u64, u64>) {
        let mut items = 0..500u64;
        let mut out = Vec::new();
        let work = |sum: &mut u64, item: u64| {
            if item.is_multiple_of(7) {
                std::thread::yield_now();
            }
            *sum += item;
            if fails.contains(&item) { Err(item) } else { Ok(item * 2) }
        };
        let states = in_order(
            threads,
            || Ok(items.next()),
            || 0,
            work,
            |item| {
                out.push(item);
                Ok(())
            },
        );
        (out, states.map(|sums| sums.into_iter().sum()))
    }

    #[test]
    fn results_leave_in_the_order_of_the_items() {
        for threads in [1, 2, 5] {
            let (out, sum) = run(threads, &[]);
            assert!(out.iter().copied().eq((0..500).map(|n| n * 2)));
            assert_eq!(sum, Ok(500 * 499 / 2));
        }
    }

    #[test]
    fn turns_come_in_the_order_of_the_items() {
        for threads in [1, 2, 5] {
            let turns = Turns::new(Vec::new());
            let mut items = 0..300u64;
            let work = |_: &mut (), item: u64| {
                if item.is_multiple_of(5) {
                    std::thread::yield_now();
                }
                turns.take(item, |order| order.push(item)).ok_or(item)
            };
            in_order(threads, || Ok(items.next()), || (), work, |()| Ok(())).unwrap();
            assert!(turns.finish().into_iter().eq(0..300));
        }
    }

    #[test]
    fn an_item_that_fails_lets_nobody_wait() {
        for threads in [1, 2, 5] {
            let turns = Turns::new(());
            let mut items = 0..300u64;
            let work = |_: &mut (), item: u64| {
                if item == 40 {
                    turns.fail(item);
                    return Err(item);
                }
                turns.take(item, |()| ()).ok_or(item)
            };
            let done = in_order(threads, || Ok(items.next()), || (), work, |()| Ok(()));
            assert_eq!(done.err(), Some(40));
        }
    }

    #[test]
    fn the_earliest_error_wins_and_nothing_after_it_leaves() {
        for threads in [1, 2, 5] {
            for _ in 0..20 {
                let (out, error) = run(threads, &[130, 131, 132, 300]);
                assert_eq!(error, Err(130));
                assert!(
                    out.len() <= 130
                        && out.iter().copied().eq((0..out.len() as u64).map(|n| n * 2))
                );
            }
        }
    }
}
