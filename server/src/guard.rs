//! Only this machine's own page and scripts may speak to the server: Host and Origin are checked.

use crate::error::ApiError;
use actix_web::{
    Error, ResponseError,
    body::{EitherBody, MessageBody},
    dev::{ServiceRequest, ServiceResponse},
    http::header::{HOST, HeaderValue, ORIGIN},
    middleware::{DefaultHeaders, Next},
};
use std::net::{IpAddr, SocketAddr};

/// Whether an authority (`host:port`) names this machine. A page elsewhere that resolves its own name to
/// 127.0.0.1 still sends that name as Host.
fn is_local(authority: &str) -> bool {
    let host = match authority.rsplit_once(':') {
        Some((host, port)) if port.chars().all(|c| c.is_ascii_digit()) => host,
        _ => authority,
    };
    matches!(host, "localhost" | "127.0.0.1" | "[::1]")
}

/// Whether the server answers beyond this machine too. Said once, for all requests.
#[derive(Clone, Copy, Debug)]
pub struct Open(pub bool);

/// Whether an authority is an address by its numbers. No page elsewhere can have such a name for itself.
fn is_address(authority: &str) -> bool {
    authority.parse::<SocketAddr>().is_ok()
        || authority.parse::<IpAddr>().is_ok()
        || authority
            .strip_prefix('[')
            .and_then(|a| a.strip_suffix(']'))
            .is_some_and(|a| a.parse::<IpAddr>().is_ok())
}

/// Why a request is refused, where it is.
fn refusal(request: &ServiceRequest) -> Option<ApiError> {
    let text = |name| request.headers().get(name).map(|v: &HeaderValue| v.to_str().unwrap_or("?").to_owned());
    let host = text(HOST).unwrap_or_default();
    let open = request.app_data::<Open>().is_some_and(|open| open.0);
    let ours = is_local(&host) || (open && is_address(&host));
    if !ours {
        let beyond = if open { ", or by its address in numbers" } else { "" };
        let why = format!("this server answers as 127.0.0.1 or localhost{beyond}, not as “{host}”");
        return Some(ApiError::Forbidden(why));
    }
    let origin = text(ORIGIN)?;
    let authority = origin.strip_prefix("http://").unwrap_or("?");
    let foreign = || ApiError::Forbidden(format!("pages from “{origin}” may not use this server"));
    (authority != host).then(foreign)
}

/// Refuses requests whose Host, or Origin where there is one, is not this machine. A refusal is a response like any other,
/// so that it gets the [headers] too.
pub async fn local_only<B: MessageBody>(
    request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<EitherBody<B>>, Error> {
    match refusal(&request) {
        Some(e) => Ok(request.into_response(e.error_response()).map_into_right_body()),
        None => Ok(next.call(request).await?.map_into_left_body()),
    }
}

/// What every response says to browsers.
pub fn headers() -> DefaultHeaders {
    DefaultHeaders::new()
        .add((
            "content-security-policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; connect-src 'self' ws:; frame-ancestors 'none'",
        ))
        .add(("x-content-type-options", "nosniff"))
        .add(("referrer-policy", "no-referrer"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::{App, middleware::from_fn, test, web};

    #[actix_web::test]
    async fn refusals_and_answers_and_what_is_not_there_say_the_same_to_browsers() {
        let app = App::new()
            .wrap(from_fn(local_only))
            .wrap(headers())
            .route("/there", web::get().to(|| async { "yes" }));
        let app = test::init_service(app).await;
        for (host, origin, path, status) in [
            ("127.0.0.1:7171", None, "/there", 200),
            ("127.0.0.1:7171", None, "/not-there", 404),
            ("example.test", None, "/there", 403),
            ("127.0.0.1:7171", Some("http://example.test"), "/there", 403),
            ("127.0.0.1:7171", Some("http://127.0.0.1:7171"), "/there", 200),
        ] {
            let mut request = test::TestRequest::get().uri(path).insert_header((HOST, host));
            if let Some(origin) = origin {
                request = request.insert_header((ORIGIN, origin));
            }
            let response = test::call_service(&app, request.to_request()).await;
            assert_eq!(response.status(), status, "{host} {origin:?} {path}");
            for name in ["content-security-policy", "x-content-type-options", "referrer-policy"] {
                assert!(response.headers().contains_key(name), "{host} {path}: {name}");
            }
        }
    }

    #[actix_web::test]
    async fn a_server_that_is_open_answers_by_its_numbers_and_by_no_name() {
        for (open, host, status) in [
            (true, "10.0.0.7:7171", 200),
            (true, "[fd00::7]:7171", 200),
            (true, "[fd00::7]", 200),
            (true, "localhost:7171", 200),
            (true, "example.test", 403),
            (true, "10.0.0.7.example.test:7171", 403),
            (false, "10.0.0.7:7171", 403),
        ] {
            let app = App::new().app_data(Open(open)).wrap(from_fn(local_only));
            let app = test::init_service(app.route("/", web::get().to(|| async { "yes" }))).await;
            let request = test::TestRequest::get().uri("/").insert_header((HOST, host)).to_request();
            assert_eq!(test::call_service(&app, request).await.status(), status, "{open} {host}");
        }
    }

    #[::core::prelude::v1::test]
    fn only_this_machine_is_local() {
        for yes in ["127.0.0.1:7171", "localhost", "localhost:80", "[::1]:7171"] {
            assert!(is_local(yes), "{yes}");
        }
        for no in
            ["", "example.test", "127.0.0.1.example.test:7171", "localhost.example.test", "10.0.0.7:7171"]
        {
            assert!(!is_local(no), "{no}");
        }
    }
}
