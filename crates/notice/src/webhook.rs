//! By webhook: JSON by HTTPS POST, signed so that the receiver can tell who sent it.

use crate::{NotSent, Notice};
#[cfg(feature = "webhook")]
use crate::{PATIENCE, read};
#[cfg(feature = "webhook")]
use hmac::{Hmac, KeyInit, Mac};
use serde::Deserialize;
#[cfg(feature = "webhook")]
use sha2::Sha256;
use std::path::PathBuf;
#[cfg(feature = "webhook")]
use ureq::tls::{Certificate, RootCerts, TlsConfig};

/// Where to post.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Webhook {
    /// The address, https; http only to this machine itself.
    pub url: String,
    /// A file with the secret under which what is posted is signed.
    pub secret_file: Option<PathBuf>,
    /// A certificate (PEM) that is trusted instead of those of the world.
    pub trust: Option<PathBuf>,
}

#[cfg(feature = "webhook")]
/// The header that carries the signature: `sha256=` and HMAC-SHA256 of the body in hexadecimal digits.
const SIGNATURE: &str = "Jurex-Signature";

#[cfg(not(feature = "webhook"))]
impl Webhook {
    /// Sends nothing: this program was built without webhooks.
    ///
    /// # Errors
    /// Always.
    pub fn send(&self, _: &Notice) -> Result<(), NotSent> {
        Err(NotSent::Settings("this Jurex was built without webhooks".into()))
    }
}

#[cfg(feature = "webhook")]
impl Webhook {
    /// Sends a notice.
    ///
    /// # Errors
    /// Why it did not go out.
    pub fn send(&self, notice: &Notice) -> Result<(), NotSent> {
        let host = self.url.split("://").nth(1).and_then(|rest| rest.split(['/', ':']).next()).unwrap_or_default();
        let is_here = matches!(host, "localhost" | "127.0.0.1" | "[::1]" | "[");
        if !(self.url.starts_with("https://") || self.url.starts_with("http://") && is_here) {
            return Err(NotSent::Settings(format!("the webhook's address `{}` is not https", self.url)));
        }
        let body = serde_json::to_string(notice).map_err(|e| NotSent::Settings(e.to_string()))?;
        let mut config = ureq::Agent::config_builder().timeout_global(Some(PATIENCE)).http_status_as_error(false);
        // What is signed for one address goes to no other.
        config = config.max_redirects(0).max_redirects_will_error(false);
        if let Some(file) = &self.trust {
            let pem = read(file)?;
            let trusted = Certificate::from_pem(pem.as_bytes())
                .map_err(|_| NotSent::Settings(format!("{} is no certificate", file.display())))?;
            config = config.tls_config(TlsConfig::builder().root_certs(RootCerts::new_with_certs(&[trusted])).build());
        }
        let agent: ureq::Agent = config.build().into();
        let mut request = agent.post(&self.url).header("Content-Type", "application/json");
        if let Some(file) = &self.secret_file {
            request = request.header(SIGNATURE, format!("sha256={}", sign(body.as_bytes(), read(file)?.as_bytes())));
        }
        let failed = |e: ureq::Error| NotSent::Server { server: host.to_string(), why: e.to_string() };
        let answer = request.send(&body).map_err(failed)?;
        let taken = answer.status().is_success();
        let why = || NotSent::Server { server: host.to_string(), why: format!("it answered {}", answer.status()) };
        if taken { Ok(()) } else { Err(why()) }
    }
}

/// HMAC-SHA256 (RFC 2104) in hexadecimal digits.
#[cfg(feature = "webhook")]
fn sign(body: &[u8], secret: &[u8]) -> String {
    let mut mac = Hmac::<Sha256>::new_from_slice(secret).expect("a key of any length is one");
    mac.update(body);
    mac.finalize().into_bytes().iter().map(|b| format!("{b:02x}")).collect()
}

#[cfg(all(test, feature = "webhook"))]
mod tests {
    use super::*;

    #[test]
    fn the_signature_is_that_of_the_rfc() {
        // RFC 4231, 4.3.
        let said = sign(b"what do ya want for nothing?", b"Jefe");
        assert_eq!(said, "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843");
    }
}
