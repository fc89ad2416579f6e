//! The queue of jobs against a plain list: whatever workers and people do, in whatever order, both say the same of every job.

use diesel::{Connection, PgConnection, RunQueryDsl};
use hull_store::Store;
use hull_store::ids::{BodyId, JobId, RevisionId};
use hull_store::work::{On, State, Work};
use hull_workshop::handover::Form;
use proptest::prelude::*;

/// Workers that take jobs.
const WORKERS: [&str; 3] = ["red", "green", "blue"];

const NOTHING_WAITS: &str = "UPDATE jobs SET state = 'cancelled' WHERE state IN ('queued', 'running')";

/// What somebody does.
#[derive(Clone, Copy, Debug)]
enum Deed {
    Enqueue {
        survey: bool,
    },
    Claim {
        worker: usize,
    },
    /// The worker says that it is still at a job.
    Beat {
        worker: usize,
        job: usize,
    },
    /// Nothing was heard of a job for longer than its lease.
    Lapse {
        job: usize,
    },
    Cancel {
        job: usize,
    },
    /// The worker says that a job has failed.
    End {
        worker: usize,
        job: usize,
    },
}

fn deed() -> impl Strategy<Value = Deed> {
    let (worker, job) = (0..WORKERS.len(), 0..5usize);
    prop_oneof![
        3 => any::<bool>().prop_map(|survey| Deed::Enqueue { survey }),
        4 => worker.clone().prop_map(|worker| Deed::Claim { worker }),
        2 => (worker.clone(), job.clone()).prop_map(|(worker, job)| Deed::Beat { worker, job }),
        2 => job.clone().prop_map(|job| Deed::Lapse { job }),
        1 => job.clone().prop_map(|job| Deed::Cancel { job }),
        2 => (worker, job).prop_map(|(worker, job)| Deed::End { worker, job }),
    ]
}

/// A job as the plain list has it.
#[derive(Debug)]
struct Plain {
    id: JobId,
    survey: bool,
    state: &'static str,
    worker: usize,
    attempts: i32,
    lapsed: bool,
    cancelled: bool,
}

impl Plain {
    fn is_open(&self) -> bool {
        matches!(self.state, "queued" | "running")
    }

    fn held_by(&self, worker: usize) -> bool {
        self.state == "running" && self.worker == worker
    }
}

/// The job that a worker gets: the oldest that waits, surveys last. What is lost for the third time is given up.
fn claimed(list: &mut [Plain], worker: usize) -> Option<JobId> {
    for job in list.iter_mut().filter(|j| j.state == "running" && j.lapsed && j.cancelled) {
        job.state = "cancelled";
    }
    let waits = |j: &&mut Plain| j.state == "queued" || (j.state == "running" && j.lapsed);
    let job = list.iter_mut().filter(waits).min_by_key(|j| (j.survey, j.id))?;
    if job.attempts == 3 {
        job.state = "failed";
        return None;
    }
    (job.state, job.worker, job.lapsed, job.attempts) = ("running", worker, false, job.attempts + 1);
    Some(job.id)
}

fn open() -> (Store, PgConnection) {
    let url = std::env::var("HULL_TEST_DATABASE_URL").expect("run scripts/test, which starts a database for the tests");
    let cache = std::env::temp_dir().join(format!("hull-test-queue-{}", std::process::id()));
    (Store::open(&url, cache).unwrap(), PgConnection::establish(&url).unwrap())
}

fn run(c: &mut PgConnection, sql: &str) {
    diesel::sql_query(sql).execute(c).unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, ..ProptestConfig::default() })]

    #[test]
    fn jobs_are_claimed_lost_cancelled_and_ended_as_a_plain_list_says(deeds in prop::collection::vec(deed(), 1..40)) {
        let (store, mut c) = open();
        // What other tests have left waiting would be claimed first; nothing is left for them either.
        run(&mut c, NOTHING_WAITS);
        let name = format!("model {} {:?}", std::process::id(), std::time::Instant::now());
        let project = store.create_project(&name).unwrap().id;
        let mut list: Vec<Plain> = Vec::new();
        for deed in deeds {
            let some = |list: &[Plain], job: usize| (!list.is_empty()).then(|| list.len() - 1 - job % list.len());
            match deed {
                Deed::Enqueue { survey } => {
                    let on = RevisionId(0);
                    let work = if survey { Work::Survey(On { on }) } else { Work::Handover(Form::Ascii.into()) };
                    let id = store.enqueue(&work, project, None::<BodyId>).unwrap();
                    list.push(Plain { id, survey, state: "queued", worker: 0, attempts: 0, lapsed: false, cancelled: false });
                }
                Deed::Claim { worker } => {
                    let got = store.claim(WORKERS[worker]).unwrap().map(|j| j.id);
                    prop_assert_eq!(got, claimed(&mut list, worker));
                }
                Deed::Beat { worker, job } => if let Some(at) = some(&list, job) {
                    let job = &mut list[at];
                    let stop = store.heartbeat(job.id, WORKERS[worker], 0.5, "at it").unwrap();
                    // Whoever has lost a job is told to stop, and does not keep it for the one who has it.
                    prop_assert_eq!(stop, !job.held_by(worker) || job.cancelled);
                    job.lapsed &= !job.held_by(worker);
                },
                Deed::Lapse { job } => if let Some(at) = some(&list, job) {
                    let job = &mut list[at];
                    run(&mut c, &format!(
                        "UPDATE jobs SET lease_until = now() - interval '1 second' WHERE state = 'running' AND id = {}",
                        job.id
                    ));
                    job.lapsed = job.state == "running";
                },
                Deed::Cancel { job } => if let Some(at) = some(&list, job) {
                    let job = &mut list[at];
                    store.cancel_job(job.id).unwrap();
                    job.cancelled = true;
                    if job.state == "queued" {
                        job.state = "cancelled";
                    }
                },
                Deed::End { worker, job } => if let Some(at) = some(&list, job) {
                    let job = &mut list[at];
                    let ended = store.end_job(job.id, WORKERS[worker], &State::Failed("It broke.".into()));
                    prop_assert_eq!(ended.is_ok(), job.held_by(worker), "only who holds a job ends it");
                    if job.held_by(worker) {
                        job.state = "failed";
                    }
                },
            }
            for job in &list {
                let kept = store.job(job.id).unwrap();
                prop_assert_eq!((kept.state.word(), kept.attempts), (job.state, job.attempts), "{:?}", job);
                prop_assert_eq!(kept.is_over(), !job.is_open());
            }
        }
        run(&mut c, NOTHING_WAITS);
    }
}
