//! Signed heads of a ledger, in the form in which transparency logs sign theirs (C2SP tlog-checkpoint and signed-note): three lines, a
//! blank one, and a line for each signature.

use crate::jwk::PublicKey;
use crate::jws::BadSignature;
use crate::store::PrivateKey;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use ed25519_dalek::{Signature, Signer};
use sha2::{Digest, Sha256};

/// The first line: what it is the head of.
const ORIGIN: &str = "jurex-ledger";
/// Before a signature's name.
const DASH: &str = "\u{2014} ";
/// The kind of signature: Ed25519.
const ED25519: u8 = 1;

/// A head with the signature under it, taken apart. It counts once [`SignedHead::check`] has found the signature right.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SignedHead {
    /// Entries of the ledger.
    pub size: u64,
    /// The head of the tree over them.
    pub root: [u8; 32],
    text: String,
    key_id: String,
    key_hash: [u8; 4],
    signature: Signature,
}

fn text(size: u64, root: &[u8; 32]) -> String {
    format!("{ORIGIN}\n{size}\n{}\n", STANDARD.encode(root))
}

fn key_hash(key: &PublicKey) -> [u8; 4] {
    let digest = Sha256::new().chain_update(key.id()).chain_update(b"\n").chain_update([ED25519]).chain_update(key.0.as_bytes());
    let digest = digest.finalize();
    std::array::from_fn(|i| digest[i])
}

/// A head that nobody has signed: the same three lines, and nothing under them.
pub fn unsigned_head(size: u64, root: &[u8; 32]) -> String {
    text(size, root)
}

/// Size and head of a text of three lines that nobody has signed; `None`: it is none.
pub fn parse_unsigned_head(text_of: &str) -> Option<(u64, [u8; 32])> {
    let mut lines = text_of.lines();
    let (Some(ORIGIN), Some(size), Some(root), None) = (lines.next(), lines.next(), lines.next(), lines.next()) else {
        return None;
    };
    let (size, root) = (size.parse().ok()?, STANDARD.decode(root).ok()?.try_into().ok()?);
    (text(size, &root) == text_of).then_some((size, root))
}

/// Signs a head.
pub fn sign_head(size: u64, root: &[u8; 32], key: &PrivateKey) -> String {
    let (text, public) = (text(size, root), key.public());
    let signed = [&key_hash(&public)[..], &key.0.sign(text.as_bytes()).to_bytes()].concat();
    format!("{text}\n{DASH}{} {}\n", public.id(), STANDARD.encode(signed))
}

impl SignedHead {
    /// Takes a signed head apart.
    ///
    /// # Errors
    /// It is none, or not in the one form in which they are written.
    pub fn parse(note: &str) -> Result<Self, BadSignature> {
        let (text_part, signatures) = note.split_once("\n\n").ok_or(BadSignature::NotSigned)?;
        let mut lines = text_part.lines();
        let (origin, size, root) = (lines.next(), lines.next(), lines.next());
        let (Some(ORIGIN), Some(size), Some(root), None) = (origin, size, root, lines.next()) else {
            return Err(BadSignature::NotSigned);
        };
        let size: u64 = size.parse().map_err(|_| BadSignature::NotSigned)?;
        let root: [u8; 32] = STANDARD.decode(root).ok().and_then(|r| r.try_into().ok()).ok_or(BadSignature::NotSigned)?;
        let line = signatures.strip_prefix(DASH).and_then(|l| l.strip_suffix('\n')).ok_or(BadSignature::NotSigned)?;
        let (key_id, signed) = line.split_once(' ').ok_or(BadSignature::NotSigned)?;
        let signed = STANDARD.decode(signed).map_err(|_| BadSignature::OtherForm)?;
        let (hash, signature) = signed.split_first_chunk::<4>().ok_or(BadSignature::OtherForm)?;
        let signature = Signature::from_slice(signature).map_err(|_| BadSignature::Wrong)?;
        let text = text(size, &root);
        if format!("{text_part}\n") != text {
            return Err(BadSignature::OtherForm);
        }
        Ok(Self { size, root, text, key_id: key_id.into(), key_hash: *hash, signature })
    }

    /// The id of the key by which it says that it is signed.
    pub fn key_id(&self) -> &str {
        &self.key_id
    }

    /// Whether the signature is that of `key`.
    ///
    /// # Errors
    /// Another key, or another text than was signed.
    pub fn check(&self, key: &PublicKey) -> Result<(), BadSignature> {
        if key.id() != self.key_id {
            return Err(BadSignature::OtherKey { by: self.key_id.clone(), this: key.id() });
        }
        let right = self.key_hash == key_hash(key) && key.0.verify_strict(self.text.as_bytes(), &self.signature).is_ok();
        if right { Ok(()) } else { Err(BadSignature::Wrong) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_head_is_three_lines_and_a_signature_and_every_byte_of_it_matters() {
        let key = PrivateKey::from_seed([9; 32]);
        let note = sign_head(17, &[0xab; 32], &key);
        assert!(note.starts_with("jurex-ledger\n17\nq6urq6urq6urq6urq6urq6urq6urq6urq6urq6urq6s=\n\n\u{2014} "), "{note}");
        let head = SignedHead::parse(&note).unwrap();
        assert_eq!((head.size, head.root, head.check(&key.public())), (17, [0xab; 32], Ok(())));
        let other = PrivateKey::from_seed([8; 32]);
        assert!(matches!(head.check(&other.public()), Err(BadSignature::OtherKey { .. })));
        for at in 0..note.len() {
            for bit in 0..8 {
                let mut bytes = note.clone().into_bytes();
                bytes[at] ^= 1 << bit;
                let Ok(altered) = String::from_utf8(bytes) else { continue };
                let still = SignedHead::parse(&altered).is_ok_and(|h| h.check(&key.public()).is_ok());
                assert!(!still, "bit {bit} of byte {at}: {altered}");
            }
        }
        let unsigned = unsigned_head(17, &[0xab; 32]);
        assert_eq!((parse_unsigned_head(&unsigned), parse_unsigned_head(&note)), (Some((17, [0xab; 32])), None));
        for junk in ["", "\n\n", "jurex-ledger\n1\n\n", "jurex-ledger\nx\nAA==\n\n\u{2014} a b\n"] {
            assert!(SignedHead::parse(junk).is_err());
        }
    }
}
