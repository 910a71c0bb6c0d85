//! The certificate and key with which an organisation signs papers: PEM or PKCS#12, ECDSA on P-256 or RSA.

use super::der::sequence;
use crate::passphrase::Passphrase;
use der::{Decode, Encode, EncodePem};
use jiff::Timestamp;
use p256::ecdsa::signature::{SignatureEncoding, Signer, Verifier};
use p256::pkcs8::{DecodePrivateKey, EncodePrivateKey, LineEnding};
use rsa::pkcs1::DecodeRsaPrivateKey;
use rsa::pkcs1v15;
use sha2::{Digest, Sha256};
use x509_cert::Certificate;
use x509_cert::builder::profile::BuilderProfile;
use x509_cert::builder::{Builder, CertificateBuilder};
use x509_cert::certificate::TbsCertificate;
use x509_cert::ext::pkix::{BasicConstraints, KeyUsage, KeyUsages};
use x509_cert::ext::{Extension, ToExtension};
use x509_cert::name::Name;
use x509_cert::serial_number::SerialNumber;
use x509_cert::spki::{SubjectPublicKeyInfoOwned, SubjectPublicKeyInfoRef};
use x509_cert::time::{Time, Validity};

/// Why a certificate or its key can't be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadPdfKey {
    /// It would be PKCS#12, which this program was built without.
    #[error("this Jurex was built without PKCS#12: make PEM of it (`openssl pkcs12 -in FILE -out FILE.pem`)")]
    NoPkcs12,
    /// The certificate is none.
    #[error("this is no certificate: neither PEM nor PKCS#12 that can be read")]
    NoCertificate,
    /// The key is none, or of a kind that is not known.
    #[error(
        "this is no private key that papers can be signed with: it is to be ECDSA on P-256 or RSA, as PEM (PKCS#8, PKCS#1 or SEC 1) or in PKCS#12"
    )]
    NoKey,
    /// It is shut.
    #[error("the key is shut, and this is not its passphrase")]
    WrongPassphrase,
    /// Key and certificate are of two owners.
    #[error("the certificate is not that of this key")]
    OtherKey,
    /// Its time is over, or has not come.
    #[error("the certificate of {subject} is good from {from} to {to}, and it is {now}: nothing is signed with it")]
    OutOfTime {
        /// Whose.
        subject: String,
        /// Its first day.
        from: String,
        /// Its last day.
        to: String,
        /// Now.
        now: String,
    },
}

enum Private {
    Ecdsa(Box<p256::ecdsa::SigningKey>),
    Rsa(Box<pkcs1v15::SigningKey<Sha256>>),
}

enum Public {
    Ecdsa(Box<p256::ecdsa::VerifyingKey>),
    Rsa(Box<pkcs1v15::VerifyingKey<Sha256>>),
}

/// Who has signed, by their certificate.
pub struct PublicPdfKey {
    key: Public,
    pub(super) issuer_and_serial: Vec<u8>,
    /// Whose it says that it is.
    pub subject: String,
    /// Who says so.
    pub issuer: String,
    /// SHA-256 of the certificate, in hexadecimal digits.
    pub fingerprint: String,
    /// The time in which it is good.
    pub good: (Timestamp, Timestamp),
}

