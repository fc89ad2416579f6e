//! Workers as processes of their own: one that runs out of memory or into a defect takes nothing but its own job with it,
//! and one that does not hear that its job was cancelled is ended.

use crate::worker;
use anyhow::{Context, Result};
use hull_store::Store;
use hull_store::jobs::Left;
use hull_store::work::State;
use rustix::process::{Resource, Rlimit, getrlimit, nice, setrlimit};
use std::io::{BufRead, BufReader, Read};
use std::os::unix::process::{CommandExt, ExitStatusExt};
use std::path::PathBuf;
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::sync::{Arc, Mutex};
use std::thread::{self, JoinHandle};
use std::time::{Duration, Instant};

/// How long a job may go on after the server was told to stop.
const PATIENCE: Duration = Duration::from_secs(10);
const LOOK: Duration = Duration::from_millis(50);
/// A worker that ends sooner than this is not started again at once.
const SOON: Duration = Duration::from_secs(2);

/// What the workers need to know.
#[derive(Clone, Debug)]
pub struct Setup {
    /// Address of the database; it holds a password, so it goes through the environment.
    pub database: String,
    /// Folder for cached geometry.
    pub cache: PathBuf,
    /// How many.
    pub workers: usize,
    /// Bytes that each may use.
    pub memory: u64,
}

/// Running workers.
pub struct Crew {
    stop: Arc<AtomicBool>,
    keepers: Vec<JoinHandle<()>>,
}

impl Crew {
    /// Lets every worker finish the job it has, for ten seconds; what is not done then goes back into the queue.
    pub fn stop(self) {
        self.stop.store(true, Relaxed);
        self.wait();
    }

    /// Waits for the workers, who end when they are told to.
    pub fn wait(self) {
        for keeper in self.keepers {
            let _ = keeper.join();
        }
    }
}

/// An even share of most of this machine's memory, in bytes.
pub fn share_of_memory(workers: usize) -> u64 {
    let machine = rustix::system::sysinfo();
    let all = u64::from(machine.mem_unit).max(1) * machine.totalram as u64;
    all / 10 * 8 / workers.max(1) as u64
}

/// Starts the workers, and starts those again that end.
pub fn start(store: &Store, setup: &Setup) -> Crew {
    let stop = Arc::new(AtomicBool::new(false));
    let keeper = |_| {
        let (store, stop, setup) = (store.clone(), stop.clone(), setup.clone());
        thread::spawn(move || {
            while !stop.load(Relaxed) {
                let begun = Instant::now();
                if let Err(e) = one(&store, &setup, &stop) {
                    tracing::warn!("no worker: {e:#}");
                }
                while begun.elapsed() < SOON && !stop.load(Relaxed) {
                    thread::sleep(LOOK);
                }
            }
        })
    };
    let keepers = (0..setup.workers).map(keeper).collect();
    Crew { stop, keepers }
}

/// One worker from its start to its end.
fn one(store: &Store, setup: &Setup, stop: &AtomicBool) -> Result<()> {
    let mut child = Command::new(std::env::current_exe().context("where this program is")?)
        .arg("one-worker")
        .arg("--cache")
        .arg(&setup.cache)
        .arg("--memory")
        .arg(setup.memory.to_string())
        .env("HULL_DATABASE_URL", &setup.database)
        .stdin(Stdio::piped())
        .stderr(Stdio::piped())
        // Ctrl-C in a terminal is for the server, which tells its workers.
        .process_group(0)
        .spawn()
        .context("starting a worker")?;
    let name = worker::name_of(child.id());
    let said = Arc::new(Mutex::new(String::new()));
    let listener = child.stderr.take().map(|pipe| {
        let said = said.clone();
        thread::spawn(move || listen(pipe, &said))
    });
    let ended = attend(&mut child, stop)?;
    if let Some(listener) = listener {
        let _ = listener.join();
    }
    let said = said.lock().map(|s| s.clone()).unwrap_or_default();
    let end = blame(ended, &said, setup.memory);
    let left = match &end {
        Some(end) => Left::Ended(end),
        None if stop.load(Relaxed) => Left::Innocent,
        None => Left::Killed,
    };
    if let Some(job) = store.worker_is_gone(&name, left)? {
        tracing::warn!("worker {name} ended ({ended}) in job {job}");
    }
    Ok(())
}

/// Waits for a worker's end; if the server stops, tells it and ends it when its time is up.
fn attend(child: &mut Child, stop: &AtomicBool) -> Result<ExitStatus> {
    let mut deadline = None;
    loop {
        if let Some(status) = child.try_wait()? {
            return Ok(status);
        }
        if deadline.is_none() && stop.load(Relaxed) {
            // The end of its input is its sign.
            drop(child.stdin.take());
            deadline = Some(Instant::now() + PATIENCE + Duration::from_secs(1));
        }
        if deadline.is_some_and(|d| Instant::now() > d) {
            child.kill()?;
        }
        thread::sleep(LOOK);
    }
}

/// Passes a worker's lines on and remembers the one about memory.
fn listen(pipe: impl Read, said: &Mutex<String>) {
    for line in BufReader::new(pipe).lines().map_while(std::result::Result::ok) {
        eprintln!("{line}");
        if line.contains("memory allocation of")
            && let Ok(mut said) = said.lock()
        {
            *said = line;
        }
    }
}

/// What is told of a job whose worker ended in the middle of it; `None` if the job was not the cause.
fn blame(ended: ExitStatus, said: &str, memory: u64) -> Option<State> {
    if said.contains("memory allocation of") {
        let limit = memory as f64 / 1e9;
        return Some(State::Failed(format!(
            "This needs more memory than a job may use here ({limit:.1} GB), so it was stopped. Nothing was changed. \
             Coarser values, or a smaller file, need less; --memory of the server sets the limit."
        )));
    }
    // Abort, segmentation fault, bus error.
    let defect = matches!(ended.signal(), Some(6 | 7 | 11));
    defect.then(|| State::Failed("A defect in the program stopped this job. Nothing was changed.".into()))
}

/// What such a process does: jobs, until its input ends.
pub fn be_one(store: &Store, memory: u64) -> Result<()> {
    // What memory maps reserve without using it does not count.
    let most = getrlimit(Resource::Data).maximum;
    let limit = most.map_or(memory, |most| most.min(memory));
    setrlimit(Resource::Data, Rlimit { current: Some(limit), maximum: most })?;
    // Pages go before jobs.
    let _ = nice(5);
    let name = worker::name_of(std::process::id());
    let stop = Arc::new(AtomicBool::new(false));
    {
        let (store, stop, name) = (store.clone(), stop.clone(), name.clone());
        thread::spawn(move || {
            let mut nothing = [0; 64];
            while std::io::stdin().read(&mut nothing).is_ok_and(|n| n > 0) {}
            stop.store(true, Relaxed);
            thread::sleep(PATIENCE);
            if let Err(e) = store.worker_is_gone(&name, Left::Innocent) {
                tracing::warn!("{e}");
            }
            std::process::exit(0);
        });
    }
    worker::work(store, &name, &stop, worker::Life::Process);
    Ok(())
}
