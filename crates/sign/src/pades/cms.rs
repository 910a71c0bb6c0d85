//! The signature itself: CMS SignedData (RFC 5652), detached, with the attributes that PAdES baseline asks for (ETSI EN 319 142-1, 6.3).

use super::der::{DerReader, sequence, tlv, with_lengths};
use super::key::{PdfKey, PublicPdfKey};
use sha2::{Digest, Sha256};

const SIGNED_DATA: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 7, 2];
const DATA: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 7, 1];
const CONTENT_TYPE: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 9, 3];
const MESSAGE_DIGEST: &[u8] = &[6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 9, 4];
/// signing-certificate-v2 (RFC 5035).
const SIGNING_CERTIFICATE: &[u8] = &[6, 11, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 9, 0x10, 2, 0x2f];
const SHA_256: &[u8] = &[0x30, 0x0b, 6, 9, 0x60, 0x86, 0x48, 1, 0x65, 3, 4, 2, 1];

const SHA_256_OID: &[u8] = &[6, 9, 0x60, 0x86, 0x48, 1, 0x65, 3, 4, 2, 1];

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
    let mut outer = DerReader(cms).next(0x30)?.0;
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

/// The certificates of a signature by whichever program, the signer's first, if it is right for these bytes (RFC 5652, 5.4 and 5.6): its
/// attributes hold the digest of the bytes, and the signature is that of the attributes. What follows the signature must be empty.
pub(super) fn verified(bytes: &[u8], signed: &[&[u8]]) -> Option<Vec<Vec<u8>>> {
    let (whole, rest) = with_lengths(bytes)?;
    rest.iter().all(|b| *b == 0).then_some(())?;
    let mut outer = DerReader(&whole).next(0x30)?.0;
    outer.next(6)?;
    let mut data = outer.next(0xa0)?.0.next(0x30)?.0;
    for passed_over in [2, 0x31, 0x30] {
        data.next(passed_over)?;
    }
    let mut list = data.next(0xa0)?.0;
    let mut certificates: Vec<Vec<u8>> = std::iter::from_fn(|| list.next(0x30)).map(|(_, whole)| whole.to_vec()).collect();
    // Lists of revoked certificates may stand between.
    let _ = data.next(0xa1);
    let mut signer = data.next(0x31)?.0.next(0x30)?.0;
    signer.next(2)?;
    let named = signer.next(0x30)?.1;
    let of_digest = signer.next(0x30)?.0.next(6)?.1;
    let attributes = signer.next(0xa0)?.1;
    signer.next(0x30)?;
    let signature = signer.next(4)?.0.0;
    let is_signer = |c: &Vec<u8>| PublicPdfKey::of(c).is_ok_and(|key| key.issuer_and_serial == named);
    let at = certificates.iter().position(is_signer)?;
    certificates.swap(0, at);
    let mut of_attributes = DerReader(attributes).next(0xa0)?.0;
    let digest = std::iter::from_fn(|| of_attributes.next(0x30)).find_map(|(mut attribute, _)| {
        let kind = attribute.next(6)?.1;
        (kind == MESSAGE_DIGEST).then(|| attribute.next(0x31)?.0.next(4).map(|(value, _)| value.0.to_vec()))?
    })?;
    // Only SHA-256 is asked of keys here.
    let computed = signed.iter().fold(Sha256::new(), |hash, part| hash.chain_update(part)).finalize();
    let plain = [&[0x31], &attributes[1..]].concat();
    let right =
        of_digest == SHA_256_OID && digest == computed[..] && PublicPdfKey::of(&certificates[0]).ok()?.verify(&plain, signature);
    right.then_some(certificates)
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
