//! Progress and cancelling of long work.

use std::sync::atomic::{AtomicBool, AtomicU32, Ordering::Relaxed};
use std::sync::{Arc, Mutex};
use std::time::Instant;

/// The work was cancelled; nothing has changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("cancelled")]
pub struct Cancelled;

/// A handle passed down into long work: the work reports a fraction and a phrase through it and asks it
/// whether to stop. Clones share one state; a default one never cancels.
#[derive(Clone, Default)]
pub struct Watch(Arc<State>);

#[derive(Default)]
struct State {
    cancelled: AtomicBool,
    fraction: AtomicU32,
    phrase: Mutex<String>,
    /// What took how long, in seconds, if anybody wants to know.
    spent: Option<Mutex<Vec<(String, f64)>>>,
}

impl Watch {
    /// Says how far the work has come (`0..=1`) and what it does now.
    ///
    /// # Errors
    /// [`Cancelled`] if somebody asked for that.
    pub fn report(&self, fraction: f64, phrase: &str) -> Result<(), Cancelled> {
        self.0.fraction.store((fraction.clamp(0.0, 1.0) * 1e6) as u32, Relaxed);
        let mut held = self.0.phrase.lock().unwrap_or_else(|e| e.into_inner());
        if *held != phrase {
            phrase.clone_into(&mut held);
        }
        drop(held);
        self.check()
    }

    /// # Errors
    /// [`Cancelled`] if somebody asked for that.
    pub fn check(&self) -> Result<(), Cancelled> {
        if self.0.cancelled.load(Relaxed) { Err(Cancelled) } else { Ok(()) }
    }

    /// Asks the work to stop at its next report.
    pub fn cancel(&self) {
        self.0.cancelled.store(true, Relaxed);
    }

    /// A handle that also writes down what took how long.
    pub fn timing() -> Watch {
        Watch(Arc::new(State { spent: Some(Mutex::default()), ..State::default() }))
    }

    /// Does a piece of work, and writes down how long it took under what `name` makes of it.
    pub fn timed<T>(&self, name: impl FnOnce(&T) -> String, work: impl FnOnce() -> T) -> T {
        let Some(spent) = &self.0.spent else { return work() };
        let begun = Instant::now();
        let done = work();
        let seconds = begun.elapsed().as_secs_f64();
        spent.lock().unwrap_or_else(|e| e.into_inner()).push((name(&done), seconds));
        done
    }

    /// What took how long, in seconds, in the order in which it ended.
    pub fn spent(&self) -> Vec<(String, f64)> {
        self.0.spent.as_ref().map_or_else(Vec::new, |s| s.lock().unwrap_or_else(|e| e.into_inner()).clone())
    }

    /// The last report: fraction in `0..=1` and phrase.
    pub fn progress(&self) -> (f64, String) {
        let phrase = self.0.phrase.lock().unwrap_or_else(|e| e.into_inner()).clone();
        (f64::from(self.0.fraction.load(Relaxed)) / 1e6, phrase)
    }
}
