//! The keys of a bench, and those of others that it trusts: files of their owner alone.

use crate::jwk::{BadKey, PublicKey};
use crate::pades::{TrustedCertificate, certificate_of};
pub use crate::passphrase::Passphrase;
use crate::{decode, encode};
use ed25519_dalek::SigningKey;
use ed25519_dalek::pkcs8::spki::der::pem::LineEnding;
use ed25519_dalek::pkcs8::{DecodePrivateKey, EncodePrivateKey, KeypairBytes};
use jiff::Timestamp;
use pkcs8::pkcs5::pbes2;
use pkcs8::{EncryptedPrivateKeyInfoRef, PrivateKeyInfoRef};
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::os::unix::fs::{DirBuilderExt, PermissionsExt};
use std::path::{Path, PathBuf};
use zeroize::Zeroizing;

/// A key that signs. Its bytes are wiped when it is dropped.
pub struct PrivateKey(pub(crate) SigningKey);

impl std::fmt::Debug for PrivateKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "PrivateKey({})", self.public().id())
    }
}

impl PrivateKey {
    /// Of these random bytes.
    pub fn from_seed(seed: [u8; 32]) -> Self {
        Self(SigningKey::from_bytes(&seed))
    }

    /// The key that others check with.
    pub fn public(&self) -> PublicKey {
        PublicKey(self.0.verifying_key())
    }
}

/// Why something could not be done with keys.
#[derive(Debug, thiserror::Error)]
pub enum KeyError {
    /// The folder or a file of it.
    #[error("cannot use the key file {path}: {cause}")]
    File {
        /// Which.
        path: String,
        /// The system's words.
        cause: std::io::Error,
    },
    /// What is there is no key.
    #[error("the key file {path} is damaged: {why}")]
    Damaged {
        /// Which.
        path: String,
        /// What is wrong.
        why: String,
    },
    /// Others than its owner may read it or write to it.
    #[error(
        "the key file {path} may be read or written by others (mode {mode:03o}): it may be known to them. Make a new key, or chmod 600 it if nobody else could have read it"
    )]
    OthersMay {
        /// Which.
        path: String,
        /// Its rights.
        mode: u32,
    },
    /// None of that id.
    #[error("there is no key {0} here; `jurex keys list` shows those that are")]
    NoKey(String),
    /// Several begin so.
    #[error("{0} keys begin with that: name more of its id")]
    Several(usize),
    /// It is shut.
    #[error("key {0} is shut by a passphrase")]
    Shut(String),
    /// Not with this one.
    #[error("that is not the passphrase of key {0}")]
    WrongPassphrase(String),
    /// A public key that is none.
    #[error(transparent)]
    BadKey(#[from] BadKey),
    /// No random bytes.
    #[error("the system gives no random bytes for a key: {0}")]
    NoRandom(getrandom::Error),
}

/// Whose a key is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Whose {
    /// This bench's own: it signs.
    Own,
    /// Another's, whose signatures are taken for theirs.
    Trusted,
}

/// What is known of a key. Its file beside the private one, and the only one of a trusted key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct KeyInfo {
    /// What people call it.
    pub name: String,
    /// Whose it is.
    pub whose: Whose,
    /// When it was made, or taken in.
    pub made: Timestamp,
    /// Since when it signs no more; what it has signed before stays signed.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub retired: Option<Timestamp>,
    /// The key itself, as JWK.
    jwk: serde_json::Value,
    /// Whether its private file is shut by a passphrase.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub shut: bool,
}

impl KeyInfo {
    /// The key.
    ///
    /// # Errors
    /// Its file was altered.
    pub fn key(&self) -> Result<PublicKey, BadKey> {
        PublicKey::parse(&self.jwk.to_string())
    }

    /// Its id.
    pub fn id(&self) -> String {
        self.jwk["kid"].as_str().unwrap_or_default().to_string()
    }
}

/// A certificate that people here trust: the public half of what signs papers, or of one that vouches for such.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CertificateInfo {
    /// What people call it.
    pub name: String,
    /// Whose name stands in it.
    pub subject: String,
    /// SHA-256 of it, in hexadecimal digits.
    pub fingerprint: String,
    /// When it was taken in.
    pub made: Timestamp,
    /// Since when it is not trusted any more; what was signed before stays signed.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub retired: Option<Timestamp>,
    /// The certificate, in base64.
    der: String,
}

