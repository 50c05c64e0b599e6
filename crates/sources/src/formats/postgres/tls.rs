//! Encrypted connections, by the rustls crate.

use std::path::Path;
use std::sync::Arc;

use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::client::{WebPkiServerVerifier, verify_server_name};
use rustls::crypto::{CryptoProvider, ring};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::server::ParsedCertificate;
use rustls::{
    CertificateError, ClientConfig, DigitallySignedStruct, Error, RootCertStore, SignatureScheme,
};
use tokio_postgres_rustls::MakeRustlsConnect;

use super::address::Encryption;

/// The side of the client; `None` without encryption.
pub(super) fn connector(encryption: &Encryption) -> Result<Option<MakeRustlsConnect>, String> {
    let provider = Arc::new(ring::default_provider());
    let verifier = match encryption {
        Encryption::None => return Ok(None),
        Encryption::Offered | Encryption::Always => {
            Verifier { chain: None, trusted: Vec::new(), name: false, provider }
        }
        Encryption::Checked { root, name } => {
            let trusted = match root {
                Some(file) => trusted(file)?,
                // What the system trusts; that some of it cannot be read is no matter.
                None => rustls_native_certs::load_native_certs().certs,
            };
            let mut roots = RootCertStore::empty();
            roots.add_parsable_certificates(trusted.iter().cloned());
            let roots = Arc::new(roots);
            let chain =
                WebPkiServerVerifier::builder_with_provider(roots, provider.clone()).build();
            let chain = chain.map_err(|error| error.to_string())?;
            Verifier { chain: Some(chain), trusted, name: *name, provider }
        }
    };
    let config = ClientConfig::builder_with_provider(verifier.provider.clone())
        .with_safe_default_protocol_versions()
        .map_err(|error| error.to_string())?
        .dangerous()
        .with_custom_certificate_verifier(Arc::new(verifier))
        .with_no_client_auth();
    Ok(Some(MakeRustlsConnect::new(config)))
}

/// The certificates of a file.
fn trusted(file: &Path) -> Result<Vec<CertificateDer<'static>>, String> {
    let unreadable =
        |why: String| format!("its certificate cannot be checked: `{}` {why}", file.display());
    let certificates =
        CertificateDer::pem_file_iter(file).map_err(|e| unreadable(e.to_string()))?;
    let trusted = certificates.collect::<Result<Vec<_>, _>>();
    let trusted = trusted.map_err(|error| unreadable(error.to_string()))?;
    if trusted.is_empty() { Err(unreadable("has none".to_owned())) } else { Ok(trusted) }
}

/// Checks certificates as far as the mode says: not at all, the chain, or the chain and the name.
#[derive(Debug)]
struct Verifier {
    chain: Option<Arc<WebPkiServerVerifier>>,
    /// The certificates that need no other to vouch for them.
    trusted: Vec<CertificateDer<'static>>,
    name: bool,
    provider: Arc<CryptoProvider>,
}

impl ServerCertVerifier for Verifier {
    fn verify_server_cert(
        &self,
        certificate: &CertificateDer<'_>,
        between: &[CertificateDer<'_>],
        name: &ServerName<'_>,
        ocsp: &[u8],
        now: UnixTime,
    ) -> Result<ServerCertVerified, Error> {
        let Some(chain) = &self.chain else { return Ok(ServerCertVerified::assertion()) };
        // A server may vouch for itself: its own certificate is the one that is trusted.
        if self.trusted.contains(certificate) {
            if self.name {
                verify_server_name(&ParsedCertificate::try_from(certificate)?, name)?;
            }
            return Ok(ServerCertVerified::assertion());
        }
        match chain.verify_server_cert(certificate, between, name, ocsp, now) {
            Err(Error::InvalidCertificate(
                CertificateError::NotValidForName | CertificateError::NotValidForNameContext { .. },
            )) if !self.name => Ok(ServerCertVerified::assertion()),
            verified => verified,
        }
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        let algorithms = &self.provider.signature_verification_algorithms;
        rustls::crypto::verify_tls12_signature(message, certificate, signature, algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        let algorithms = &self.provider.signature_verification_algorithms;
        rustls::crypto::verify_tls13_signature(message, certificate, signature, algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.provider.signature_verification_algorithms.supported_schemes()
    }
}
