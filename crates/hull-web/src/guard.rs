//! Turns away what other sites could make a browser send here: there are no accounts yet, so whoever gets a
//! request through can change everything.

use crate::error::PageError;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::header::{HOST, HeaderMap};
use actix_web::http::{Method, StatusCode};
use actix_web::middleware::Next;

/// Middleware: refuses requests whose `Host` is not a loopback name (a foreign name that was made to point
/// here) and changes that a page of another site asks for (`Sec-Fetch-Site`, W3C Fetch Metadata).
///
/// # Errors
/// A page with status 403.
pub async fn only_from_here(
    request: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    match objection(request.method(), request.headers()) {
        Some(sentence) => Err(PageError { status: StatusCode::FORBIDDEN, sentence: sentence.into() }.into()),
        None => next.call(request).await,
    }
}

fn objection(method: &Method, headers: &HeaderMap) -> Option<&'static str> {
    let text = |name: &str| headers.get(name).and_then(|v| v.to_str().ok());
    let host = text(HOST.as_str()).unwrap_or_default();
    let name = host.rsplit_once(':').filter(|(_, port)| port.bytes().all(|b| b.is_ascii_digit())).map_or(host, |h| h.0);
    if !matches!(name, "127.0.0.1" | "localhost" | "[::1]") {
        return Some("This server answers on its loopback address only.");
    }
    let changes = !matches!(*method, Method::GET | Method::HEAD);
    let foreign = matches!(text("sec-fetch-site"), Some("cross-site" | "same-site"));
    (changes && foreign).then_some("Another site asked for this change; it was not made.")
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::http::header::{HeaderName, HeaderValue};

    fn allowed(method: Method, host: &'static str, site: Option<&'static str>) -> bool {
        let mut headers = HeaderMap::new();
        headers.insert(HOST, HeaderValue::from_static(host));
        if let Some(site) = site {
            headers.insert(HeaderName::from_static("sec-fetch-site"), HeaderValue::from_static(site));
        }
        objection(&method, &headers).is_none()
    }

    #[test]
    fn only_this_machine_s_own_pages_may_change_anything() {
        for host in ["127.0.0.1:8460", "localhost:8460", "[::1]:8460", "localhost", "[::1]"] {
            assert!(allowed(Method::POST, host, Some("same-origin")) && allowed(Method::PUT, host, None), "{host}");
            assert!(!allowed(Method::POST, host, Some("cross-site")) && !allowed(Method::PUT, host, Some("same-site")));
            assert!(allowed(Method::GET, host, Some("cross-site")), "a link from elsewhere may be followed");
        }
        for host in ["hull.example:8460", "127.0.0.1.example", "", "localhost:x", "10.0.0.1:8460"] {
            assert!(!allowed(Method::GET, host, None), "{host}");
        }
    }
}