impl CertificateInfo {
    /// As signatures are checked with it; `None`: its file was altered.
    pub fn trusted(&self) -> Option<TrustedCertificate> {
        let (der, _, fingerprint) = certificate_of(&decode(&self.der)?)?;
        let retired = self.retired;
        (fingerprint == self.fingerprint).then(|| TrustedCertificate { name: self.name.clone(), der, retired })
    }
}

/// A key that signatures are checked with.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KnownKey {
    /// What people call it.
    pub name: String,
    /// The key.
    pub key: PublicKey,
    /// Since when it signs no more.
    pub retired: Option<Timestamp>,
}

/// A folder of keys.
#[derive(Clone, Debug)]
pub struct KeyStore {
    folder: PathBuf,
}

impl KeyStore {
    /// The keys in that folder, which need not be there yet.
    pub fn new(folder: &Path) -> Self {
        Self { folder: folder.into() }
    }

    fn path(&self, id: &str, ending: &str) -> PathBuf {
        self.folder.join(format!("{id}.{ending}"))
    }

    /// Makes a key of that name, shut by `passphrase` if there is one.
    ///
    /// # Errors
    /// A full disk, no rights, no random bytes.
    pub fn make(&self, name: &str, passphrase: Option<&Passphrase>, made: Timestamp) -> Result<KeyInfo, KeyError> {
        let mut seed = Zeroizing::new([0; 32]);
        getrandom::fill(seed.as_mut()).map_err(KeyError::NoRandom)?;
        let key = PrivateKey::from_seed(*seed);
        let path = self.path(&key.public().id(), "key.pem");
        let damaged = |why: String| KeyError::Damaged { path: path.display().to_string(), why };
        // Without the public key beside it: that is a younger form, which openssl does not read.
        let alone = KeypairBytes { secret_key: *seed, public_key: None };
        let plain = alone.to_pkcs8_der().map_err(|e| damaged(e.to_string()))?;
        let pem = match passphrase {
            None => plain.to_pem("PRIVATE KEY", LineEnding::LF).map_err(|e| damaged(e.to_string()))?,
            Some(passphrase) => {
                let info = PrivateKeyInfoRef::try_from(plain.as_bytes()).map_err(|e| damaged(e.to_string()))?;
                let shut =
                    info.encrypt_with_params(shutting()?, passphrase.text().as_bytes()).map_err(|e| damaged(e.to_string()))?;
                shut.to_pem("ENCRYPTED PRIVATE KEY", LineEnding::LF).map_err(|e| damaged(e.to_string()))?
            }
        };
        let jwk = key.public().to_jwk();
        let info = KeyInfo { name: name.into(), whose: Whose::Own, made, retired: None, jwk, shut: passphrase.is_some() };
        self.write(&path, pem.as_bytes())?;
        self.put(&info)?;
        Ok(info)
    }

    /// Takes in the public key of another bench, whose signatures are taken for theirs from now on.
    ///
    /// # Errors
    /// No key, a full disk, no rights.
    pub fn trust(&self, name: &str, text: &str, made: Timestamp) -> Result<KeyInfo, KeyError> {
        let key = PublicKey::parse(text)?;
        if let Some(known) = self.all()?.into_iter().find(|k| k.id() == key.id()) {
            return Ok(known);
        }
        let info = KeyInfo { name: name.into(), whose: Whose::Trusted, made, retired: None, jwk: key.to_jwk(), shut: false };
        self.put(&info)?;
        Ok(info)
    }

    /// Every key, the newest first.
    ///
    /// # Errors
    /// A folder that can't be read, or a damaged file.
    pub fn all(&self) -> Result<Vec<KeyInfo>, KeyError> {
        Ok(self.look()?.0)
    }

    /// Files of keys that can't be used, each with its reason: they keep no other key from being used.
    ///
    /// # Errors
    /// A folder that can't be read.
    pub fn broken(&self) -> Result<Vec<KeyError>, KeyError> {
        let mut broken = self.look()?.1;
        broken.extend(self.look_at_certificates()?.1);
        Ok(broken)
    }

