//! Everything that is kept: projects, bodies, revisions, geometry, jobs and handovers, in PostgreSQL.

pub mod blobs;
pub mod bodies;
pub mod deleting;
pub mod destinations;
pub mod handovers;
pub mod ids;
pub mod jobs;
mod neighbours;
pub mod projects;
pub mod pulse;
pub mod robots;
mod schema;
pub mod work;

use diesel::connection::SimpleConnection;
use diesel::pg::PgConnection;
use diesel::r2d2::{ConnectionManager, Pool, PooledConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use hull_workshop::Destination;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();
/// The key of the lock that is held while tables are brought up to date.
const MIGRATING: i64 = 0x4855_4c4c;

/// Why the store could not do something.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// Something is not there.
    #[error("{0} does not exist (any more)")]
    Missing(String),
    /// What people can mend themselves, as a sentence.
    #[error("{0}")]
    Refused(String),
    /// The database refuses.
    #[error("the database: {0}")]
    Database(#[from] diesel::result::Error),
    /// The database does not answer.
    #[error("the database cannot be reached: {0}")]
    Unreachable(#[from] diesel::r2d2::PoolError),
    /// What is stored cannot be read.
    #[error("stored data is damaged: {0}")]
    Damaged(String),
}

impl StoreError {
    /// Whether the database went away, which passes.
    pub fn is_outage(&self) -> bool {
        use diesel::result::DatabaseErrorKind::ClosedConnection;
        use diesel::result::Error::{BrokenTransactionManager, DatabaseError};
        match self {
            StoreError::Unreachable(_) => true,
            StoreError::Database(DatabaseError(ClosedConnection, _) | BrokenTransactionManager) => true,
            // What the server says while it stops or starts has no kind of its own.
            StoreError::Database(DatabaseError(_, about)) => {
                let said = about.message();
                ["terminating connection", "server closed", "shutting down", "starting up", "connection to server"]
                    .iter()
                    .any(|words| said.contains(words))
            }
            _ => false,
        }
    }
}

impl From<serde_json::Error> for StoreError {
    fn from(e: serde_json::Error) -> StoreError {
        StoreError::Damaged(e.to_string())
    }
}

/// What the store answers.
pub type Result<T> = std::result::Result<T, StoreError>;

/// Destinations by name and version.
type Known = BTreeMap<(String, i32), Arc<Destination>>;

/// The store: a pool of connections and a folder of cached chunks that may be deleted at any time.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<PgConnection>>,
    cache: PathBuf,
    /// Destinations that were read, by name and version.
    destinations: Arc<Mutex<Known>>,
}

impl Store {
    /// Connects and brings the tables up to date.
    ///
    /// # Errors
    /// If the database cannot be reached or a migration fails.
    pub fn open(url: &str, cache: PathBuf) -> Result<Store> {
        let pool = Pool::builder()
            .max_size(12)
            // They come when they are needed: a server and its workers would hold dozens that a database may not have.
            .min_idle(Some(0))
            .connection_timeout(std::time::Duration::from_secs(5))
            .build(ConnectionManager::new(url))?;
        let store = Store { pool, cache, destinations: Arc::default() };
        let mut connection = store.connection()?;
        // Servers and workers that start at once bring the tables up to date one after another.
        connection.batch_execute(&format!("SELECT pg_advisory_lock({MIGRATING})"))?;
        let migrated = connection.run_pending_migrations(MIGRATIONS).map(|_| ());
        connection.batch_execute(&format!("SELECT pg_advisory_unlock({MIGRATING})"))?;
        migrated.map_err(|e| StoreError::Damaged(format!("a migration failed: {e}")))?;
        drop(connection);
        store.add_shipped()?;
        Ok(store)
    }

    fn connection(&self) -> Result<PooledConnection<ConnectionManager<PgConnection>>> {
        Ok(self.pool.get()?)
    }
}
