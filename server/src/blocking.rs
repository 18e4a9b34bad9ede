//! Work on threads that may block.

use crate::error::{ApiError, ApiResult};
use std::any::Any;

/// Work whose result has no type yet. All of it goes through one copy of Actix's code, which would else be compiled for each
/// closure.
type Work = Box<dyn FnOnce() -> Box<dyn Any + Send> + Send>;

async fn run(work: Work) -> ApiResult<Box<dyn Any + Send>> {
    Ok(actix_web::web::block(work).await?)
}

/// Runs `work` on a thread that may block, and gives what came of it. Errors where the work broke down.
pub async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> ApiResult<T> + Send + 'static,
) -> ApiResult<T> {
    let boxed: Work = Box::new(move || Box::new(work()));
    match run(boxed).await?.downcast::<ApiResult<T>>() {
        Ok(made) => *made,
        Err(_) => Err(ApiError::internal("work gave something else than it was asked for")),
    }
}