    fn look(&self) -> Result<(Vec<KeyInfo>, Vec<KeyError>), KeyError> {
        let (mut keys, broken) = self.read_all(".info.json", read_info)?;
        keys.sort_by(|a, b| b.made.cmp(&a.made).then_with(|| a.id().cmp(&b.id())));
        Ok((keys, broken))
    }

    /// What signatures are checked with, the newest first.
    ///
    /// # Errors
    /// As [`KeyStore::all`], or a file that was altered.
    pub fn known(&self) -> Result<Vec<KnownKey>, KeyError> {
        let known = |info: KeyInfo| Ok(KnownKey { name: info.name.clone(), key: info.key()?, retired: info.retired });
        self.all()?.into_iter().map(known).collect()
    }

    /// Takes in a certificate (PEM or DER): papers that it signs, or for whose signer it vouches, are taken for theirs from now on.
    ///
    /// # Errors
    /// No certificate, a full disk, no rights.
    pub fn trust_certificate(&self, name: &str, bytes: &[u8], made: Timestamp) -> Result<CertificateInfo, KeyError> {
        let (der, subject, fingerprint) = certificate_of(bytes).ok_or(BadKey::NoKey)?;
        if let Some(known) = self.certificates()?.into_iter().find(|c| c.fingerprint == fingerprint) {
            return Ok(known);
        }
        let info = CertificateInfo { name: name.into(), subject, fingerprint, made, retired: None, der: encode(&der) };
        self.put_certificate(&info)?;
        Ok(info)
    }

    /// Every trusted certificate, the newest first; broken files are among [`KeyStore::broken`].
    ///
    /// # Errors
    /// A folder that can't be read.
    pub fn certificates(&self) -> Result<Vec<CertificateInfo>, KeyError> {
        Ok(self.look_at_certificates()?.0)
    }

    fn look_at_certificates(&self) -> Result<(Vec<CertificateInfo>, Vec<KeyError>), KeyError> {
        let (mut found, broken) = self.read_all(".certificate.json", read_certificate)?;
        found.sort_by(|a, b| b.made.cmp(&a.made).then_with(|| a.fingerprint.cmp(&b.fingerprint)));
        Ok((found, broken))
    }

