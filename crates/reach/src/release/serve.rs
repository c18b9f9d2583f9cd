//! Serves a release over HTTP, for those who have no web server: ranges, and headers that let everything be cached but the
//! one file that changes.

use std::net::SocketAddr;
use std::path::Path;

use axum::Router;
use axum::http::{HeaderValue, Request, StatusCode, Uri, header};
use axum::middleware::{Next, from_fn};
use axum::response::{IntoResponse, Response};
use tower_http::services::ServeDir;

use crate::error::{During, ReachError};

/// The folders and files that are served; whatever else lies there is nobody's business.
const SERVED: [&str; 5] = ["/blobs/", "/metadata/", "/packs/", "/recipes/", "/targets/"];
const PAGES: [&str; 5] = ["/", "/index.html", "/handout.md", "/handout.csv", "/handout.cdx.json"];

/// Whether a folder holds a release.
pub fn is_release(folder: &Path) -> bool {
    folder.join("metadata").join("timestamp.json").is_file()
}

/// Serves a folder until the program ends; `begun` hears where, once it listens.
///
/// # Errors
/// When the folder holds no release, or nobody can listen there.
pub fn serve(folder: &Path, listen: &str, begun: impl FnOnce(SocketAddr)) -> Result<(), ReachError> {
    if !is_release(folder) {
        let reason = "it holds no release: metadata/timestamp.json is not there".to_owned();
        return Err(ReachError::Unusable { path: folder.to_owned(), reason });
    }
    let refused =
        |reason: std::io::Error| ReachError::Address { address: listen.to_owned(), reason: reason.to_string() };
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().during("serve", folder)?;
    runtime.block_on(async {
        let listener = tokio::net::TcpListener::bind(listen).await.map_err(refused)?;
        begun(listener.local_addr().map_err(refused)?);
        axum::serve(listener, router(folder)).await.map_err(refused)
    })
}

fn router(folder: &Path) -> Router {
    Router::new().fallback_service(ServeDir::new(folder)).layer(from_fn(only_the_release))
}

/// Lets only what belongs to a release be asked for, and says how long it may be kept.
async fn only_the_release(request: Request<axum::body::Body>, next: Next) -> Response {
    let uri: Uri = request.uri().clone();
    let path = uri.path();
    if !(SERVED.iter().any(|folder| path.starts_with(folder)) || PAGES.contains(&path)) {
        return StatusCode::NOT_FOUND.into_response();
    }
    let mut answer = next.run(request).await;
    if answer.status().is_success() {
        let word = match path.ends_with("/timestamp.json") || PAGES.contains(&path) {
            true => "no-cache",
            // Whatever is called by its digest or its number never changes.
            false => "public, max-age=31536000, immutable",
        };
        answer.headers_mut().insert(header::CACHE_CONTROL, HeaderValue::from_static(word));
    }
    answer
}
