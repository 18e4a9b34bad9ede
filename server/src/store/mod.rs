//! The database: SQLite in WAL mode through Diesel. One file a table; nothing else writes SQL.

pub mod handoffs;
pub mod kept;
pub mod looks;
pub mod manifest;
pub mod productions;
pub mod profiles;
pub mod scenes;
pub mod schema;
pub mod shots;

use crate::error::{ApiError, ApiResult};
use diesel::{
    connection::SimpleConnection,
    prelude::*,
    r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection},
};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use std::path::Path;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// A connection from the pool.
pub type Connection = PooledConnection<ConnectionManager<SqliteConnection>>;

/// The database of one data folder.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
}

#[derive(Debug)]
struct Pragmas;

impl CustomizeConnection<SqliteConnection, diesel::r2d2::Error> for Pragmas {
    fn on_acquire(&self, connection: &mut SqliteConnection) -> Result<(), diesel::r2d2::Error> {
        // Synchronous FULL: what a page was told to be saved survives a power cut.
        connection
            .batch_execute(
                "PRAGMA busy_timeout = 5000; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;",
            )
            .map_err(diesel::r2d2::Error::QueryError)
    }
}

impl Store {
    /// Opens or makes the database file and brings its schema up to date.
    pub fn open(file: &Path) -> ApiResult<Self> {
        let manager = ConnectionManager::new(file.to_string_lossy());
        let pool = Pool::builder().max_size(4).connection_customizer(Box::new(Pragmas)).build(manager)?;
        let store = Self { pool };
        store.connect()?.run_pending_migrations(MIGRATIONS).map_err(ApiError::internal)?;
        Ok(store)
    }

    /// A connection; waits for one to become free.
    pub fn connect(&self) -> ApiResult<Connection> {
        Ok(self.pool.get()?)
    }

    /// Runs `job` with a connection on a thread that may block.
    pub async fn run<T: Send + 'static>(
        &self,
        job: impl FnOnce(&mut Connection) -> ApiResult<T> + Send + 'static,
    ) -> ApiResult<T> {
        let store = self.clone();
        actix_web::web::block(move || job(&mut store.connect()?)).await?
    }
}

/// A fresh id.
pub fn new_id() -> String {
    uuid::Uuid::new_v4().to_string()
}

/// Seconds since 1970.
pub fn now() -> i64 {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    since.map_or(0, |d| d.as_secs() as i64)
}