    /// A certificate is not trusted any more since then.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn retire_certificate(&self, info: &CertificateInfo, since: Timestamp) -> Result<CertificateInfo, KeyError> {
        let retired = CertificateInfo { retired: Some(earlier(info.retired, since)), ..info.clone() };
        self.put_certificate(&retired)?;
        Ok(retired)
    }

    fn put_certificate(&self, info: &CertificateInfo) -> Result<(), KeyError> {
        let text = serde_json::to_string_pretty(info).expect("what is known of a certificate can be written");
        self.write(&self.path(&info.fingerprint, "certificate.json"), text.as_bytes())
    }

    /// What files of the folder hold whose names end so, and why some of them hold nothing.
    fn read_all<T>(&self, ending: &str, read: fn(&Path) -> Result<T, KeyError>) -> Result<(Vec<T>, Vec<KeyError>), KeyError> {
        let failed = |cause| KeyError::File { path: self.folder.display().to_string(), cause };
        let entries = match std::fs::read_dir(&self.folder) {
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok((vec![], vec![])),
            entries => entries.map_err(failed)?,
        };
        let (mut found, mut broken) = (vec![], vec![]);
        for entry in entries {
            let path = entry.map_err(failed)?.path();
            if path.to_string_lossy().ends_with(ending) {
                match read(&path) {
                    Ok(one) => found.push(one),
                    Err(why) => broken.push(why),
                }
            }
        }
        Ok((found, broken))
    }

    /// The key whose id, or name, begins so.
    ///
    /// # Errors
    /// None, or several.
    pub fn find(&self, beginning: &str) -> Result<KeyInfo, KeyError> {
        let mut all = self.all()?;
        if let Some(exact) = all.iter().position(|k| k.id() == beginning || k.name == beginning) {
            return Ok(all.swap_remove(exact));
        }
        let mut fitting: Vec<KeyInfo> = all.into_iter().filter(|k| k.id().starts_with(beginning)).collect();
        match fitting.len() {
            0 => Err(KeyError::NoKey(beginning.chars().filter(|c| !c.is_control()).take(60).collect())),
            1 => Ok(fitting.remove(0)),
            n => Err(KeyError::Several(n)),
        }
    }

    /// The key that signs now: the newest of one's own that is not retired.
    ///
    /// # Errors
    /// As [`KeyStore::all`].
    pub fn signing(&self) -> Result<Option<KeyInfo>, KeyError> {
        Ok(self.all()?.into_iter().find(|k| k.whose == Whose::Own && k.retired.is_none()))
    }

    /// Opens the private key.
    ///
    /// # Errors
    /// None of that id, shut, or not by this passphrase.
    pub fn open(&self, info: &KeyInfo, passphrase: Option<&Passphrase>) -> Result<PrivateKey, KeyError> {
        let path = self.path(&info.id(), "key.pem");
        let shown = path.display().to_string();
        let text = read_key(&path).map_err(|cause| KeyError::File { path: shown.clone(), cause })?;
        let mode = std::fs::metadata(&path).map_err(|cause| KeyError::File { path: shown.clone(), cause })?.permissions().mode();
        if mode & 0o077 != 0 {
            return Err(KeyError::OthersMay { path: shown, mode: mode & 0o777 });
        }
        let damaged = |why: &str| KeyError::Damaged { path: shown.clone(), why: why.into() };
        let text = Zeroizing::new(text);
        let key = if text.contains("ENCRYPTED PRIVATE KEY") {
            let Some(passphrase) = passphrase else { return Err(KeyError::Shut(info.id())) };
            let (_, der) = pkcs8::SecretDocument::from_pem(&text).map_err(|e| damaged(&e.to_string()))?;
            let shut = EncryptedPrivateKeyInfoRef::try_from(der.as_bytes()).map_err(|e| damaged(&e.to_string()))?;
            let plain = shut.decrypt(passphrase.text().as_bytes()).map_err(|_| KeyError::WrongPassphrase(info.id()))?;
            SigningKey::from_pkcs8_der(plain.as_bytes()).map_err(|_| KeyError::WrongPassphrase(info.id()))?
        } else {
            SigningKey::from_pkcs8_pem(&text).map_err(|e| damaged(&e.to_string()))?
        };
        let key = PrivateKey(key);
        if key.public().id() != info.id() {
            return Err(damaged("it is another key than its name says"));
        }
        Ok(key)
    }

    /// A key signs no more since then; of two times the earlier counts.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn retire(&self, info: &KeyInfo, since: Timestamp) -> Result<KeyInfo, KeyError> {
        let retired = KeyInfo { retired: Some(earlier(info.retired, since)), ..info.clone() };
        self.put(&retired)?;
        Ok(retired)
    }

    fn put(&self, info: &KeyInfo) -> Result<(), KeyError> {
        let text = serde_json::to_string_pretty(info).expect("what is known of a key can be written");
        self.write(&self.path(&info.id(), "info.json"), text.as_bytes())
    }

    /// Writes a file for its owner alone, whole or not at all.
    fn write(&self, path: &Path, bytes: &[u8]) -> Result<(), KeyError> {
        let run = || -> std::io::Result<()> {
            std::fs::DirBuilder::new().recursive(true).mode(0o700).create(&self.folder)?;
            std::fs::set_permissions(&self.folder, std::fs::Permissions::from_mode(0o700))?;
            // Temporary files are their owner's alone already.
            let mut file = tempfile::NamedTempFile::new_in(&self.folder)?;
            file.write_all(bytes)?;
            file.as_file().sync_all()?;
            file.persist(path)?;
            std::fs::File::open(&self.folder)?.sync_all()
        };
        run().map_err(|cause| KeyError::File { path: path.display().to_string(), cause })
    }
}

