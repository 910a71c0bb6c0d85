//! Public keys, as others write and read them.

use crate::{decode, encode};
use ed25519_dalek::VerifyingKey;
use ed25519_dalek::pkcs8::spki::der::pem::LineEnding;
use ed25519_dalek::pkcs8::{DecodePublicKey, EncodePublicKey};
use serde_json::{Value, json};
use sha2::{Digest, Sha256};

/// A text that is no public key for Ed25519.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadKey {
    /// Neither PEM nor JWK.
    #[error("this is no public key: it is neither PEM nor a JSON Web Key")]
    NoKey,
    /// A key for another kind of signature.
    #[error("this is a key of another kind: signatures are Ed25519 (in a JSON Web Key: kty OKP, crv Ed25519)")]
    OtherKind,
    /// One that says that it is another.
    #[error("this key says that its id is {said}, and it is {found}: it has been altered")]
    OtherId {
        /// What it says.
        said: String,
        /// What follows from it.
        found: String,
    },
}

/// A key that signatures are checked with.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PublicKey(pub(crate) VerifyingKey);

impl PublicKey {
    fn x(&self) -> String {
        encode(self.0.as_bytes())
    }

    /// Its id: the thumbprint of RFC 7638, SHA-256, in base64url.
    pub fn id(&self) -> String {
        // The members that the RFC asks for (RFC 8037, 2), in their order and without a blank.
        let members = format!(r#"{{"crv":"Ed25519","kty":"OKP","x":"{}"}}"#, self.x());
        encode(&Sha256::digest(members.as_bytes()))
    }

    /// As a JSON Web Key (RFC 7517, RFC 8037).
    pub fn to_jwk(&self) -> Value {
        json!({ "kty": "OKP", "crv": "Ed25519", "x": self.x(), "kid": self.id(), "use": "sig", "alg": "EdDSA" })
    }

    /// As PEM (RFC 7468, RFC 8410).
    ///
    /// # Panics
    /// Never: a public key can be written.
    pub fn to_pem(&self) -> String {
        self.0.to_public_key_pem(LineEnding::LF).expect("a public key can be written")
    }

    /// The key that a text is: PEM or JWK.
    ///
    /// # Errors
    /// It is none, of another kind, or says that it is another.
    pub fn parse(text: &str) -> Result<Self, BadKey> {
        let text = text.trim();
        if text.starts_with("-----BEGIN PUBLIC KEY-----") {
            return VerifyingKey::from_public_key_pem(text).map(Self).map_err(|_| BadKey::OtherKind);
        }
        let jwk: Value = serde_json::from_str(text).map_err(|_| BadKey::NoKey)?;
        if jwk["kty"].is_null() {
            return Err(BadKey::NoKey);
        }
        if jwk["kty"] != "OKP" || jwk["crv"] != "Ed25519" {
            return Err(BadKey::OtherKind);
        }
        let x = jwk["x"].as_str().and_then(decode).and_then(|x| <[u8; 32]>::try_from(x).ok()).ok_or(BadKey::NoKey)?;
        let key = VerifyingKey::from_bytes(&x).map(Self).map_err(|_| BadKey::NoKey)?;
        match jwk["kid"].as_str() {
            Some(said) if said != key.id() => Err(BadKey::OtherId { said: said.into(), found: key.id() }),
            _ => Ok(key),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_thumbprint_is_that_of_the_rfc_and_both_forms_are_read_back() {
        // The key of RFC 8037, appendix A.2, with its thumbprint from A.3.
        let x = "11qYAYKxCrfVS_7TyWQHOg7hcvPapiMlrwIaaPcHURo";
        let jwk = format!(r#"{{"kty":"OKP","crv":"Ed25519","x":"{x}"}}"#);
        let key = PublicKey::parse(&jwk).unwrap();
        assert_eq!(key.id(), "kPrK_qmxVWaYVA9wwBF6Iuo3vVzz7TxHCTwXBygrS4k");
        assert_eq!(PublicKey::parse(&key.to_jwk().to_string()), Ok(key.clone()));
        assert_eq!(PublicKey::parse(&key.to_pem()), Ok(key.clone()));
        let altered = key.to_jwk().to_string().replace("11qYAY", "11qYAZ");
        assert!(matches!(PublicKey::parse(&altered), Err(BadKey::OtherId { .. } | BadKey::NoKey)), "{altered}");
        for (text, why) in [
            ("", BadKey::NoKey),
            ("{}", BadKey::NoKey),
            (r#"{"kty":"EC","crv":"P-256","x":"AA"}"#, BadKey::OtherKind),
            (r#"{"kty":"OKP","crv":"Ed25519","x":"AA"}"#, BadKey::NoKey),
            ("-----BEGIN PUBLIC KEY-----\nAAAA\n-----END PUBLIC KEY-----", BadKey::OtherKind),
        ] {
            assert_eq!(PublicKey::parse(text), Err(why), "{text}");
        }
    }
}
