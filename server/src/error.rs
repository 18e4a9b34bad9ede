//! Errors as people and programs get them: problem+json (RFC 9457).

use actix_web::{HttpResponse, ResponseError, http::StatusCode, http::header::ALLOW};
use lantern_core::{colour::profile::ProfileError, graph::CompileError, look::DocumentError};
use lantern_formats::FormatError;
use serde_json::json;
use thiserror::Error;

/// Whose fault it is, and what to say.
#[derive(Debug, Error)]
pub enum ApiError {
    /// What was asked for does not exist.
    #[error("there is no {0} with this id; it may have been deleted")]
    NotFound(&'static str),
    /// There is no such call at all.
    #[error("there is no call “{0}”; /api/openapi.json lists those that there are")]
    NoSuchCall(String),
    /// The call is there, but not by this method.
    #[error("this call takes {methods}, not {method}")]
    WrongMethod {
        /// How it was called.
        method: String,
        /// How it can be.
        methods: &'static str,
    },
    /// The request cannot be understood or is out of bounds.
    #[error("{0}")]
    Invalid(String),
    /// Somebody else saved first.
    #[error("another window saved this {what} as revision {current}; load it, or keep yours apart")]
    Conflict {
        /// What was saved.
        what: &'static str,
        /// The revision that won.
        current: i32,
    },
    /// Somebody else changed what this works on.
    #[error("{0}")]
    Changed(String),
    /// The disk has no room left.
    #[error(
        "there is no room left on the disk of the data folder: make some, then do it again. Nothing was saved"
    )]
    Full,
    /// The data folder cannot be worked with.
    #[error("{0}")]
    Unusable(String),
    /// The request does not come from this machine's own page.
    #[error("{0}")]
    Forbidden(String),
    /// Something here went wrong; the cause goes to the log only.
    #[error("something went wrong on the server; nothing was saved. Its log says more")]
    Internal(String),
}

/// Short for results of the API.
pub type ApiResult<T> = Result<T, ApiError>;

impl ApiError {
    /// A failure of this machine, not of the request.
    pub fn internal(cause: impl std::fmt::Display) -> Self {
        Self::Internal(cause.to_string())
    }

    /// What went wrong, for whoever runs the program: also what the log alone says.
    pub fn cause(&self) -> String {
        match self {
            Self::Internal(cause) => cause.clone(),
            other => other.to_string(),
        }
    }

    fn kind(&self) -> (&'static str, StatusCode) {
        match self {
            Self::NotFound(_) => ("not-found", StatusCode::NOT_FOUND),
            Self::NoSuchCall(_) => ("no-such-call", StatusCode::NOT_FOUND),
            Self::WrongMethod { .. } => ("wrong-method", StatusCode::METHOD_NOT_ALLOWED),
            Self::Invalid(_) => ("invalid", StatusCode::UNPROCESSABLE_ENTITY),
            Self::Conflict { .. } | Self::Changed(_) => ("conflict", StatusCode::CONFLICT),
            Self::Full => ("full", StatusCode::INSUFFICIENT_STORAGE),
            Self::Unusable(_) => ("unusable", StatusCode::INTERNAL_SERVER_ERROR),
            Self::Forbidden(_) => ("forbidden", StatusCode::FORBIDDEN),
            Self::Internal(_) => ("internal", StatusCode::INTERNAL_SERVER_ERROR),
        }
    }
}

impl ResponseError for ApiError {
    fn status_code(&self) -> StatusCode {
        self.kind().1
    }

    fn error_response(&self) -> HttpResponse {
        if let Self::Internal(cause) = self {
            tracing::error!("{cause}");
        }
        let (kind, status) = self.kind();
        let mut body = json!({
            "type": format!("/problems/{kind}"),
            "title": kind,
            "status": status.as_u16(),
            "detail": self.to_string(),
        });
        if let Self::Conflict { current, .. } = self {
            body["revision"] = json!(current);
        }
        let mut response = HttpResponse::build(status);
        if let Self::WrongMethod { methods, .. } = self {
            response.insert_header((ALLOW, *methods));
        }
        response.content_type("application/problem+json").json(body)
    }
}

impl From<diesel::result::Error> for ApiError {
    fn from(e: diesel::result::Error) -> Self {
        use diesel::result::{DatabaseErrorKind, Error};
        match e {
            Error::DatabaseError(DatabaseErrorKind::ForeignKeyViolation, _) => {
                Self::Changed("what this belongs to was deleted meanwhile".into())
            }
            // SQLITE_FULL in words: the driver hands on no code.
            e if e.to_string().contains("database or disk is full") => Self::Full,
            e => Self::internal(e),
        }
    }
}

impl From<diesel::r2d2::PoolError> for ApiError {
    fn from(e: diesel::r2d2::PoolError) -> Self {
        Self::internal(e)
    }
}

impl From<std::io::Error> for ApiError {
    fn from(e: std::io::Error) -> Self {
        use std::io::ErrorKind::{QuotaExceeded, StorageFull};
        if matches!(e.kind(), StorageFull | QuotaExceeded) { Self::Full } else { Self::internal(e) }
    }
}

impl From<actix_web::error::BlockingError> for ApiError {
    fn from(e: actix_web::error::BlockingError) -> Self {
        Self::internal(e)
    }
}

impl From<DocumentError> for ApiError {
    fn from(e: DocumentError) -> Self {
        Self::Invalid(e.to_string())
    }
}

impl From<CompileError> for ApiError {
    fn from(e: CompileError) -> Self {
        Self::Invalid(e.to_string())
    }
}

impl From<ProfileError> for ApiError {
    fn from(e: ProfileError) -> Self {
        Self::Invalid(e.to_string())
    }
}

impl From<FormatError> for ApiError {
    fn from(e: FormatError) -> Self {
        Self::Invalid(e.to_string())
    }
}
