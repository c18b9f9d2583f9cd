//! A bucket of an S3 server as a place that files come from, and are put to. What is asked for is signed by a library; that one
//! may ask is said by the environment, and by nothing else.

use std::ops::Range;
use std::sync::Arc;
use std::time::Duration;

use futures_util::stream::StreamExt;
use reqwest::header::{CACHE_CONTROL, CONTENT_TYPE, ETAG};
use reqwest::{RequestBuilder, Response, StatusCode};
use rusty_s3::actions::{
    AbortMultipartUpload, CompleteMultipartUpload, CompleteMultipartUploadResponse, CreateMultipartUpload,
    ListObjectsV2, UploadPart,
};
use rusty_s3::{Credentials, S3Action, UrlStyle};
use url::Url;

use super::answer::{Access, Answer, Failed, innermost};
use super::no_place::{NoBucket, NoPlace};
use super::web::{answered, client, of_range};
use crate::error::{BucketFault, PlaceFault, Unfit};

/// So long a signed request may be on its way.
const SIGNED_FOR: Duration = Duration::from_secs(3600);
/// Bytes of an answer in words that are read.
const WORDS: usize = 16 << 20;
/// So many pages of a listing are asked for.
const PAGES: usize = 10_000;

/// A part of a bucket: what begins with some path.
pub(super) struct Bucket {
    client: reqwest::Client,
    bucket: rusty_s3::Bucket,
    credentials: Option<Credentials>,
    /// What goes before every path.
    prefix: String,
}

impl Bucket {
    /// One by its address, and by what is said of where it is and who asks; nothing is asked yet.
    pub fn open(address: &Url, access: &Access) -> Result<Self, NoPlace> {
        let said = |name: &str| access.bucket.get(name).map(String::as_str).filter(|value| !value.is_empty());
        let name = address.host_str().ok_or(NoBucket::Nameless)?.to_owned();
        let endpoint = said("AWS_ENDPOINT_URL_S3").or_else(|| said("AWS_ENDPOINT_URL"));
        let endpoint = endpoint.ok_or(NoBucket::NoEndpoint)?;
        let endpoint = Url::parse(endpoint).map_err(|error| NoBucket::BadEndpoint(endpoint.to_owned(), error))?;
        if endpoint.scheme() != "https" && said("AWS_ALLOW_HTTP") != Some("true") {
            return Err(NoBucket::NotEncrypted(endpoint).into());
        }
        let region = said("AWS_REGION").or_else(|| said("AWS_DEFAULT_REGION")).unwrap_or("us-east-1").to_owned();
        let style = match said("AWS_VIRTUAL_HOSTED_STYLE_REQUEST") {
            Some("true") => UrlStyle::VirtualHost,
            _ => UrlStyle::Path,
        };
        let bucket = rusty_s3::Bucket::new(endpoint, style, name, region).map_err(NoBucket::Name)?;
        // Without credentials only public buckets can be read; nobody is asked for any.
        let credentials = match (said("AWS_ACCESS_KEY_ID"), said("AWS_SECRET_ACCESS_KEY")) {
            (Some(key), Some(secret)) => Some(match said("AWS_SESSION_TOKEN") {
                Some(token) => Credentials::new_with_token(key, secret, token),
                None => Credentials::new(key, secret),
            }),
            (Some(_), None) => return Err(NoBucket::HalfCredentials.into()),
            (None, _) => None,
        };
        let client = client(access.patience).redirect(reqwest::redirect::Policy::none());
        let prefix = address.path().trim_matches('/');
        let prefix = if prefix.is_empty() { String::new() } else { format!("{prefix}/") };
        Ok(Self {
            client: client.build().map_err(|error| NoPlace::Client(innermost(&error)))?,
            bucket,
            credentials,
            prefix,
        })
    }

