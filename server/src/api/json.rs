//! JSON bodies in and out, read and written on threads that may block: a look with its path takes milliseconds, which
//! everybody else would wait for.

use super::body;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use actix_web::body::BoxBody;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpMessage, HttpRequest, HttpResponse, Responder, mime};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::future::Future;
use std::marker::PhantomData;
use std::ops::Deref;
use std::pin::Pin;

/// The longest JSON body: a look with its path stays far below.
const MOST_BYTES: usize = 4 << 20;

/// A JSON body.
pub struct Body<T>(T);

impl<T> Body<T> {
    /// What it says.
    pub fn into_inner(self) -> T {
        self.0
    }
}

impl<T> Deref for Body<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

fn unreadable(why: impl std::fmt::Display) -> ApiError {
    ApiError::Invalid(format!("the request's body cannot be read: {why}"))
}

impl<T: DeserializeOwned + Send + 'static> FromRequest for Body<T> {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = ApiResult<Self>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        // A page elsewhere can send a form or plain text without being asked for leave, but no JSON.
        let said = request.mime_type().ok().flatten();
        let json = said.is_some_and(|m| m.subtype() == mime::JSON || m.suffix() == Some(mime::JSON));
        let payload = payload.take();
        Box::pin(async move {
            if !json {
                return Err(unreadable("it is not said to be application/json"));
            }
            let text = body::whole(payload, MOST_BYTES).await?;
            blocking(move || serde_json::from_slice(&text).map(Self).map_err(unreadable)).await
        })
    }
}

/// JSON of a `T`, written already.
pub struct Answer<T>(Vec<u8>, PhantomData<T>);

impl<T> Responder for Answer<T> {
    type Body = BoxBody;

    fn respond_to(self, _: &HttpRequest) -> HttpResponse {
        HttpResponse::Ok().content_type(mime::APPLICATION_JSON).body(self.0)
    }
}

/// Does something and says in JSON what came of it.
pub async fn answer<T: Serialize>(
    work: impl FnOnce() -> ApiResult<T> + Send + 'static,
) -> ApiResult<Answer<T>> {
    let text = blocking(move || serde_json::to_vec(&work()?).map_err(ApiError::internal)).await?;
    Ok(Answer(text, PhantomData))
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::http::header::CONTENT_TYPE;
    use actix_web::{App, test, web};

    async fn count(body: Body<Vec<u32>>) -> ApiResult<Answer<usize>> {
        answer(move || Ok(body.len())).await
    }

    #[actix_web::test]
    async fn bodies_are_json_and_bounded() {
        let app = test::init_service(App::new().route("/", web::post().to(count))).await;
        let longest = format!("[{}1]", "1,".repeat((MOST_BYTES - 3) / 2));
        let longer = format!("[{}1]", "1,".repeat(MOST_BYTES / 2));
        for (said, text, status, part) in [
            ("application/json", "[1,2,3]".to_owned(), 200, "3"),
            ("application/json; charset=utf-8", "[]".to_owned(), 200, "0"),
            ("application/json", longest, 200, ""),
            ("application/json", longer, 422, "limit of 4 MB"),
            ("text/plain", "[1]".to_owned(), 422, "application/json"),
            ("application/x-www-form-urlencoded", "a=1".to_owned(), 422, "application/json"),
            ("application/json", "[1,".to_owned(), 422, "cannot be read"),
            ("application/json", "[".repeat(100_000), 422, "cannot be read"),
        ] {
            let request = test::TestRequest::post().insert_header((CONTENT_TYPE, said)).set_payload(text);
            let response = test::call_service(&app, request.to_request()).await;
            assert_eq!(response.status(), status, "{said}");
            let text = test::read_body(response).await;
            assert!(String::from_utf8_lossy(&text).contains(part), "{said}: {text:?}");
        }
    }
}
