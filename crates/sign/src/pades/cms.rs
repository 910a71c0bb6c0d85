//! The signature itself: CMS SignedData (RFC 5652), detached, with the attributes that PAdES baseline asks for (ETSI EN 319 142-1, 6.3).

use super::der::{Reader, sequence, tlv};
use super::key::{PdfKey, PublicPdfKey};
use sha2::{Digest, Sha256};

const SIGNED_DATA: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 7, 2];
const DATA: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 7, 1];
const CONTENT_TYPE: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 9, 3];
const MESSAGE_DIGEST: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 9, 4];
/// signing-certificate-v2 (RFC 5035).
const SIGNING_CERTIFICATE: &[u8] = &[6, 11, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 9, 0x10, 2, 0x2f];
const SHA_256: &[u8] = &[0x30, 0x0b, 6, 9, 0x60, 0x86, 0x48, 1, 0x65, 3, 4, 2, 1];

/// What is signed: kind, digest, and which certificate signs, as a SET in the order of DER.
fn attributes(digest: &[u8; 32], certificate: &[u8]) -> Vec<u8> {
    let attribute = |kind: &[u8], value: &[u8]| sequence(&[kind, &tlv(0x31, value)]);
    let of_certificate = sequence(&[&sequence(&[&sequence(&[&tlv(4, &Sha256::digest(certificate))])])]);
    let mut all = [
        attribute(CONTENT_TYPE, DATA),
        attribute(MESSAGE_DIGEST, &tlv(4, digest)),
        attribute(SIGNING_CERTIFICATE, &of_certificate),
    ];
    all.sort();
    all.concat()
}

fn build(digest: &[u8; 32], certificates: &[Vec<u8>], public: &PublicPdfKey, signature: &[u8]) -> Vec<u8> {
    let one: &[u8] = &[2, 1, 1];
    let signer = sequence(&[
        one,
        &public.issuer_and_serial,
        SHA_256,
        &tlv(0xa0, &attributes(digest, &certificates[0])),
        public.algorithm(),
        &tlv(4, signature),
    ]);
    let signed =
        sequence(&[one, &tlv(0x31, SHA_256), &sequence(&[DATA]), &tlv(0xa0, &certificates.concat()), &tlv(0x31, &signer)]);
    sequence(&[SIGNED_DATA, &tlv(0xa0, &signed)])
}

/// Signs a digest.
pub(super) fn sign(digest: &[u8; 32], key: &PdfKey) -> Vec<u8> {
    let certificates = key.certificates();
    let signature = key.sign(&tlv(0x31, &attributes(digest, &certificates[0])));
    build(digest, certificates, key.public(), &signature)
}

/// What a signature is made of, as far as it is one.
struct Parts<'c> {
    /// The signer's first.
    certificates: Vec<Vec<u8>>,
    signature: &'c [u8],
}

fn parts(cms: &[u8]) -> Option<Parts<'_>> {
    let mut outer = Reader(cms).next(0x30)?.0;
    outer.next(6)?;
    let mut signed = outer.next(0xa0)?.0.next(0x30)?.0;
    for passed_over in [2, 0x31, 0x30] {
        signed.next(passed_over)?;
    }
    let mut list = signed.next(0xa0)?.0;
    let certificates = std::iter::from_fn(|| list.next(0x30)).map(|(_, whole)| whole.to_vec()).collect();
    let mut signer = signed.next(0x31)?.0.next(0x30)?.0;
    for passed_over in [2, 0x30, 0x30, 0xa0, 0x30] {
        signer.next(passed_over)?;
    }
    Some(Parts { certificates, signature: signer.next(4)?.0.0 })
}

/// Who says that they have signed, whether it holds or not.
pub(super) fn signer(cms: &[u8]) -> Option<PublicPdfKey> {
    PublicPdfKey::of(parts(cms)?.certificates.first()?).ok()
}

/// The certificates that it brings along, the signer's first.
pub(super) fn certificates(cms: &[u8]) -> Vec<Vec<u8>> {
    parts(cms).map(|p| p.certificates).unwrap_or_default()
}

/// Whether `cms` is, to the byte, a signature of this digest by its signer.
pub(super) fn is_of(cms: &[u8], digest: &[u8; 32], public: &PublicPdfKey) -> bool {
    parts(cms).is_some_and(|Parts { certificates, signature }| {
        build(digest, &certificates, public, signature) == cms
            && public.verify(&tlv(0x31, &attributes(digest, &certificates[0])), signature)
    })
}
