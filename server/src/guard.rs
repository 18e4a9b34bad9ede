//! Only this machine's own page and scripts may speak to the server: Host and Origin are checked.

use crate::error::ApiError;
use actix_web::{
    Error,
    body::MessageBody,
    dev::{ServiceRequest, ServiceResponse},
    http::header::{HOST, HeaderName, HeaderValue, ORIGIN},
    middleware::Next,
};

/// Whether an authority (`host:port`) names this machine. A page elsewhere that resolves its own name to
/// 127.0.0.1 still sends that name as Host.
fn is_local(authority: &str) -> bool {
    let host = match authority.rsplit_once(':') {
        Some((host, port)) if port.chars().all(|c| c.is_ascii_digit()) => host,
        _ => authority,
    };
    matches!(host, "localhost" | "127.0.0.1" | "[::1]")
}

/// Refuses requests whose Host, or Origin where there is one, is not this machine.
pub async fn local_only<B: MessageBody>(
    request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<B>, Error> {
    let text = |name| request.headers().get(name).map(|v: &HeaderValue| v.to_str().unwrap_or("?").to_owned());
    let host = text(HOST).unwrap_or_default();
    if !is_local(&host) {
        return Err(ApiError::Forbidden(format!(
            "this server answers as 127.0.0.1 or localhost, not as “{host}”"
        ))
        .into());
    }
    if let Some(origin) = text(ORIGIN) {
        let authority = origin.strip_prefix("http://").unwrap_or("?");
        if authority != host {
            let why = format!("pages from “{origin}” may not use this server");
            return Err(ApiError::Forbidden(why).into());
        }
    }
    let mut response = next.call(request).await?;
    let headers = response.headers_mut();
    for (name, value) in [
        (
            "content-security-policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; connect-src 'self' ws:; frame-ancestors 'none'",
        ),
        ("x-content-type-options", "nosniff"),
        ("referrer-policy", "no-referrer"),
    ] {
        headers.insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    }
    Ok(response)
}

#[cfg(test)]
mod tests {
    use super::is_local;

    #[test]
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
