//! A web server as a place that files come from, and what any answer over HTTP says of a file.

use std::net::{IpAddr, ToSocketAddrs};
use std::ops::Range;

use futures_util::stream::StreamExt;
use reqwest::header::{CONTENT_RANGE, ETAG, HeaderMap, IF_NONE_MATCH, RANGE};
use reqwest::{RequestBuilder, Response, StatusCode};
use url::Url;

use super::answer::{Answer, Failed, innermost};
use super::no_place::NoPlace;
use crate::error::{PlaceFault, Unfit};
use crate::retry::RetryPolicy;

/// A folder of a web server.
#[derive(Clone)]
pub(super) struct Web {
    client: reqwest::Client,
    folder: Url,
}

impl Web {
    /// One by its address; nothing is asked yet.
    pub fn open(mut folder: Url, patience: RetryPolicy) -> Result<Self, NoPlace> {
        let path = folder.path().trim_end_matches('/').to_owned();
        folder.set_path(&path);
        let client = client(patience)
            .redirect(redirects(&folder))
            .build()
            .map_err(|error| NoPlace::Client(innermost(&error)))?;
        Ok(Self { client, folder })
    }

    /// Asks for bytes of a file, unless it is still the one that a tag is of.
    pub async fn ask(&self, file: &str, bytes: Range<u64>, tag: Option<&str>) -> Result<Answer, Failed> {
        let mut url = self.folder.clone();
        if let Ok(mut segments) = url.path_segments_mut() {
            segments.pop_if_empty().extend(file.split('/'));
        }
        let answer = of_range(self.client.get(url), &bytes, tag).send().await?;
        answered(answer, &bytes)
    }
}

/// What asks over HTTP, as patiently as is wanted.
pub(super) fn client(patience: RetryPolicy) -> reqwest::ClientBuilder {
    reqwest::Client::builder()
        .connect_timeout(patience.connect)
        .read_timeout(patience.silence)
        .user_agent(concat!("kanon/", env!("CARGO_PKG_VERSION")))
}

/// A request for these bytes of a file, unless it is still the one that a tag is of.
pub(super) fn of_range(mut request: RequestBuilder, bytes: &Range<u64>, tag: Option<&str>) -> RequestBuilder {
    match (bytes.start, bytes.end) {
        (0, u64::MAX) => {}
        (start, u64::MAX) => request = request.header(RANGE, format!("bytes={start}-")),
        (start, end) => request = request.header(RANGE, format!("bytes={start}-{}", end.saturating_sub(1))),
    }
    match tag {
        Some(tag) => request.header(IF_NONE_MATCH, tag),
        None => request,
    }
}

/// What an answer says, and what comes with it.
pub(super) fn answered(answer: Response, bytes: &Range<u64>) -> Result<Answer, Failed> {
    let header = |headers: &HeaderMap, name| headers.get(name).and_then(|value| value.to_str().ok().map(str::to_owned));
    let start = match answer.status() {
        StatusCode::OK => 0,
        StatusCode::PARTIAL_CONTENT => {
            let range = header(answer.headers(), CONTENT_RANGE);
            let first = range.as_deref().and_then(|range| range.strip_prefix("bytes ")?.split_once('-'));
            first.and_then(|(first, _)| first.parse().ok()).unwrap_or(bytes.start)
        }
        StatusCode::NOT_MODIFIED => return Err(Failed::NotModified),
        StatusCode::NOT_FOUND | StatusCode::GONE => return Err(Failed::NotThere),
        StatusCode::UNAUTHORIZED | StatusCode::FORBIDDEN => return Err(Failed::Forbidden),
        other if other.is_server_error() || other == StatusCode::TOO_MANY_REQUESTS => {
            return Err(Failed::MayPass(Unfit::Place(PlaceFault::Answered(other.to_string()))));
        }
        other => return Err(Failed::Other(Unfit::Place(PlaceFault::Answered(other.to_string())))),
    };
    let tag = header(answer.headers(), ETAG);
    Ok(Answer { start, tag, chunks: answer.bytes_stream().map(|chunk| Ok(chunk?.to_vec())).boxed() })
}

/// Whether an address leads to this machine or a network of one's own. A name is looked up: what it stands for is what counts.
fn is_private(url: &Url) -> bool {
    let Some(host) = url.host_str() else { return true };
    let port = url.port_or_known_default().unwrap_or(80);
    let host = host.trim_start_matches('[').trim_end_matches(']');
    // A name that nobody knows leads nowhere.
    (host, port).to_socket_addrs().is_ok_and(|mut addresses| addresses.any(|address| is_private_address(address.ip())))
}

fn is_private_address(address: IpAddr) -> bool {
    match address.to_canonical() {
        IpAddr::V4(v4) => {
            let [a, b, ..] = v4.octets();
            v4.is_private()
                || v4.is_loopback()
                || v4.is_link_local()
                || v4.is_unspecified()
                || v4.is_broadcast()
                || v4.is_multicast()
                // Behind a provider's own translation.
                || (a == 100 && (64..128).contains(&b))
        }
        IpAddr::V6(v6) => {
            let first = v6.segments()[0];
            v6.is_loopback()
                || v6.is_unspecified()
                || v6.is_multicast()
                || first & 0xfe00 == 0xfc00
                || first & 0xffc0 == 0xfe80
        }
    }
}

/// Redirects that are followed at most.
const REDIRECTS: usize = 5;

/// A place on the open network can't send us to this machine or a network of ours: what answers there trusts whoever is near.
fn redirects(at: &Url) -> reqwest::redirect::Policy {
    let begins_private = is_private(at);
    reqwest::redirect::Policy::custom(move |attempt| {
        if attempt.previous().len() > REDIRECTS {
            return attempt.error("it sends on and on");
        }
        if !matches!(attempt.url().scheme(), "http" | "https") || (!begins_private && is_private(attempt.url())) {
            return attempt.error("it sends on to this machine or a private network, which no place out there may");
        }
        attempt.follow()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("http://127.0.0.1/", true)]
    #[case("http://[::1]:80/", true)]
    #[case("http://[::ffff:127.0.0.1]/", true)]
    #[case("http://10.1.2.3/", true)]
    #[case("http://172.20.0.1/", true)]
    #[case("http://192.168.178.1/", true)]
    #[case("http://169.254.169.254/", true)]
    #[case("http://100.64.0.1/", true)]
    #[case("http://[fd00::1]/", true)]
    #[case("http://[fe80::1]/", true)]
    #[case("http://0.0.0.0/", true)]
    #[case("http://localhost/", true)]
    #[case("http://8.8.8.8/", false)]
    #[case("http://172.32.0.1/", false)]
    #[case("http://[2001:db8::1]/", false)]
    fn addresses_of_ones_own_are_told_from_others(#[case] url: &str, #[case] private: bool) {
        assert_eq!(is_private(&Url::parse(url).expect("an address")), private);
    }
}