/// How a key is shut: PBES2 (RFC 8018) with AES-256-CBC, and PBKDF2 of so many rounds, which openssl opens as it comes.
fn shutting() -> Result<pbes2::Parameters, KeyError> {
    const ROUNDS: u32 = 600_000;
    let (mut salt, mut start) = ([0; 16], [0; 16]);
    getrandom::fill(&mut salt).and_then(|()| getrandom::fill(&mut start)).map_err(KeyError::NoRandom)?;
    let parameters = pbes2::Parameters::generate_pbkdf2_sha256_aes256cbc(ROUNDS, &salt, start);
    Ok(parameters.expect("a salt of 16 bytes and these rounds are within what the format takes"))
}

/// The text of a plain file that may hold a key: nothing else is waited for, nor read whole.
fn read_key(path: &Path) -> std::io::Result<String> {
    use std::io::Read;
    const MOST: u64 = 64 << 10;
    if !std::fs::metadata(path)?.is_file() {
        return Err(std::io::Error::other("it is no plain file"));
    }
    let mut text = String::new();
    std::fs::File::open(path)?.take(MOST).read_to_string(&mut text)?;
    Ok(text)
}

fn earlier(before: Option<Timestamp>, since: Timestamp) -> Timestamp {
    before.map_or(since, |before| before.min(since))
}

fn read_json<T: serde::de::DeserializeOwned>(path: &Path) -> Result<T, KeyError> {
    let shown = path.display().to_string();
    let text = read_key(path).map_err(|cause| KeyError::File { path: shown.clone(), cause })?;
    serde_json::from_str(&text).map_err(|e| KeyError::Damaged { path: shown, why: e.to_string() })
}

fn read_certificate(path: &Path) -> Result<CertificateInfo, KeyError> {
    let shown = path.display().to_string();
    let info: CertificateInfo = read_json(path)?;
    let named = path.file_name().is_some_and(|n| n == format!("{}.certificate.json", info.fingerprint).as_str());
    match info.trusted() {
        Some(_) if named => Ok(info),
        _ => Err(KeyError::Damaged { path: shown, why: "it is not the certificate that its name says".into() }),
    }
}

