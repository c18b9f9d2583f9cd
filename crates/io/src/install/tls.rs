//! TLS for FTP: a certificate that the system vouches for is good; any other is good only if a person said so.

use std::net::TcpStream;
use std::sync::{Arc, Mutex, PoisonError};

use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::{CertificateError, ClientConfig, DigitallySignedStruct, Error, SignatureScheme};
use rustls_platform_verifier::Verifier;
use sha2::Digest as _;
use suppaftp::{FtpResult, RustlsConnector, TlsConnector};

use super::address::Address;
use super::credentials::{Credentials, HostKey, Standing};
use crate::error::HostError;
use crate::retry::RetryPolicy;

/// Decides about the certificates of one host.
pub struct Trust {
    judge: Arc<Judge>,
}

#[derive(Debug)]
struct Judge {
    host: String,
    door: DebugDoor,
    doubt: Mutex<Option<HostError>>,
    system: Mutex<Option<Arc<Verifier>>>,
}

struct DebugDoor(Arc<dyn Credentials>);

impl std::fmt::Debug for DebugDoor {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("a door")
    }
}

impl Trust {
    /// For one host.
    pub fn new(address: &Address, door: Arc<dyn Credentials>) -> Self {
        let judge = Judge {
            host: format!("{}:{}", address.host, address.port),
            door: DebugDoor(door),
            doubt: Mutex::default(),
            system: Mutex::default(),
        };
        Self { judge: Arc::new(judge) }
    }

    /// What one control connection and its data connections are made with: hosts want the latter to go on with a session of
    /// the former, and with that of no other.
    pub fn config(&self) -> Result<Arc<ClientConfig>, NoTls> {
        let provider = Arc::new(rustls::crypto::aws_lc_rs::default_provider());
        let system = Verifier::new(Arc::clone(&provider)).map_err(NoTls)?;
        *self.judge.system.lock().unwrap_or_else(PoisonError::into_inner) = Some(Arc::new(system));
        let builder = ClientConfig::builder_with_provider(provider);
        let builder = builder.with_safe_default_protocol_versions().map_err(NoTls)?;
        let verifier: Arc<dyn ServerCertVerifier> = Arc::clone(&self.judge) as _;
        Ok(Arc::new(builder.dangerous().with_custom_certificate_verifier(verifier).with_no_client_auth()))
    }

    /// What a person has to say about the last certificate that was refused.
    pub fn doubt(&self) -> Option<HostError> {
        self.judge.doubt.lock().unwrap_or_else(PoisonError::into_inner).take()
    }
}

/// This machine has nothing that encrypted lines can rest on.
#[derive(Debug, thiserror::Error)]
#[error(transparent)]
pub struct NoTls(Error);

impl Judge {
    fn system(&self) -> Result<Arc<Verifier>, Error> {
        let system = self.system.lock().unwrap_or_else(PoisonError::into_inner);
        system.clone().ok_or_else(|| Error::General("no roots of trust".to_owned()))
    }
}

impl ServerCertVerifier for Judge {
    fn verify_server_cert(
        &self,
        certificate: &CertificateDer<'_>,
        others: &[CertificateDer<'_>],
        name: &ServerName<'_>,
        ocsp: &[u8],
        now: UnixTime,
    ) -> Result<ServerCertVerified, Error> {
        if let Ok(verified) = self.system()?.verify_server_cert(certificate, others, name, ocsp, now) {
            return Ok(verified);
        }
        let fingerprint = fingerprint(certificate);
        let key = HostKey { host: self.host.clone(), fingerprint: fingerprint.clone(), ssh: None };
        let host = self.host.clone();
        let doubt = match self.door.0.recognise(&key) {
            Standing::Trusted => return Ok(ServerCertVerified::assertion()),
            Standing::Unknown => HostError::UnknownKey { host, fingerprint },
            Standing::Changed { known } => HostError::ChangedKey { host, known, fingerprint },
        };
        *self.doubt.lock().unwrap_or_else(PoisonError::into_inner) = Some(doubt);
        Err(Error::InvalidCertificate(CertificateError::ApplicationVerificationFailure))
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        self.system()?.verify_tls12_signature(message, certificate, signed)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        self.system()?.verify_tls13_signature(message, certificate, signed)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.system().map(|system| system.supported_verify_schemes()).unwrap_or_default()
    }
}

fn fingerprint(certificate: &[u8]) -> String {
    use base64::Engine as _;
    let digest = sha2::Sha256::digest(certificate);
    format!("SHA256:{}", base64::engine::general_purpose::STANDARD_NO_PAD.encode(digest))
}

/// A connector whose handshakes have their time-outs too.
#[derive(Debug)]
pub struct Timed {
    /// The connector.
    pub inner: RustlsConnector,
    /// How long nothing may come.
    pub patience: RetryPolicy,
}

impl TlsConnector for Timed {
    type Stream = <RustlsConnector as TlsConnector>::Stream;

    fn connect(&self, domain: &str, stream: TcpStream) -> FtpResult<Self::Stream> {
        let timed = stream
            .set_read_timeout(Some(self.patience.silence))
            .and_then(|()| stream.set_write_timeout(Some(self.patience.silence)));
        timed.map_err(suppaftp::FtpError::ConnectionError)?;
        self.inner.connect(domain, stream)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fingerprint_is_written_as_ssh_tools_write_it() {
        assert_eq!(fingerprint(b""), "SHA256:47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU");
    }
}
