//! The database: SQLite in WAL mode through Diesel. One file a table; nothing else writes SQL.

pub mod boards;
pub mod deleted;
pub mod handoffs;
pub mod ids;
pub mod looks;
pub mod manifest;
mod manifest_check;
pub mod packages;
pub mod plans;
pub mod productions;
pub mod profiles;
pub mod reserve;
pub mod scenes;
pub mod schema;
pub mod shelf;
pub mod shots;

use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use diesel::{
    connection::SimpleConnection,
    migration::{MigrationSource, MigrationVersion},
    prelude::*,
    r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection},
};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use reserve::Reserve;
use std::path::Path;
use std::time::Duration;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// A connection from the pool.
pub type Connection = PooledConnection<ConnectionManager<SqliteConnection>>;

/// The database of one data folder.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
    /// Beside a database that is written to.
    reserve: Option<Reserve>,
}

/// What is said to SQLite on each connection.
#[derive(Debug)]
struct Pragmas(&'static str);

/// Synchronous FULL: what a page was told to be saved survives a power cut.
const WRITING: Pragmas =
    Pragmas("PRAGMA busy_timeout = 5000; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;");
/// Changes nothing.
const READING: Pragmas = Pragmas("PRAGMA busy_timeout = 5000; PRAGMA query_only = ON;");

impl CustomizeConnection<SqliteConnection, diesel::r2d2::Error> for Pragmas {
    fn on_acquire(&self, connection: &mut SqliteConnection) -> Result<(), diesel::r2d2::Error> {
        connection.batch_execute(self.0).map_err(diesel::r2d2::Error::QueryError)
    }
}

impl Store {
    /// Opens or makes the database file and brings its schema up to date. Errors where it is broken, or where a newer
    /// program changed it; then it is left as it is.
    pub fn open(file: &Path) -> ApiResult<Self> {
        let reserve = Reserve::of(file.parent().unwrap_or(file));
        check(file)?;
        // The journal's mode belongs to the file, and changes only while nobody else has it open.
        let mut first = <SqliteConnection as diesel::Connection>::establish(&file.to_string_lossy())
            .map_err(|e| broken(file, &e))?;
        first
            .batch_execute("PRAGMA busy_timeout = 5000; PRAGMA journal_mode = WAL;")
            .map_err(|e| broken(file, &e))?;
        drop(first);
        let manager = ConnectionManager::new(file.to_string_lossy());
        let pool = Pool::builder()
            .max_size(4)
            .connection_timeout(PATIENCE)
            .connection_customizer(Box::new(WRITING))
            .build(manager)?;
        let store = Self { pool, reserve: Some(reserve) };
        store.connect()?.run_pending_migrations(MIGRATIONS).map_err(|e| broken(file, &*e))?;
        Ok(store)
    }

    /// Opens a database that is there, to read from only, also while another process works with it. Errors where there is none,
    /// where it is broken, and where its schema is not this program's.
    pub fn open_to_read(file: &Path) -> ApiResult<Self> {
        if !file.is_file() {
            return Err(ApiError::Unusable(format!("there is no database {}", file.display())));
        }
        check(file)?;
        let manager = ConnectionManager::new(file.to_string_lossy());
        let pool = Pool::builder()
            .max_size(1)
            .connection_timeout(PATIENCE)
            .connection_customizer(Box::new(READING))
            .build(manager)?;
        let store = Self { pool, reserve: None };
        let pending = store.connect()?.has_pending_migration(MIGRATIONS).map_err(|e| broken(file, &*e))?;
        if pending {
            return Err(ApiError::Unusable(format!(
                "the database {} is of an earlier Dusky Lantern: open its folder once with this one",
                file.display()
            )));
        }
        Ok(store)
    }

    /// A connection; waits for one to become free.
    pub fn connect(&self) -> ApiResult<Connection> {
        Ok(self.pool.get()?)
    }

    /// Runs `job` with a connection. Nobody computes, decodes or waits in it: there are few of them.
    pub fn with<T>(&self, job: impl FnOnce(&mut Connection) -> ApiResult<T>) -> ApiResult<T> {
        job(&mut self.connect()?)
    }

    /// The same as one change: all of it is saved or nothing.
    pub fn change<T>(&self, job: impl FnOnce(&mut SqliteConnection) -> ApiResult<T>) -> ApiResult<T> {
        self.with(|c| c.immediate_transaction(job))
    }

    /// The same as [`Store::change`] for what has to be written on a full disk too, and asks for little: that something ended or
    /// is deleted. Where there is no room, what was set aside is given up for it.
    pub fn change_when_full<T>(&self, job: impl Fn(&mut SqliteConnection) -> ApiResult<T>) -> ApiResult<T> {
        match self.change(&job) {
            Err(ApiError::Full) if self.reserve.as_ref().is_some_and(Reserve::give_up) => self.change(&job),
            done => done,
        }
    }

    /// Sets room aside for [`Store::change_when_full`]. Errors where the disk has none.
    pub fn set_room_aside(&self) -> ApiResult<()> {
        self.reserve.as_ref().map_or(Ok(()), Reserve::lay_down)
    }

    /// [`Store::change_when_full`] on a thread that may block.
    pub async fn run_when_full<T: Send + 'static>(
        &self,
        job: impl Fn(&mut SqliteConnection) -> ApiResult<T> + Send + 'static,
    ) -> ApiResult<T> {
        let store = self.clone();
        blocking(move || store.change_when_full(job)).await
    }

    /// Runs `job` with a connection on a thread that may block; see [`Store::with`].
    pub async fn run<T: Send + 'static>(
        &self,
        job: impl FnOnce(&mut Connection) -> ApiResult<T> + Send + 'static,
    ) -> ApiResult<T> {
        let store = self.clone();
        blocking(move || store.with(job)).await
    }

    /// The same as one change; see [`Store::change`].
    pub async fn run_change<T: Send + 'static>(
        &self,
        job: impl FnOnce(&mut SqliteConnection) -> ApiResult<T> + Send + 'static,
    ) -> ApiResult<T> {
        let store = self.clone();
        blocking(move || store.change(job)).await
    }
}