fn read_info(path: &Path) -> Result<KeyInfo, KeyError> {
    let shown = path.display().to_string();
    let info: KeyInfo = read_json(path)?;
    let key = info.key().map_err(|e| KeyError::Damaged { path: shown.clone(), why: e.to_string() })?;
    if path.file_name().is_some_and(|n| n == format!("{}.info.json", key.id()).as_str()) {
        Ok(info)
    } else {
        Err(KeyError::Damaged { path: shown, why: "its name is not the id of its key".into() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Signed, sign};

    fn at(second: i64) -> Timestamp {
        Timestamp::from_second(second).unwrap()
    }

    fn mode(path: &Path) -> u32 {
        std::fs::metadata(path).unwrap().permissions().mode() & 0o777
    }

    #[test]
    fn a_key_that_others_may_read_signs_nothing_and_a_broken_file_keeps_no_other_key_from_signing() {
        let dir = tempfile::tempdir().unwrap();
        let store = KeyStore::new(&dir.path().join("keys"));
        let key = store.make("Bench 2", None, at(1)).unwrap();
        std::fs::write(store.path("ab12", "info.json"), "{ no key").unwrap();
        std::os::unix::fs::symlink("/dev/zero", store.path("cd34", "info.json")).unwrap();
        assert_eq!(store.signing().unwrap(), Some(key.clone()));
        assert_eq!(store.broken().unwrap().len(), 2, "and both are told");
        assert!(store.open(&key, None).is_ok());
        let path = store.path(&key.id(), "key.pem");
        for others in [0o640, 0o604, 0o602] {
            std::fs::set_permissions(&path, std::fs::Permissions::from_mode(others)).unwrap();
            assert!(matches!(store.open(&key, None), Err(KeyError::OthersMay { .. })), "{others:o}");
        }
    }

    #[test]
    fn keys_are_made_turned_over_and_what_an_old_one_signed_stays_signed() {
        let dir = tempfile::tempdir().unwrap();
        let store = KeyStore::new(&dir.path().join("keys"));
        assert!(store.signing().unwrap().is_none() && store.all().unwrap().is_empty());
        let first = store.make("Bench 2", None, at(1)).unwrap();
        let signed = sign("{}", &store.open(&first, None).unwrap());
        assert_eq!((mode(&store.folder), mode(&store.path(&first.id(), "key.pem"))), (0o700, 0o600));
        let second = store.make("Bench 2, from May on", None, at(2)).unwrap();
        assert_eq!(store.signing().unwrap(), Some(second.clone()), "the newest signs");
        store.retire(&second, at(3)).unwrap();
        assert_eq!(store.signing().unwrap(), Some(first.clone()));
        store.retire(&first, at(4)).unwrap();
        assert!(store.signing().unwrap().is_none());
        let known = store.find(&first.id()[..8]).unwrap();
        assert!(known.retired == Some(at(4)) && store.find("Bench 2").unwrap().id() == first.id());
        assert!(Signed::parse(&signed).unwrap().check(&known.key().unwrap()).is_ok());
        assert!(matches!(store.find("no such"), Err(KeyError::NoKey(_))));
        assert!(matches!(store.find(""), Err(KeyError::Several(2))));
    }

    #[test]
    fn a_shut_key_opens_by_its_passphrase_alone_and_openssl_reads_it() {
        let dir = tempfile::tempdir().unwrap();
        let store = KeyStore::new(dir.path());
        let passphrase = Passphrase::new("ebb and flood\n");
        let key = store.make("Bench 2", Some(&passphrase), at(1)).unwrap();
        assert!(matches!(store.open(&key, None), Err(KeyError::Shut(_))));
        assert!(matches!(store.open(&key, Some(&Passphrase::new("ebb"))), Err(KeyError::WrongPassphrase(_))));
        assert_eq!(store.open(&key, Some(&passphrase)).unwrap().public().id(), key.id());
        assert_eq!(format!("{passphrase:?}"), "..");
        let path = store.path(&key.id(), "key.pem");
        let openssl = std::process::Command::new("openssl")
            .args(["pkey", "-passin", "pass:ebb and flood", "-pubout", "-in"])
            .arg(&path)
            .output();
        match openssl {
            Ok(told) => {
                assert!(told.status.success(), "{}", String::from_utf8_lossy(&told.stderr));
                assert_eq!(String::from_utf8_lossy(&told.stdout), key.key().unwrap().to_pem());
            }
            Err(e) => assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, no openssl: {e}"),
        }
    }

    #[test]
    fn another_benchs_key_is_trusted_once_and_altered_files_are_told() {
        let dir = tempfile::tempdir().unwrap();
        let (ours, theirs) = (KeyStore::new(&dir.path().join("ours")), KeyStore::new(&dir.path().join("theirs")));
        let key = theirs.make("Holm Sound", None, at(1)).unwrap();
        let taken = ours.trust("Holm Sound", &key.key().unwrap().to_pem(), at(2)).unwrap();
        assert_eq!((taken.whose, taken.id()), (Whose::Trusted, key.id()));
        assert_eq!(ours.trust("again", &key.key().unwrap().to_jwk().to_string(), at(3)).unwrap(), taken);
        assert!(ours.signing().unwrap().is_none(), "what is trusted does not sign here");
        assert!(matches!(ours.open(&taken, None), Err(KeyError::File { .. })));
        assert!(matches!(ours.trust("none", "nonsense", at(3)), Err(KeyError::BadKey(BadKey::NoKey))));
        let info = ours.path(&taken.id(), "info.json");
        let text = std::fs::read_to_string(&info).unwrap();
        let other = theirs.make("Gull Ness", None, at(5)).unwrap();
        let x = |k: &KeyInfo| k.key().unwrap().to_jwk()["x"].as_str().unwrap().to_string();
        std::fs::write(&info, text.replace(&x(&taken), &x(&other))).unwrap();
        assert!(matches!(&ours.broken().unwrap()[..], [KeyError::Damaged { .. }]), "a key under another's id");
        std::fs::write(&info, text.replace(&x(&taken), &x(&other)).replace(&taken.id(), &other.id())).unwrap();
        assert!(matches!(&ours.broken().unwrap()[..], [KeyError::Damaged { .. }]), "a key in another's file");
        std::fs::write(theirs.path(&other.id(), "key.pem"), std::fs::read(theirs.path(&key.id(), "key.pem")).unwrap()).unwrap();
        assert!(matches!(theirs.open(&other, None), Err(KeyError::Damaged { .. })), "another private key in its place");
    }
}
