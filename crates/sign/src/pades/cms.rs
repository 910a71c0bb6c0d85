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

/// The key that has signed this digest, if `cms` is such a signature to the byte.
pub(super) fn check(cms: &[u8], digest: &[u8; 32]) -> Option<PublicPdfKey> {
    let mut outer = Reader(cms).next(0x30)?.0;
    outer.next(6)?;
    let mut signed = outer.next(0xa0)?.0.next(0x30)?.0;
    signed.next(2)?;
    signed.next(0x31)?;
    signed.next(0x30)?;
    let mut list = signed.next(0xa0)?.0;
    let mut certificates = vec![];
    while let Some((_, whole)) = list.next(0x30) {
        certificates.push(whole.to_vec());
    }
    let mut signer = signed.next(0x31)?.0.next(0x30)?.0;
    signer.next(2)?;
    signer.next(0x30)?;
    signer.next(0x30)?;
    signer.next(0xa0)?;
    signer.next(0x30)?;
    let signature = signer.next(4)?.0.0;
    let public = PublicPdfKey::of(certificates.first()?).ok()?;
    let right = build(digest, &certificates, &public, signature) == cms
        && public.verify(&tlv(0x31, &attributes(digest, &certificates[0])), signature);
    right.then_some(public)
}
