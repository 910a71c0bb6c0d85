//! Signed bytes: JWS in its flattened JSON serialization (RFC 7515, 7.2.2).

use crate::jwk::PublicKey;
use crate::store::PrivateKey;
use crate::{decode, encode};
use ed25519_dalek::{Signature, Signer};
use serde::{Deserialize, Serialize};

/// What is signed is JSON of this kind.
const TYPE: &str = "application/json";

/// Why a text is no signed record, or its signature does not hold.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadSignature {
    /// Not the JSON of one.
    #[error("this is no signed file: not a JWS in the flattened JSON serialization")]
    NotSigned,
    /// Written otherwise than Jurex writes: a byte was changed, or somebody has written it anew.
    #[error("the signed file is not as it was written: a byte of it has been changed, or it was written anew by other means")]
    OtherForm,
    /// Another way of signing.
    #[error("it is signed by {0}, and signatures are EdDSA")]
    OtherAlgorithm(String),
    /// The key is another one.
    #[error("it was signed by key {by}, and this is key {this}")]
    OtherKey {
        /// The key's id in the file.
        by: String,
        /// That of the key at hand.
        this: String,
    },
    /// The signature is not of these bytes.
    #[error("the signature is not that of this text: the text, or the signature, has been altered")]
    Wrong,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Flattened {
    payload: String,
    protected: String,
    signature: String,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Header {
    alg: String,
    cty: String,
    kid: String,
}

/// A signed text, taken apart. What it says counts once [`Signed::check`] has found its signature right.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Signed {
    payload: String,
    key_id: String,
    signing_input: String,
    signature: Signature,
}

/// Signs `payload`, JSON as it is to be read.
pub fn sign(payload: &str, key: &PrivateKey) -> String {
    let header = Header { alg: "EdDSA".into(), cty: TYPE.into(), kid: key.public().id() };
    let protected = encode(&canonical(&header));
    let payload = encode(payload.as_bytes());
    let signature = key.0.sign(format!("{protected}.{payload}").as_bytes());
    let flattened = Flattened { payload, protected, signature: encode(&signature.to_bytes()) };
    String::from_utf8(canonical(&flattened)).expect("JSON is UTF-8")
}

fn canonical(value: &impl Serialize) -> Vec<u8> {
    serde_json_canonicalizer::to_vec(value).expect("texts can be written")
}

impl Signed {
    /// Takes a signed text apart. Only the very bytes that [`sign`] writes are taken, so that none of them can be changed unseen.
    ///
    /// # Errors
    /// It is none, written otherwise, or of another algorithm.
    pub fn parse(text: &str) -> Result<Self, BadSignature> {
        let text = text.trim_end();
        let flattened: Flattened = serde_json::from_str(text).map_err(|_| BadSignature::NotSigned)?;
        if canonical(&flattened) != text.as_bytes() {
            return Err(BadSignature::OtherForm);
        }
        let Flattened { payload, protected, signature } = flattened;
        let header_bytes = decode(&protected).ok_or(BadSignature::OtherForm)?;
        let header: Header = serde_json::from_slice(&header_bytes).map_err(|_| BadSignature::OtherForm)?;
        if header.alg != "EdDSA" {
            return Err(BadSignature::OtherAlgorithm(header.alg.chars().filter(|c| c.is_ascii_graphic()).take(20).collect()));
        }
        let bytes = decode(&signature).ok_or(BadSignature::OtherForm)?;
        let signature = Signature::from_slice(&bytes).map_err(|_| BadSignature::Wrong)?;
        let signing_input = format!("{protected}.{payload}");
        let payload = decode(&payload).and_then(|p| String::from_utf8(p).ok()).ok_or(BadSignature::OtherForm)?;
        Ok(Self { payload, key_id: header.kid, signing_input, signature })
    }

    /// The id of the key by which it says that it is signed.
    pub fn key_id(&self) -> &str {
        &self.key_id
    }

    /// What it says, whoever said it.
    pub fn unchecked(&self) -> &str {
        &self.payload
    }