impl PublicPdfKey {
    /// By a certificate in DER.
    pub(super) fn of(certificate: &[u8]) -> Result<Self, BadPdfKey> {
        let parsed = Certificate::from_der(certificate).map_err(|_| BadPdfKey::NoCertificate)?;
        let tbs = parsed.tbs_certificate();
        let spki = tbs.subject_public_key_info().to_der().map_err(|_| BadPdfKey::NoCertificate)?;
        let ecdsa = <p256::ecdsa::VerifyingKey as p256::pkcs8::DecodePublicKey>::from_public_key_der(&spki);
        let key = match ecdsa {
            Ok(key) => Public::Ecdsa(key.into()),
            Err(_) => {
                let key = <rsa::PublicKey as rsa::pkcs8::DecodePublicKey>::from_public_key_der(&spki);
                Public::Rsa(Box::new(pkcs1v15::VerifyingKey::new(key.map_err(|_| BadPdfKey::NoKey)?)))
            }
        };
        let encoded = |value: der::Result<Vec<u8>>| value.map_err(|_| BadPdfKey::NoCertificate);
        let issuer_and_serial = sequence(&[&encoded(tbs.issuer().to_der())?, &encoded(tbs.serial_number().to_der())?]);
        let time = |t: &Time| Timestamp::from_second(t.to_unix_duration().as_secs() as i64).map_err(|_| BadPdfKey::NoCertificate);
        Ok(Self {
            key,
            issuer_and_serial,
            subject: common_name(tbs.subject()),
            issuer: common_name(tbs.issuer()),
            fingerprint: hex(&Sha256::digest(certificate)),
            good: (time(&tbs.validity().not_before)?, time(&tbs.validity().not_after)?),
        })
    }

    /// AlgorithmIdentifier of its signatures.
    pub(super) fn algorithm(&self) -> &'static [u8] {
        match self.key {
            Public::Ecdsa(_) => &[0x30, 0x0a, 6, 8, 0x2a, 0x86, 0x48, 0xce, 0x3d, 4, 3, 2],
            Public::Rsa(_) => &[0x30, 0x0d, 6, 9, 0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 1, 1, 0x0b, 5, 0],
        }
    }

    pub(super) fn verify(&self, message: &[u8], signature: &[u8]) -> bool {
        match &self.key {
            Public::Ecdsa(key) => p256::ecdsa::Signature::from_der(signature).is_ok_and(|s| key.verify(message, &s).is_ok()),
            Public::Rsa(key) => pkcs1v15::Signature::try_from(signature).is_ok_and(|s| key.verify(message, &s).is_ok()),
        }
    }
}

pub(super) fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// The common name, else the whole name.
pub(super) fn common_name(name: &Name) -> String {
    let whole = name.to_string();
    let (mut parts, mut escaped) = (vec![String::new()], false);
    for c in whole.chars() {
        match (c, escaped) {
            ('\\', false) => escaped = true,
            (',' | '+', false) => parts.push(String::new()),
            (c, _) => {
                escaped = false;
                parts.last_mut().expect("there is always a part").push(c);
            }
        }
    }
    let common = parts.iter().find_map(|p| p.trim().strip_prefix("CN="));
    common.unwrap_or(&whole).chars().filter(|c| !c.is_control()).take(120).collect()
}

/// A certificate with its key.
pub struct PdfKey {
    private: Private,
    public: PublicPdfKey,
    /// The signer's first, then those that vouch for it.
    certificates: Vec<Vec<u8>>,
}

impl std::fmt::Debug for PdfKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "PdfKey({})", self.public.subject)
    }
}

impl PdfKey {
    /// From certificates and a key in PEM.
    ///
    /// # Errors
    /// One of them is none, or they are of two owners.
    pub fn from_pem(certificates: &str, key: &str, passphrase: Option<&Passphrase>) -> Result<Self, BadPdfKey> {
        let chain = Certificate::load_pem_chain(certificates.as_bytes()).map_err(|_| BadPdfKey::NoCertificate)?;
        let certificates =
            chain.iter().map(|c| c.to_der()).collect::<der::Result<Vec<_>>>().map_err(|_| BadPdfKey::NoCertificate)?;
        Self::of(certificates, private_from_pem(key, passphrase)?)
    }

