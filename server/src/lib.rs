//! The server of Dusky Lantern.
//!
//! * [`api`] — the JSON API, one file a resource, and the page's files.
//! * [`blocking`] — work on threads that may block.
//! * [`preview`] — live pictures over a socket: latest wins, no edit state on the server.
//! * [`store`] — SQLite through Diesel, one file a table.
//! * [`coming`] — sequences whose frames come one by one.
//! * [`media`] — content-addressed files.
//! * [`jobs`] — long work with progress and cancel.
//! * [`guard`] — Host and Origin.
//! * [`left`] — the tables that left productions, for files that come back.
//! * [`lock`] — one writer for a data folder.
//!
//! It binds to the loopback address unless told otherwise and serves one production's people.

pub mod api;
pub mod blocking;
pub mod cache;
pub mod coming;
pub mod error;
pub mod guard;
pub mod jobs;
pub mod left;
pub mod lock;
pub mod media;
pub mod preview;
pub mod seed;
pub mod store;

use actix_web::{App, HttpServer, middleware, web};
use error::{ApiError, ApiResult};
use lock::Lock;
use media::folders::Folders;
use preview::Studio;
use std::net::{SocketAddr, TcpListener};
use std::path::Path;
use std::sync::Arc;
use store::Store;

/// The database in a data folder.
const DATABASE: &str = "lantern.sqlite3";
/// The media folder in it.
const MEDIA: &str = "media";

/// A data folder opened: the database and the media.
#[derive(Clone)]
pub struct Data {
    /// The database.
    pub store: Store,
    /// The media folder.
    pub media: media::MediaFolder,
    lock: Arc<Lock>,
}

impl Data {
    /// Opens or makes a data folder, for this process alone. Errors where another has it, or where its database is broken
    /// or of a newer program; then nothing in it is touched.
    pub fn open(folder: &Path) -> ApiResult<Self> {
        let unusable =
            |e| ApiError::Unusable(format!("the data folder {} cannot be made: {e}", folder.display()));
        std::fs::create_dir_all(folder).map_err(unusable)?;
        let lock = Arc::new(Lock::take(folder)?);
        let store = Store::open(&folder.join(DATABASE))?;
        let media = media::MediaFolder::open(&folder.join(MEDIA))?;
        let tidied = store.change_when_full(|c| {
            store::shots::Shot::break_off_arrivals(c)?;
            store::deleted::forget_old(c)
        });
        unless_full("what was deleted long ago stays", tidied)?;
        // Nobody else has the folder: what no row names now belongs to nobody.
        let forgotten = store.change_when_full(store::productions::Media::forget_unused);
        unless_full("files that nothing names stay", forgotten)?;
        let used = store.with(|c| store::productions::Media::known(c))?;
        media.keep_workshops(&store.with(|c| store::packages::PackageRow::undone(c))?)?;
        if let Err(e) = media.keep_proxies(&used) {
            tracing::warn!("proxies: {e}");
        }
        match media.keep_only(&used, std::time::Duration::ZERO)? {
            0 => {}
            gone => tracing::info!("{gone} files that belonged to nothing were taken away"),
        }
        Ok(Self { store, media, lock })
    }
}

/// Goes on where a disk is full: a folder opens then too, so that something can be deleted from it.
fn unless_full(what: &str, done: ApiResult<()>) -> ApiResult<()> {
    match done {
        Err(ApiError::Full) => {
            tracing::warn!("the disk of the data folder is full: {what}");
            Ok(())
        }
        done => done,
    }
}

/// Puts the demo production into a data folder that has none.
#[derive(Clone)]
pub struct Demo(pub fn(&Data) -> Result<(), String>);

/// Serves a data folder until the process is told to stop. `folders` may be brought in from. `ready` is called with the address once the
/// listener is open.
pub fn serve(
    data: Data,
    folders: Folders,
    demo: Demo,
    listen: SocketAddr,
    open: guard::Open,
    ready: impl FnOnce(SocketAddr),
) -> std::io::Result<()> {
    let listener = TcpListener::bind(listen)?;
    let address = listener.local_addr()?;
    actix_web::rt::System::new().block_on(async move {
        let studio = web::Data::new(Studio::new(data.store.clone(), data.media.clone()));
        let jobs = web::Data::new(jobs::Jobs::default());
        data.lock.say(&format!("http://{address}")).map_err(std::io::Error::other)?;
        jobs::handoff::resume(&studio, &jobs).map_err(std::io::Error::other)?;
        jobs::package::resume(&studio, &jobs).map_err(std::io::Error::other)?;
        let folders = web::Data::new(folders);
        let store = web::Data::new(data.store.clone());
        let demo = web::Data::new((demo, data));
        let server = HttpServer::new(move || {
            App::new()
                .wrap(middleware::Compress::default())
                .wrap(middleware::from_fn(guard::local_only))
                .wrap(guard::headers())
                .app_data(open)
                .app_data(studio.clone())
                .app_data(jobs.clone())
                .app_data(folders.clone())
                .app_data(store.clone())
                .app_data(demo.clone())
                .configure(api::routes)
        })
        .workers(2)
        .shutdown_timeout(2)
        .listen(listener)?
        .run();
        ready(address);
        server.await
    })
}
