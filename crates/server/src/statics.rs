//! The built front end, inside the binary. Hashed files may be kept for ever; the page itself is asked for each time.

use actix_web::{HttpResponse, http::header};
use rust_embed::Embed;

#[derive(Embed)]
#[folder = "../../ui/dist"]
#[allow_missing = true]
struct Files;

/// Serves a file of the front end, or its page for every path the front end routes itself; as the build compressed it where the browser
/// takes that.
pub fn file(path: &str, takes_brotli: bool) -> HttpResponse {
    let path = path.trim_start_matches('/');
    let (name, file) = match Files::get(path) {
        Some(file) if !path.is_empty() => (path, Some(file)),
        _ if path.starts_with("assets/") => (path, None),
        _ => ("index.html", Files::get("index.html")),
    };
    let Some(file) = file else {
        return HttpResponse::NotFound().content_type("text/plain").body("The front end is not built into this binary. Run script/start.");
    };
    let compressed = if takes_brotli { Files::get(&format!("{name}.br")) } else { None };
    let lifetime = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    let mut answer = HttpResponse::Ok();
    answer
        .content_type(mime_guess::from_path(name).first_or_octet_stream().as_ref())
        .insert_header((header::CACHE_CONTROL, lifetime))
        .insert_header((header::VARY, "accept-encoding"));
    match compressed {
        Some(compressed) => answer.insert_header(header::ContentEncoding::Brotli).body(compressed.data.into_owned()),
        None => answer.body(file.data.into_owned()),
    }
}
