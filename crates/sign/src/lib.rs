//! Signatures under records: a record's canonical JSON is the payload of a JWS (RFC 7515, EdDSA with Ed25519 by RFC 8037), which any JOSE
//! library checks. Keys are files of their owner, named by their RFC 7638 thumbprints.
//!
//! What does not live here: any judgement of what is signed. A signature says who vouches for bytes, never that they are true.
//!
//! ```
//! let head = jurex_sign::unsigned_head(4, &[7; 32]);
//! assert_eq!(jurex_sign::parse_unsigned_head(&head), Some((4, [7; 32])));
//! ```
#![forbid(unsafe_code)]

mod jwk;
mod jws;
mod note;
mod pades;
mod passphrase;
mod store;

pub use jwk::{BadKey, PublicKey};
pub use jws::{BadSignature, Signed, sign};
pub use note::{SignedHead, parse_unsigned_head, sign_head, unsigned_head};
pub use pades::{
    BadLater, BadPdfKey, BadPdfSignature, LaterSignature, PdfKey, PdfSignature, PdfSignatures, PublicPdfKey, TrustedCertificate,
    Vouched, certificate_of, check_pdf, sign_pdf, who_vouches,
};
pub use store::{CertificateInfo, KeyError, KeyInfo, KeyStore, KnownKey, Passphrase, PrivateKey, Whose};

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;

/// Base64url without padding (RFC 7515, 2).
fn encode(bytes: &[u8]) -> String {
    URL_SAFE_NO_PAD.encode(bytes)
}

/// The bytes, if the text is the one way to write them.
fn decode(text: &str) -> Option<Vec<u8>> {
    URL_SAFE_NO_PAD.decode(text).ok()
}
