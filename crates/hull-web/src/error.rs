//! Errors as pages.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, ResponseError};
use askama::Template;
use hull_store::StoreError;
use std::fmt;

/// What went wrong with a request: a status and a sentence for people.
#[derive(Debug)]
pub struct PageError {
    pub status: StatusCode,
    pub sentence: String,
}

pub type PageResult<T = HttpResponse> = Result<T, PageError>;

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage<'a> {
    sentence: &'a str,
}

impl PageError {
    pub fn refused(sentence: impl Into<String>) -> PageError {
        PageError { status: StatusCode::UNPROCESSABLE_ENTITY, sentence: sentence.into() }
    }
}

impl fmt::Display for PageError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.sentence)
    }
}

impl ResponseError for PageError {
    fn status_code(&self) -> StatusCode {
        self.status
    }

    fn error_response(&self) -> HttpResponse {
        let page = ErrorPage { sentence: &self.sentence }.render().unwrap_or_else(|_| self.sentence.clone());
        HttpResponse::build(self.status).content_type("text/html; charset=utf-8").body(page)
    }
}

impl From<StoreError> for PageError {
    fn from(e: StoreError) -> PageError {
        if e.is_outage() {
            tracing::warn!("{e}");
            let sentence =
                "The database does not answer at the moment, so nothing was done. Try again in a moment.".into();
            return PageError { status: StatusCode::SERVICE_UNAVAILABLE, sentence };
        }
        let status = match &e {
            StoreError::Missing(_) => StatusCode::NOT_FOUND,
            StoreError::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            _ => StatusCode::INTERNAL_SERVER_ERROR,
        };
        if status == StatusCode::INTERNAL_SERVER_ERROR {
            // The store's own words are for the log.
            tracing::error!("{e}");
            return PageError {
                status,
                sentence: "Something stored could not be used; the server's log says what.".into(),
            };
        }
        PageError { status, sentence: e.to_string() }
    }
}

impl From<actix_web::error::BlockingError> for PageError {
    fn from(e: actix_web::error::BlockingError) -> PageError {
        PageError { status: StatusCode::INTERNAL_SERVER_ERROR, sentence: e.to_string() }
    }
}

impl From<askama::Error> for PageError {
    fn from(e: askama::Error) -> PageError {
        PageError { status: StatusCode::INTERNAL_SERVER_ERROR, sentence: e.to_string() }
    }
}