    /// Bytes of a file, unless it is still the one that a tag is of.
    pub async fn ask(&self, file: &str, bytes: Range<u64>, tag: Option<&str>) -> Result<Answer, Failed> {
        let key = self.key(file);
        let url = self.bucket.get_object(self.credentials.as_ref(), &key).sign(SIGNED_FOR);
        let answer = of_range(self.client.get(url), &bytes, tag).send().await?;
        match answer.status() {
            StatusCode::OK | StatusCode::PARTIAL_CONTENT | StatusCode::NOT_MODIFIED => answered(answer, &bytes),
            _ => Err(refused(answer).await),
        }
    }

    /// The files below a folder of it.
    pub async fn list(&self, below: &str) -> Result<Vec<(String, u64)>, Failed> {
        let prefix = format!("{}/", self.key(below));
        let mut found = Vec::new();
        let mut from: Option<String> = None;
        for _ in 0..PAGES {
            let mut page = ListObjectsV2::new(&self.bucket, self.credentials.as_ref());
            page.with_prefix(prefix.as_str());
            if let Some(from) = &from {
                page.with_continuation_token(from.as_str());
            }
            let answer = words(done(self.client.get(page.sign(SIGNED_FOR))).await?).await?;
            let listed = ListObjectsV2::parse_response(&answer)
                .map_err(|error| Failed::Other(Unfit::Bucket(BucketFault::ListedOddly(error.to_string()))))?;
            found.extend(listed.contents.into_iter().filter_map(|one| {
                let name = one.key.strip_prefix(&self.prefix)?.to_owned();
                Some((name, one.size.unwrap_or(0)))
            }));
            from = listed.next_continuation_token;
            if from.is_none() {
                return Ok(found);
            }
        }
        Err(Failed::Other(Unfit::Bucket(BucketFault::ListedWithoutEnd)))
    }

    pub async fn put(&self, file: &str, bytes: Vec<u8>, kind: Option<&str>) -> Result<(), Failed> {
        let key = self.key(file);
        let mut request = self.client.put(self.bucket.put_object(self.credentials.as_ref(), &key).sign(SIGNED_FOR));
        if let Some(kind) = kind {
            request = request.header(CONTENT_TYPE, kind).header(CACHE_CONTROL, "no-cache");
        }
        done(request.body(bytes)).await.map(drop)
    }

    pub async fn begin(bucket: &Arc<Self>, file: &str) -> Result<Upload, Failed> {
        let key = bucket.key(file);
        let url = bucket.bucket.create_multipart_upload(bucket.credentials.as_ref(), &key).sign(SIGNED_FOR);
        let answer = words(done(bucket.client.post(url)).await?).await?;
        let begun = CreateMultipartUpload::parse_response(&answer)
            .map_err(|error| Failed::Other(Unfit::Bucket(BucketFault::NoUpload(error.to_string()))))?;
        Ok(Upload { bucket: bucket.clone(), key, id: begun.upload_id().to_owned(), parts: Vec::new() })
    }

    pub async fn remove(&self, file: &str) -> Result<(), Failed> {
        let key = self.key(file);
        let url = self.bucket.delete_object(self.credentials.as_ref(), &key).sign(SIGNED_FOR);
        match done(self.client.delete(url)).await {
            Ok(_) | Err(Failed::NotThere) => Ok(()),
            Err(failed) => Err(failed),
        }
    }

    fn key(&self, file: &str) -> String {
        format!("{}{file}", self.prefix)
    }
}

/// A large file on its way.
pub(crate) struct Upload {
    bucket: Arc<Bucket>,
    key: String,
    id: String,
    /// What each part is known by.
    parts: Vec<String>,
}

impl Upload {
    pub async fn part(&mut self, bytes: Vec<u8>) -> Result<(), Failed> {
        let number = u16::try_from(self.parts.len() + 1)
            .map_err(|_| Failed::Other(Unfit::Bucket(BucketFault::MorePartsThanTaken)))?;
        let bucket = &self.bucket;
        let part = UploadPart::new(&bucket.bucket, bucket.credentials.as_ref(), &self.key, number, &self.id);
        let answer = done(bucket.client.put(part.sign(SIGNED_FOR)).body(bytes)).await?;
        let tag = answer.headers().get(ETAG).and_then(|tag| tag.to_str().ok());
        self.parts.push(tag.ok_or(Failed::Other(Unfit::Bucket(BucketFault::PartNotNamed)))?.to_owned());
        Ok(())
    }

