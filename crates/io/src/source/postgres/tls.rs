//! Encrypted connections, by the rustls crate.

use std::path::Path;
use std::sync::Arc;

use rustls::client::WebPkiServerVerifier;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, ring};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
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
        Encryption::Offered | Encryption::Always => Verifier { chain: None, name: false, provider },
        Encryption::Checked { root, name } => {
            let roots = Arc::new(roots(root)?);
            let chain =
                WebPkiServerVerifier::builder_with_provider(roots, provider.clone()).build();
            let chain = chain.map_err(|error| error.to_string())?;
            Verifier { chain: Some(chain), name: *name, provider }
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

fn roots(file: &Path) -> Result<RootCertStore, String> {
    let unreadable =
        |why: String| format!("its certificate cannot be checked: `{}` {why}", file.display());
    let mut roots = RootCertStore::empty();
    let certificates =
        CertificateDer::pem_file_iter(file).map_err(|e| unreadable(e.to_string()))?;
    for certificate in certificates {
        let certificate = certificate.map_err(|error| unreadable(error.to_string()))?;
        roots.add(certificate).map_err(|error| unreadable(error.to_string()))?;
    }
    if roots.is_empty() { Err(unreadable("holds none".to_owned())) } else { Ok(roots) }
}

/// Checks certificates as far as the mode says: not at all, the chain, or the chain and the name.
#[derive(Debug)]
struct Verifier {
    chain: Option<Arc<WebPkiServerVerifier>>,
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