    /// What it says, if the signature under it is that of `key`.
    ///
    /// # Errors
    /// Another key, or other bytes than were signed.
    pub fn check(&self, key: &PublicKey) -> Result<&str, BadSignature> {
        if key.id() != self.key_id {
            return Err(BadSignature::OtherKey { by: self.key_id.clone(), this: key.id() });
        }
        key.0.verify_strict(self.signing_input.as_bytes(), &self.signature).map_err(|_| BadSignature::Wrong)?;
        Ok(&self.payload)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::Value;

    fn key(seed: u8) -> PrivateKey {
        PrivateKey::from_seed([seed; 32])
    }

    const RECORD: &str = r#"{"claim":{"outcome":"clear"},"job":"261123-4F7QZK"}"#;

    #[test]
    fn every_byte_of_a_signed_text_matters() {
        let (key, other) = (key(3), key(4));
        let text = sign(RECORD, &key);
        assert_eq!(Signed::parse(&text).unwrap().check(&key.public()), Ok(RECORD));
        assert_eq!(Signed::parse(&format!("{text}\n")).unwrap().check(&key.public()), Ok(RECORD), "an editor's last line end");
        assert!(matches!(Signed::parse(&text).unwrap().check(&other.public()), Err(BadSignature::OtherKey { .. })));
        for at in 0..text.len() {
            for bit in 0..8 {
                let mut bytes = text.clone().into_bytes();
                bytes[at] ^= 1 << bit;
                let Ok(altered) = String::from_utf8(bytes) else { continue };
                let still = Signed::parse(&altered).is_ok_and(|s| s.check(&key.public()).is_ok());
                assert!(!still, "bit {bit} of byte {at} was changed unseen: {altered}");
            }
        }
        let blanks = text.replace(':', ": ");
        assert_eq!(Signed::parse(&blanks), Err(BadSignature::OtherForm));
        let more = text.replacen('{', r#"{"header":{"kid":"x"},"#, 1);
        assert_eq!(Signed::parse(&more), Err(BadSignature::NotSigned));
    }

    #[test]
    fn a_signature_of_another_algorithm_or_of_none_is_refused() {
        let text = sign(RECORD, &key(3));
        let flattened: Value = serde_json::from_str(&text).unwrap();
        for alg in ["none", "HS256", "ES256"] {
            let header = encode(&canonical(&Header { alg: alg.into(), cty: TYPE.into(), kid: key(3).public().id() }));
            let mut forged = flattened.clone();
            forged["protected"] = header.into();
            let forged = String::from_utf8(canonical(&forged)).unwrap();
            assert_eq!(Signed::parse(&forged), Err(BadSignature::OtherAlgorithm(alg.into())));
        }
    }

    #[test]
    fn another_library_checks_it_too() {
        use jsonwebtoken::{Algorithm, DecodingKey, crypto::verify};
        let key = key(7);
        let flattened: Value = serde_json::from_str(&sign(RECORD, &key)).unwrap();
        let text = |name: &str| flattened[name].as_str().unwrap().to_string();
        let input = format!("{}.{}", text("protected"), text("payload"));
        let theirs = DecodingKey::from_ed_components(key.public().to_jwk()["x"].as_str().unwrap()).unwrap();
        assert!(verify(&text("signature"), input.as_bytes(), &theirs, Algorithm::EdDSA).unwrap());
        let other = format!("{input}x");
        assert!(!verify(&text("signature"), other.as_bytes(), &theirs, Algorithm::EdDSA).unwrap());
    }

    proptest! {
        #[test]
        fn any_text_is_signed_and_read_back_and_no_other_is(text: String, junk: String, seed: u8) {
            let signed = sign(&text, &key(seed));
            let parsed = Signed::parse(&signed).unwrap();
            prop_assert_eq!(parsed.check(&key(seed).public()), Ok(text.as_str()));
            prop_assert!(Signed::parse(&junk).is_err());
        }
    }
}
