//! Why a place is none that files can come from.

use url::Url;

/// Why files can't come from a place.
#[derive(Debug, thiserror::Error)]
pub enum NoPlace {
    #[error("there is no such folder")]
    NoFolder,
    #[error("it is no address ({0})")]
    NoAddress(url::ParseError),
    #[error("it holds a password; credentials come from the environment, never from a file or an address")]
    Password,
    #[error("{0}:// is no place that files come from; use http://, https:// or s3://")]
    OtherScheme(String),
    #[error("{0}")]
    Client(String),
    #[error(transparent)]
    Bucket(#[from] NoBucket),
}

/// Why a bucket can't be asked.
#[derive(Debug, thiserror::Error)]
pub enum NoBucket {
    #[error("it names no bucket")]
    Nameless,
    #[error("where its server is must be said by AWS_ENDPOINT_URL, such as AWS_ENDPOINT_URL=https://s3.example.org")]
    NoEndpoint,
    #[error("AWS_ENDPOINT_URL={0} is no address ({1})")]
    BadEndpoint(String, url::ParseError),
    #[error("{0} is not encrypted: whoever sits between could read what is sent. AWS_ALLOW_HTTP=true allows it")]
    NotEncrypted(Url),
    #[error(transparent)]
    Name(#[from] rusty_s3::BucketError),
    #[error("AWS_ACCESS_KEY_ID is set, and AWS_SECRET_ACCESS_KEY is not")]
    HalfCredentials,
}
