//! Serves a release over HTTP, for those who have no web server: ranges, and headers that let everything be cached but the
//! one file that changes.

use std::collections::HashMap;
use std::net::{IpAddr, Ipv6Addr, SocketAddr};
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::Router;
use axum::http::{HeaderValue, Request, StatusCode, Uri, header};
use axum::middleware::{Next, from_fn};
use axum::response::{IntoResponse, Response};
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use tokio::net::TcpStream;
use tokio_io_timeout::TimeoutStream;
use tower_http::services::ServeDir;

use crate::error::{During, ReachError, ReleaseFault, Unfit};
use crate::install::locked;

/// The folders and files that are served; whatever else lies there is nobody's business.
const SERVED: [&str; 6] = ["/blobs/", "/metadata/", "/packs/", "/ready/", "/recipes/", "/targets/"];
const PAGES: [&str; 6] =
    ["/", "/index.html", "/handout.md", "/handout.csv", "/handout.cdx.json", "/game.rulebook.toml"];

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
        return Err(ReachError::unusable(folder, ReleaseFault::NoRelease));
    }
    let refused =
        |error: std::io::Error| ReachError::Address { address: listen.to_owned(), reason: Unfit::told(error) };
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().during("serve", folder)?;
    runtime.block_on(async {
        let listener = tokio::net::TcpListener::bind(listen).await.map_err(refused)?;
        begun(listener.local_addr().map_err(refused)?);
        let router = router(&folder.canonicalize().during("find", folder)?);
        let doors = Doors::default();
        loop {
            match listener.accept().await {
                Ok((stream, peer)) => {
                    let Some(guest) = doors.let_in(peer.ip()) else { continue };
                    let service = TowerToHyperService::new(router.clone());
                    tokio::spawn(async move {
                        let io = TokioIo::new(Box::pin(timed(stream)));
                        // Whoever goes away in the middle harms nobody else.
                        let _ = connections().serve_connection(io, service).await;
                        drop(guest);
                    });
                }
                // No more files may be open at once: those that are there end sooner or later.
                Err(_) => tokio::time::sleep(BREATH).await,
            }
        }
    })
}

/// How long a request's head may take, and how long a connection may wait for the next one.
const HEAD: Duration = Duration::from_secs(20);
/// How long a reader may take nothing of what is sent, or send nothing of what is awaited.
const IDLE: Duration = Duration::from_secs(60);
/// How long to wait when nobody can be let in.
const BREATH: Duration = Duration::from_millis(200);
/// Connections at once: in all, and from one address, so that nobody can take the room of all others.
const GUESTS: usize = 1_024;
const GUESTS_OF_ONE: usize = 48;

/// A connection on which somebody who takes and sends nothing is not waited for.
fn timed(stream: TcpStream) -> TimeoutStream<TcpStream> {
    let mut timed = TimeoutStream::new(stream);
    timed.set_read_timeout(Some(IDLE));
    timed.set_write_timeout(Some(IDLE));
    timed
}

fn connections() -> hyper::server::conn::http1::Builder {
    let mut builder = hyper::server::conn::http1::Builder::new();
    builder.timer(TokioTimer::new()).header_read_timeout(HEAD).max_buf_size(16 << 10);
    builder
}

/// Who is connected now, by address; of one network of IPv6, all count as one.
#[derive(Default, Clone)]
struct Doors(Arc<Mutex<HashMap<IpAddr, usize>>>);

/// One connection, until it is dropped.
struct Guest(Doors, IpAddr);

impl Doors {
    fn let_in(&self, address: IpAddr) -> Option<Guest> {
        let address = match address.to_canonical() {
            IpAddr::V6(v6) => {
                let [a, b, c, d, ..] = v6.segments();
                IpAddr::V6(Ipv6Addr::new(a, b, c, d, 0, 0, 0, 0))
            }
            v4 => v4,
        };
        let mut guests = locked(&self.0);
        let (all, own) = (guests.values().sum::<usize>(), guests.entry(address).or_insert(0));
        if all >= GUESTS || *own >= GUESTS_OF_ONE {
            return None;
        }
        *own += 1;
        Some(Guest(self.clone(), address))
    }
}

impl Drop for Guest {
    fn drop(&mut self) {
        let mut guests = locked(&self.0.0);
        if let Some(own) = guests.get_mut(&self.1) {
            *own -= 1;
            if *own == 0 {
                guests.remove(&self.1);
            }
        }
    }
}

fn router(folder: &Path) -> Router {
    let root: Arc<Path> = folder.into();
    let served = from_fn(move |request, next| only_the_release(Arc::clone(&root), request, next));
    Router::new().fallback_service(ServeDir::new(folder)).layer(served)
}

/// Whether a path of a request leads to a file of the folder itself: through no link out of it, to no pipe and no device.
fn is_file_inside(root: &Path, path: &str) -> bool {
    let plain = percent_encoding::percent_decode_str(path).decode_utf8_lossy().into_owned();
    let below = plain.trim_start_matches('/');
    let below = if below.is_empty() { "index.html" } else { below };
    let found = root.join(below).canonicalize();
    found.is_ok_and(|found| {
        found.starts_with(root) && std::fs::metadata(&found).is_ok_and(|metadata| metadata.is_file())
    })
}

/// Lets only what belongs to a release be asked for, and says how long it may be kept.
async fn only_the_release(root: Arc<Path>, request: Request<axum::body::Body>, next: Next) -> Response {
    let uri: Uri = request.uri().clone();
    let path = uri.path();
    let is_served = SERVED.iter().any(|folder| path.starts_with(folder)) || PAGES.contains(&path);
    if !is_served || !is_file_inside(&root, path) {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_address_leaves_room_for_others_and_gives_it_back() {
        let doors = Doors::default();
        let (one, other): (IpAddr, IpAddr) =
            ("203.0.113.7".parse().expect("an address"), "203.0.113.8".parse().expect("an address"));
        let guests: Vec<Guest> = std::iter::from_fn(|| doors.let_in(one)).collect();
        assert_eq!(guests.len(), GUESTS_OF_ONE);
        assert!(doors.let_in(other).is_some());
        drop(guests);
        assert!(doors.let_in(one).is_some());
        let network =
            (0..).map_while(|n: u16| doors.let_in(IpAddr::V6(Ipv6Addr::new(0x2001, 0xdb8, 0, 1, n, n, n, n))));
        assert_eq!(network.collect::<Vec<_>>().len(), GUESTS_OF_ONE, "a network of one counts once");
    }

    #[cfg(unix)]
    #[test]
    fn no_link_out_of_the_site_is_followed() {
        let temp = tempfile::tempdir().expect("a folder");
        let root = temp.path().canonicalize().expect("found").join("site");
        std::fs::create_dir_all(root.join("blobs")).expect("made");
        std::fs::write(root.join("blobs/a"), "a").expect("written");
        std::fs::write(temp.path().join("secret"), "s").expect("written");
        std::os::unix::fs::symlink(temp.path().join("secret"), root.join("blobs/b")).expect("linked");
        std::os::unix::fs::symlink(root.join("blobs/a"), root.join("blobs/c")).expect("linked");
        assert!(std::process::Command::new("mkfifo").arg(root.join("blobs/d")).status().expect("run").success());
        let inside =
            ["/blobs/a", "/blobs/b", "/blobs/c", "/blobs/d", "/blobs/../../secret", "/blobs/%2e%2e/%2e%2e/secret"];
        assert_eq!(inside.map(|path| is_file_inside(&root, path)), [true, false, true, false, false, false]);
    }
}
