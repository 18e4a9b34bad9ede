//! Taking tables apart: jobs whose result is kept until the page has fetched it, or others have pushed it out.

use super::{Jobs, Lane};
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use actix_web::web;
use lantern_core::look::Look;
use lantern_core::matching::unpick::{Distance, Unpick, unpick};
use lantern_core::step::TableEncoding;
use lantern_core::table::Table;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// How a job ended.
#[derive(Clone, Debug)]
pub enum Ended {
    /// With a look, whose tables lie in the media folder.
    Done(Box<Look>, Distance),
    /// It was stopped.
    Cancelled,
    /// In words.
    Failed(String),
}

/// The last results, by the ids of their jobs.
#[derive(Debug, Default)]
pub struct Results(Mutex<VecDeque<(String, Ended)>>);

/// Results that are kept.
const MOST: usize = 16;

impl Results {
    fn put(&self, id: &str, ended: Ended) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.push_back((id.to_owned(), ended));
        if all.len() > MOST {
            all.pop_front();
        }
    }

    /// How a job ended; `None` where it has not, or long ago.
    pub fn find(&self, id: &str) -> Option<Ended> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.iter().find(|(known, _)| known == id).map(|(_, ended)| ended.clone())
    }
}

/// What is asked for.
pub struct Asked {
    /// The table.
    pub table: Arc<Table>,
    /// What it is called.
    pub name: String,
    /// The encodings that it expects and gives.
    pub way: [TableEncoding; 2],
    /// Whether what the steps leave of it is kept.
    pub remainder: bool,
}

/// Puts a table in line and gives the job's id. `keep` puts the tables of a look into the media folder.
pub fn queue(
    studio: web::Data<Studio>,
    jobs: &Jobs,
    asked: Asked,
    keep: impl Fn(&Studio, Look) -> ApiResult<Look> + Send + Sync + 'static,
) -> String {
    let id = uuid::Uuid::new_v4().to_string();
    let own = id.clone();
    jobs.queue(Lane::Handoffs, &id, move |job| {
        let work = || -> ApiResult<Ended> {
            let Asked { table, name, way, remainder } = &asked;
            let request = Unpick { table, name, way, remainder: *remainder };
            let found = unpick(&request, &|share| job.progress(share), &job.cancel)
                .map_err(|e| ApiError::Invalid(e.to_string()))?;
            match found {
                None => Ok(Ended::Cancelled),
                Some(found) => Ok(Ended::Done(Box::new(keep(&studio, found.look)?), found.distance)),
            }
        };
        let ended = super::worked("unpicking", work).unwrap_or_else(|e| Ended::Failed(e.to_string()));
        studio.unpicked.put(&own, ended);
    });
    id
}