    /// From PKCS#12.
    ///
    /// # Errors
    /// It is none, is shut, or holds no key with its certificate.
    #[cfg(feature = "pkcs12")]
    pub fn from_pkcs12(bytes: &[u8], passphrase: Option<&Passphrase>) -> Result<Self, BadPdfKey> {
        use p12_keystore::{KeyStore, Pkcs12ImportPolicy};
        let open = |word: &str| KeyStore::from_pkcs12(bytes, word, Pkcs12ImportPolicy::Relaxed);
        let store = open(passphrase.map_or("", Passphrase::text))
            .map_err(|_| if bytes.first() == Some(&0x30) { BadPdfKey::WrongPassphrase } else { BadPdfKey::NoCertificate })?;
        let (_, chain) = store.private_key_chain().ok_or(BadPdfKey::NoKey)?;
        let certificates = chain.certs().iter().map(|c| c.as_der().to_vec()).collect();
        Self::of(certificates, private_from_der(chain.key().as_der())?)
    }

    /// Nothing: this program was built without PKCS#12. `openssl pkcs12 -in FILE -out FILE.pem` makes PEM of it.
    ///
    /// # Errors
    /// Always.
    #[cfg(not(feature = "pkcs12"))]
    pub fn from_pkcs12(_: &[u8], _: Option<&Passphrase>) -> Result<Self, BadPdfKey> {
        Err(BadPdfKey::NoPkcs12)
    }

    fn of(certificates: Vec<Vec<u8>>, private: Private) -> Result<Self, BadPdfKey> {
        let public = PublicPdfKey::of(certificates.first().ok_or(BadPdfKey::NoCertificate)?)?;
        let key = Self { private, public, certificates };
        // Found by trying: what it signs is what the certificate's key checks.
        let trial = key.sign(b"trial");
        if key.public.verify(b"trial", &trial) { Ok(key) } else { Err(BadPdfKey::OtherKey) }
    }

    /// A new certificate that nobody else vouches for, and its key, both in PEM: to try signing with.
    ///
    /// # Errors
    /// The name can't stand in a certificate.
    pub fn self_signed(name: &str, seed: [u8; 32], now: Timestamp, days: u32) -> Result<(String, String), BadPdfKey> {
        // Of those bytes no other number than one between 1 and the order of the curve is a key: a few are none.
        let mut seed = seed;
        let secret = loop {
            match p256::SecretKey::from_slice(&seed) {
                Ok(secret) => break secret,
                Err(_) => seed = Sha256::digest(seed).into(),
            }
        };
        let signer = p256::ecdsa::SigningKey::from(&secret);
        let wrong = |_| BadPdfKey::NoCertificate;
        let plain: String = name.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
        let escaped: String =
            plain.chars().flat_map(|c| if c.is_alphanumeric() || c == ' ' { vec![c] } else { vec!['\\', c] }).collect();
        let subject: Name = format!("CN={}", escaped.trim()).parse().map_err(wrong)?;
        let spki = SubjectPublicKeyInfoOwned::from_key(signer.verifying_key()).map_err(|_| BadPdfKey::NoKey)?;
        let at = |t: i64| -> Result<Time, BadPdfKey> {
            let since = std::time::Duration::from_secs(t.max(0) as u64);
            Ok(Time::GeneralTime(der::asn1::GeneralizedTime::from_unix_duration(since).map_err(wrong)?))
        };
        let from = now.as_second();
        let validity = Validity::new(at(from - 60)?, at(from + i64::from(days) * 86_400)?);
        let serial =
            SerialNumber::new(&[&[1], &Sha256::digest(signer.verifying_key().to_sec1_point(false).as_bytes())[..15]].concat());
        let builder = CertificateBuilder::new(SignsPapers(subject), serial.map_err(wrong)?, validity, spki);
        let certificate =
            builder.and_then(|b| b.build::<_, p256::ecdsa::DerSignature>(&signer)).map_err(|_| BadPdfKey::NoCertificate)?;
        let key = secret.to_pkcs8_pem(LineEnding::LF).map_err(|_| BadPdfKey::NoKey)?;
        Ok((certificate.to_pem(LineEnding::LF).map_err(wrong)?, key.to_string()))
    }