/// How long anybody waits for a connection.
const PATIENCE: Duration = Duration::from_secs(10);
/// Up to this length a database is read through before it is worked with; beyond it that takes too long.
const READ_THROUGH: u64 = 64 << 20;

fn broken(file: &Path, why: &dyn std::fmt::Display) -> ApiError {
    let why = why.to_string();
    ApiError::Unusable(format!(
        "the database {} is broken ({}): put a copy of it in its place, or give another folder with --data",
        file.display(),
        why.lines().next().unwrap_or_default()
    ))
}

/// Refuses a database that is broken or newer than this program, without changing it.
fn check(file: &Path) -> ApiResult<()> {
    let Ok(found) = std::fs::metadata(file) else { return Ok(()) };
    let wrong = |e: &dyn std::fmt::Display| broken(file, e);
    let mut c: SqliteConnection =
        diesel::Connection::establish(&file.to_string_lossy()).map_err(|e| wrong(&e))?;
    c.batch_execute("PRAGMA busy_timeout = 1000; PRAGMA schema_version;").map_err(|e| wrong(&e))?;
    if found.len() <= READ_THROUGH {
        let said: Vec<Said> =
            diesel::sql_query("PRAGMA quick_check(1)").load(&mut c).map_err(|e| wrong(&e))?;
        if let Some(said) = said.iter().find(|s| s.quick_check != "ok") {
            return Err(wrong(&said.quick_check));
        }
    }
    if found.len() == 0 {
        return Ok(());
    }
    let applied = c.applied_migrations().map_err(|e| wrong(&e))?;
    let own = MigrationSource::<diesel::sqlite::Sqlite>::migrations(&MIGRATIONS).map_err(|e| wrong(&e))?;
    let known = |version: &MigrationVersion<'_>| own.iter().any(|m| m.name().version() == *version);
    match applied.iter().find(|v| !known(v)) {
        None => Ok(()),
        Some(newer) => Err(ApiError::Unusable(format!(
            "the database {} was changed by a newer Dusky Lantern (its change {newer} is not known here): use that one, or \
             give another folder with --data",
            file.display()
        ))),
    }
}

/// What SQLite says of a database.
#[derive(QueryableByName)]
struct Said {
    #[diesel(sql_type = diesel::sql_types::Text)]
    quick_check: String,
}

/// Seconds since 1970.
pub fn now() -> i64 {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    since.map_or(0, |d| d.as_secs() as i64)
}
