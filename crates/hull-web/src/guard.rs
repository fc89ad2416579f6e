//! Turns away what other sites could make a browser send here: there are no accounts yet, so whoever gets a
//! request through can change everything.

use crate::error::PageError;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::header::{HOST, HeaderMap};
use actix_web::http::{Method, StatusCode};
use actix_web::middleware::Next;

/// Middleware: refuses requests whose `Host` is not a loopback name (a foreign name that was made to point
/// here) and changes that a page of another site asks for: told by `Sec-Fetch-Site` (W3C Fetch Metadata), and by an `Origin` that
/// is not this host's (RFC 6454), which older browsers send too.
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
    let elsewhere = text("origin").is_some_and(|origin| origin.strip_prefix("http://") != Some(host));
    (changes && (foreign || elsewhere)).then_some("Another site asked for this change; it was not made.")
}

/// What every answer says: no script but this server's own, in no frame, and nothing of it elsewhere.
pub const HEADERS: [(&str, &str); 6] = [
    ("X-Content-Type-Options", "nosniff"),
    // Colours of boundaries stand in style attributes; the view's tests look at pictures as data addresses.
    (
        "Content-Security-Policy",
        "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; \
         connect-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
    ),
    ("Referrer-Policy", "same-origin"),
    ("Cross-Origin-Resource-Policy", "same-origin"),
    ("Cross-Origin-Opener-Policy", "same-origin"),
    ("X-Frame-Options", "DENY"),
];

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
        let from = |origin: &'static str| {
            let mut headers = HeaderMap::new();
            headers.insert(HOST, HeaderValue::from_static("127.0.0.1:8460"));
            headers.insert(HeaderName::from_static("origin"), HeaderValue::from_static(origin));
            objection(&Method::POST, &headers).is_none()
        };
        assert!(from("http://127.0.0.1:8460"));
        for other in ["null", "http://127.0.0.1:8461", "http://hull.example", "https://127.0.0.1:8460", ""] {
            assert!(!from(other), "{other}");
        }
        for host in ["hull.example:8460", "127.0.0.1.example", "", "localhost:x", "10.0.0.1:8460"] {
            assert!(!allowed(Method::GET, host, None), "{host}");
        }
    }
}
