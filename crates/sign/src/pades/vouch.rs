//! Who vouches for a certificate: the chain from the signer's to one that people here have said they trust (RFC 5280, 6.1, as far as
//! it says who somebody is; names, policies and lists of revoked certificates are not fetched).

use super::der::DerReader;
use super::key::{common_name, hex};
use der::{Decode, Encode};
use jiff::Timestamp;
use p256::ecdsa::signature::Verifier;
use rsa::pkcs1v15;
use sha2::{Digest, Sha256, Sha384, Sha512};
use x509_cert::Certificate;
use x509_cert::der::oid::ObjectIdentifier;
use x509_cert::ext::pkix::{BasicConstraints, KeyUsage};
use x509_cert::time::Time;

/// A certificate that people here have said they trust: a root, one in between, or the very one that signs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TrustedCertificate {
    /// What they call it.
    pub name: String,
    /// The certificate.
    pub der: Vec<u8>,
    /// Since when it is not trusted any more.
    pub retired: Option<Timestamp>,
}

/// What stands behind a signature.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Vouched {
    /// It leads to a certificate that is trusted here.
    By {
        /// What people here call that.
        name: String,
        /// Names between the signer and it, the signer's own not among them.
        through: Vec<String>,
        /// Since when it is not trusted any more.
        retired: Option<Timestamp>,
    },
    /// It leads to none.
    Nobody {
        /// Why, where something stood in the way.
        why: Option<String>,
    },
}

const ECDSA_SHA_256: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.10045.4.3.2");
const RSA_SHA_256: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.11");
const RSA_SHA_384: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.12");
const RSA_SHA_512: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.13");

/// Critical extensions that are looked at, or that narrow nothing of what is asked here: basic constraints, key usage, extended key usage,
/// certificate policies, alternative names.
const UNDERSTOOD: [&str; 5] = ["2.5.29.19", "2.5.29.15", "2.5.29.37", "2.5.29.32", "2.5.29.17"];

/// Certificates on the way at most.
const LONGEST: usize = 8;

/// Who vouches for the first of these certificates (DER, each of the others a possible step) at that time.
pub fn who_vouches(chain: &[Vec<u8>], trusted: &[TrustedCertificate], when: Timestamp) -> Vouched {
    let Some(signer) = chain.first() else { return Vouched::Nobody { why: None } };
    let fits = |t: &&TrustedCertificate| t.der == *signer;
    if let Some(pinned) = trusted.iter().find(fits) {
        return Vouched::By { name: pinned.name.clone(), through: vec![], retired: pinned.retired };
    }
    let mut why = None;
    let found = climb(signer, &chain[1..], trusted, when, &mut vec![signer.as_slice()], &mut why);
    found.unwrap_or(Vouched::Nobody { why })
}

/// From `below` up to one that is trusted.
fn climb<'c>(
    below: &'c [u8],
    steps: &'c [Vec<u8>],
    trusted: &'c [TrustedCertificate],
    when: Timestamp,
    way: &mut Vec<&'c [u8]>,
    why: &mut Option<String>,
) -> Option<Vouched> {
    for root in trusted {
        match vouches(&root.der, below, way.len() - 1, when) {
            Ok(()) => {
                let name_of = |der: &&[u8]| Certificate::from_der(der).map(|c| common_name(c.tbs_certificate().subject())).ok();
                let through = way[1..].iter().filter_map(name_of).collect();
                return Some(Vouched::By { name: root.name.clone(), through, retired: root.retired });
            }
            Err(Some(said)) => *why = Some(said),
            Err(None) => {}
        }
    }
    if way.len() >= LONGEST {
        return None;
    }
    for step in steps {
        // Twice on one way is a ring.
        if way.contains(&step.as_slice()) {
            continue;
        }
        match vouches(step, below, way.len() - 1, when) {
            Ok(()) => {
                way.push(step);
                let found = climb(step, steps, trusted, when, way, why);
                way.pop();
                if found.is_some() {
                    return found;
                }
            }
            Err(Some(said)) => *why = Some(said),
            Err(None) => {}
        }
    }
    None
}