    pub async fn finish(self) -> Result<(), Failed> {
        let bucket = &self.bucket;
        let tags = self.parts.iter().map(String::as_str);
        let whole =
            CompleteMultipartUpload::new(&bucket.bucket, bucket.credentials.as_ref(), &self.key, &self.id, tags);
        let url = whole.sign(SIGNED_FOR);
        let answer = words(done(bucket.client.post(url).body(whole.body())).await?).await?;
        // It may answer that all is well, and then that nothing is.
        CompleteMultipartUploadResponse::parse(&answer)
            .map(drop)
            .map_err(|_| Failed::MayPass(Unfit::Told(told(&answer))))
    }

    pub async fn abort(self) {
        let bucket = &self.bucket;
        let gone = AbortMultipartUpload::new(&bucket.bucket, bucket.credentials.as_ref(), &self.key, &self.id);
        drop(bucket.client.delete(gone.sign(SIGNED_FOR)).send().await);
    }
}

/// Sends what is asked for; whatever is no success is a failure.
async fn done(request: RequestBuilder) -> Result<Response, Failed> {
    let answer = request.send().await?;
    if answer.status().is_success() { Ok(answer) } else { Err(refused(answer).await) }
}

/// The words of an answer, up to a bound.
async fn words(answer: Response) -> Result<String, Failed> {
    let mut bytes = Vec::new();
    let mut chunks = answer.bytes_stream();
    while let Some(chunk) = chunks.next().await {
        bytes.extend_from_slice(&chunk?);
        if bytes.len() > WORDS {
            return Err(Failed::TooLarge);
        }
    }
    String::from_utf8(bytes).map_err(|_| Failed::Other(Unfit::Place(PlaceFault::NoText)))
}

/// Why a server says no. Its codes are those of the protocol.
async fn refused(answer: Response) -> Failed {
    let status = answer.status();
    let region = answer.headers().get("x-amz-bucket-region").and_then(|region| region.to_str().ok().map(str::to_owned));
    let said = words(answer).await.unwrap_or_default();
    let code = said.split_once("<Code>").and_then(|(_, rest)| rest.split_once("</Code>")).map_or("", |(code, _)| code);
    match (code, status) {
        ("NoSuchBucket", _) => Failed::Other(Unfit::Place(PlaceFault::NoSuchBucket)),
        ("RequestTimeTooSkewed", _) => Failed::Other(Unfit::Bucket(BucketFault::ClockSkewed)),
        (_, StatusCode::NOT_FOUND | StatusCode::GONE) => Failed::NotThere,
        (_, StatusCode::UNAUTHORIZED | StatusCode::FORBIDDEN) => Failed::Forbidden,
        (_, status) if status.is_redirection() => Failed::Other(match region {
            Some(region) => Unfit::Bucket(BucketFault::OtherRegion(region.to_owned())),
            None => Unfit::Bucket(BucketFault::Elsewhere),
        }),
        (_, status) if status.is_server_error() || status == StatusCode::TOO_MANY_REQUESTS => {
            Failed::MayPass(Unfit::Place(PlaceFault::Answered(status.to_string())))
        }
        (_, status) => Failed::Other(if code.is_empty() {
            Unfit::Place(PlaceFault::Answered(status.to_string()))
        } else {
            Unfit::Told(told(&said))
        }),
    }
}

/// What an answer says of a failure.
fn told(answer: &str) -> String {
    let of = |tag: &str| {
        let (_, rest) = answer.split_once(&format!("<{tag}>"))?;
        rest.split_once(&format!("</{tag}>")).map(|(text, _)| text)
    };
    let text = of("Message").or_else(|| of("Code")).unwrap_or("the server did not take it");
    kanon_core::base::path::printable(&text.chars().take(200).collect::<String>())
}
