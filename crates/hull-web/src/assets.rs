//! Styles, scripts and fonts, inside the program.

use actix_web::http::header::{CACHE_CONTROL, ETAG, IF_NONE_MATCH};
use actix_web::{HttpRequest, HttpResponse, get, web};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
struct Dist;

#[get("/assets/{path:.*}")]
pub async fn asset(path: web::Path<String>, request: HttpRequest) -> HttpResponse {
    let Some(file) = Dist::get(&path) else { return HttpResponse::NotFound().body("There is no such file.") };
    let tag =
        format!("\"{}\"", file.metadata.sha256_hash()[..8].iter().map(|b| format!("{b:02x}")).collect::<String>());
    if request.headers().get(IF_NONE_MATCH).is_some_and(|t| t.as_bytes() == tag.as_bytes()) {
        return HttpResponse::NotModified().finish();
    }
    HttpResponse::Ok()
        .content_type(kind(&path))
        .insert_header((CACHE_CONTROL, "no-cache"))
        .insert_header((ETAG, tag))
        .body(file.data)
}

fn kind(path: &str) -> &'static str {
    match path.rsplit_once('.').map(|(_, ending)| ending) {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("woff2") => "font/woff2",
        Some("svg") => "image/svg+xml",
        _ => "application/octet-stream",
    }
}