/// Whether `above` vouches for `below` at that time, with so many certificates between it and the signer's. `Err(None)`: it is
/// another's; `Err(Some(..))`: it would, and something stands in the way.
fn vouches(above: &[u8], below: &[u8], between: usize, when: Timestamp) -> Result<(), Option<String>> {
    let read = |der: &[u8]| Certificate::from_der(der).map_err(|_| None);
    let (issuer, subject) = (read(above)?, read(below)?);
    let (ca, of) = (issuer.tbs_certificate(), subject.tbs_certificate());
    if ca.subject() != of.issuer() {
        return Err(None);
    }
    let name = common_name(ca.subject());
    let no = |said: &str| Err(Some(format!("{name} {said}")));
    let constraints = ca.get_extension::<BasicConstraints>().map_err(|_| None)?.map(|(_, c)| c);
    match constraints {
        Some(BasicConstraints { ca: true, path_len_constraint: Some(most) }) if between > usize::from(most) => {
            return no("vouches for no chain as long as this");
        }
        Some(BasicConstraints { ca: true, .. }) => {}
        _ => return no("may vouch for no other certificate"),
    }
    if let Some((_, usage)) = ca.get_extension::<KeyUsage>().map_err(|_| None)?
        && !usage.key_cert_sign()
    {
        return no("may sign no certificates");
    }
    let strange =
        ca.extensions().into_iter().flatten().find(|e| e.critical && !UNDERSTOOD.contains(&e.extn_id.to_string().as_str()));
    if let Some(extension) = strange {
        return no(&format!("has a condition ({}) that can't be looked at here", extension.extn_id));
    }
    let second = |t: &Time| t.to_unix_duration().as_secs();
    let now = u64::try_from(when.as_second()).unwrap_or(0);
    if !(second(&ca.validity().not_before)..=second(&ca.validity().not_after)).contains(&now) {
        return no("was not good at that time");
    }
    match is_signed_by(below, &subject, &ca.subject_public_key_info().to_der().map_err(|_| None)?) {
        Some(true) => Ok(()),
        Some(false) => no("did not sign the certificate that names it"),
        None => no(&format!("signs by a way ({}) that can't be checked here", subject.signature_algorithm().oid)),
    }
}

/// Whether the certificate's signature is by that key (SubjectPublicKeyInfo); `None`: of a kind that can't be checked.
fn is_signed_by(der: &[u8], certificate: &Certificate, spki: &[u8]) -> Option<bool> {
    let signed = DerReader(der).next(0x30)?.0.next(0x30)?.1;
    let signature = certificate.signature().as_bytes()?;
    let named = certificate.signature_algorithm();
    if named != certificate.tbs_certificate().signature() {
        return Some(false);
    }
    if named.oid == ECDSA_SHA_256 {
        let key = <p256::ecdsa::VerifyingKey as p256::pkcs8::DecodePublicKey>::from_public_key_der(spki).ok()?;
        return Some(p256::ecdsa::Signature::from_der(signature).is_ok_and(|s| key.verify(signed, &s).is_ok()));
    }
    let key = <rsa::PublicKey as rsa::pkcs8::DecodePublicKey>::from_public_key_der(spki).ok()?;
    let Ok(signature) = pkcs1v15::Signature::try_from(signature) else { return Some(false) };
    Some(match named.oid {
        RSA_SHA_256 => pkcs1v15::VerifyingKey::<Sha256>::new(key).verify(signed, &signature).is_ok(),
        RSA_SHA_384 => pkcs1v15::VerifyingKey::<Sha384>::new(key).verify(signed, &signature).is_ok(),
        RSA_SHA_512 => pkcs1v15::VerifyingKey::<Sha512>::new(key).verify(signed, &signature).is_ok(),
        _ => return None,
    })
}

/// A certificate in PEM or DER as DER, with the name that stands in it and its fingerprint (SHA-256, hexadecimal); `None`: it is none.
pub fn certificate_of(bytes: &[u8]) -> Option<(Vec<u8>, String, String)> {
    let text = std::str::from_utf8(bytes).ok();
    let parsed = match text.filter(|t| t.contains("-----BEGIN CERTIFICATE-----")) {
        Some(pem) => Certificate::load_pem_chain(pem.as_bytes()).ok()?.into_iter().next()?,
        None => Certificate::from_der(bytes).ok()?,
    };
    let der = parsed.to_der().ok()?;
    let fingerprint = hex(&Sha256::digest(&der));
    Some((der, common_name(parsed.tbs_certificate().subject()), fingerprint))
}