    /// Whether it may sign now.
    ///
    /// # Errors
    /// Its time is over or has not come.
    pub fn check_time(&self, now: Timestamp) -> Result<(), BadPdfKey> {
        let (from, to) = self.public.good;
        if (from..=to).contains(&now) {
            return Ok(());
        }
        let day = |t: Timestamp| t.strftime("%Y-%m-%d").to_string();
        Err(BadPdfKey::OutOfTime { subject: self.public.subject.clone(), from: day(from), to: day(to), now: day(now) })
    }

    /// Whose it is.
    pub fn public(&self) -> &PublicPdfKey {
        &self.public
    }

    pub(super) fn certificates(&self) -> &[Vec<u8>] {
        &self.certificates
    }

    pub(super) fn sign(&self, message: &[u8]) -> Vec<u8> {
        match &self.private {
            Private::Ecdsa(key) => {
                let signature: p256::ecdsa::Signature = key.sign(message);
                signature.to_der().as_bytes().to_vec()
            }
            Private::Rsa(key) => key.sign(message).to_vec(),
        }
    }
}

fn private_from_pem(text: &str, passphrase: Option<&Passphrase>) -> Result<Private, BadPdfKey> {
    let text = text.get(text.find("-----BEGIN").unwrap_or(0)..).unwrap_or_default();
    if text.contains("BEGIN ENCRYPTED PRIVATE KEY") {
        let (_, document) = der::SecretDocument::from_pem(text).map_err(|_| BadPdfKey::NoKey)?;
        let shut = pkcs8::EncryptedPrivateKeyInfoRef::try_from(document.as_bytes()).map_err(|_| BadPdfKey::NoKey)?;
        let word = passphrase.ok_or(BadPdfKey::WrongPassphrase)?;
        let open = shut.decrypt(word.text()).map_err(|_| BadPdfKey::WrongPassphrase)?;
        return private_from_der(open.as_bytes());
    }
    let ecdsa = p256::SecretKey::from_pkcs8_pem(text).or_else(|_| p256::SecretKey::from_sec1_pem(text).map_err(|_| ()));
    if let Ok(key) = ecdsa {
        return Ok(Private::Ecdsa(Box::new(key.into())));
    }
    let of_rsa = rsa::PrivateKey::from_pkcs8_pem(text).ok().or_else(|| rsa::PrivateKey::from_pkcs1_pem(text).ok());
    of_rsa.map(|key| Private::Rsa(Box::new(pkcs1v15::SigningKey::new(key)))).ok_or(BadPdfKey::NoKey)
}

fn private_from_der(pkcs8: &[u8]) -> Result<Private, BadPdfKey> {
    if let Ok(key) = p256::SecretKey::from_pkcs8_der(pkcs8) {
        return Ok(Private::Ecdsa(Box::new(key.into())));
    }
    let key = rsa::PrivateKey::from_pkcs8_der(pkcs8).map_err(|_| BadPdfKey::NoKey)?;
    Ok(Private::Rsa(Box::new(pkcs1v15::SigningKey::new(key))))
}

/// A certificate that signs papers and nothing else: it vouches for no other.
struct SignsPapers(Name);

impl BuilderProfile for SignsPapers {
    fn get_issuer(&self, subject: &Name) -> Name {
        subject.clone()
    }

    fn get_subject(&self) -> Name {
        self.0.clone()
    }

    fn build_extensions(
        &self,
        _: SubjectPublicKeyInfoRef<'_>,
        _: SubjectPublicKeyInfoRef<'_>,
        tbs: &TbsCertificate,
    ) -> x509_cert::builder::Result<Vec<Extension>> {
        let usage = KeyUsage(KeyUsages::DigitalSignature | KeyUsages::NonRepudiation);
        let none = BasicConstraints { ca: false, path_len_constraint: None };
        Ok(vec![none.to_extension(tbs.subject(), &[])?, usage.to_extension(tbs.subject(), &[])?])
    }
}
