//! `jurex check FILE…`: whether what a file says can be believed, and what it says.

use super::say;
use crate::cli::CheckArgs;
use jiff::Timestamp;
use jurex_disposition::lot::{StandWord, Statement};
use jurex_disposition::proof::{NoStanding, SecondCheck, VerificationRecord};
use jurex_disposition::release::{Act, BadRelease, Release, in_force};
use jurex_documents::{
    Code, House, LedgerEntry, NoAttachment, Print, attached, attached_anyhow, is_as_printed, is_as_printed_of_destruction,
    is_as_printed_of_less, is_as_printed_of_lot,
};
use jurex_file_erase::{BadFileEraseRecord, FileEraseRecord};
use jurex_ledger::Ledger;
use jurex_past::{Inclusion, TreeHead};
use jurex_pattern::text::{printable, shown_path};
use jurex_pattern::units::{counted, size};
use jurex_sanitize::record::{BELIEVED, BadRecord, JobId, Record};
use jurex_sanitize::rules::Outcome;
use jurex_sign::{
    BadLater, KeyStore, KnownKey, LaterSignature, PdfSignature, PdfSignatures, PublicKey, Signed, SignedHead, TrustedCertificate,
    Vouched, certificate_of, check_pdf, who_vouches,
};
use jurex_station::app_paths::AppPaths;
use jurex_station::config::Config;
use jurex_station::disk::{FEW_LINES, read_bounded, read_small};
use jurex_station::exit::Failure;
use jurex_station::signing::standing;
use std::path::PathBuf;
use std::process::ExitCode;

/// What came of looking at one file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum FileVerdict {
    /// Everything that could be checked holds.
    Good,
    /// Something could not be checked.
    Unchecked,
    /// It was made so, and was withdrawn or contradicted since.
    Overtaken,
    /// Something is altered or contradicts itself.
    Altered,
}

/// The sentences about a file, and what they come to.
struct FileFindings {
    held: FileVerdict,
    lines: Vec<String>,
    /// The record that it is of: job, outcome, digest.
    record: Option<(JobId, Outcome, String)>,
    /// What of it only somebody's signature could vouch for: fields, and what they tell.
    believed: &'static [(&'static str, &'static str)],
    /// When it says itself that it was made.
    made: Option<Timestamp>,
    /// The key whose signature is right under it, or under the head that it stands in.
    signed_by: Option<String>,
}

/// Whom people here trust.
struct TrustedHere {
    keys: Vec<KnownKey>,
    certificates: Vec<TrustedCertificate>,
}

impl TrustedHere {
    /// The keys and certificates of the folder, the certificate with which papers are signed here, and the keys that were named.
    fn find(places: &AppPaths, named: &[PathBuf]) -> Result<Self, Failure> {
        let store = KeyStore::new(&places.keys());
        let mut keys = store.known()?;
        for file in named {
            let text = read_small(file, FEW_LINES);
            let text = text.map_err(|e| Failure::Use(format!("cannot read the key {}: {e}", shown_path(file))))?;
            let key = PublicKey::parse(&text).map_err(|e| Failure::Use(format!("{}: {e}", shown_path(file))))?;
            keys.push(KnownKey { name: shown_path(file), key, retired: None });
        }
        let mut certificates: Vec<_> = store.certificates()?.iter().filter_map(|c| c.trusted()).collect();
        // A configuration that can't be read says nothing about whom papers are signed by.
        let own = Config::read(&places.config_file()).ok().and_then(|config| config.pdf_certificate);
        let own = own.and_then(|file| read_bounded(&file, FEW_LINES).ok()).and_then(|bytes| certificate_of(&bytes));
        certificates.extend(own.map(|(der, ..)| TrustedCertificate {
            name: "the configuration here".into(),
            der,
            retired: None,
        }));
        Ok(Self { keys, certificates })
    }

    fn key(&self, id: &str) -> Option<&KnownKey> {
        self.keys.iter().find(|known| known.key.id() == id)
    }
}

impl FileFindings {
    fn new() -> Self {
        Self { held: FileVerdict::Good, lines: vec![], record: None, believed: &[], made: None, signed_by: None }
    }

    /// What of a record that nobody has signed has to be believed as it stands there.
    fn tell_believed(&mut self) {
        if !self.believed.is_empty() {
            self.good(
                "believe",
                "nobody vouches for these, and nothing here can compute them; what is said above follows from them:",
            );
        }
        self.believed.iter().for_each(|(fields, what)| self.good("", &format!("{fields}: {what}")));
    }

    /// What is to be said of a key that is right and was retired: what it signed before, by the time that stands in the text, stays good.
    fn tell_retired(&mut self, known: &KnownKey) {
        let Some(retired) = known.retired else { return };
        let id = known.key.id();
        match self.made {
            Some(made) if made <= retired => {
                self.good("", &format!("that key was retired on {retired}: what it signed before stays good, and this says that it was made on {made}"));
            }
            Some(made) => {
                let said =
                    format!("key {id} was retired on {retired}, and this says that it was made on {made}: it counts for nothing");
                self.note(FileVerdict::Overtaken, "signature", &said);
            }
            None => {
                self.note(
                    FileVerdict::Unchecked,
                    "signature",
                    &format!("key {id} was retired on {retired}, and this tells no time"),
                );
            }
        }
    }

    fn good(&mut self, what: &str, said: &str) {
        self.lines.push(format!("  {what:<10} {said}"));
    }

    fn note(&mut self, held: FileVerdict, what: &str, said: &str) {
        self.held = self.held.max(held);
        self.lines.push(format!("✕ {what:<10} {said}"));
    }
}

impl FileFindings {
    /// Whether it is what the code of a paper names.
    fn compare(&mut self, code: &Code) {
        match &self.record {
            Some((job, outcome, digest)) if (job, outcome, digest) == (&code.job, &code.outcome, &code.digest) => {
                self.good("code", "the code of the paper is of this record");
            }
            _ => {
                let said = format!(
                    "the code of the paper is of another record: job {}, {}, digest {}",
                    code.job, code.outcome, code.digest
                );
                self.note(FileVerdict::Altered, "code", &said);
            }
        }
        let Some(named) = code.key_id.as_deref() else { return };
        let shown = printable(named.as_bytes());
        match self.signed_by.as_deref() {
            Some(by) if by == named => self.good("", "and the key that it names is the one whose signature is right here"),
            Some(by) => {
                let said = format!("the code names key {shown}, and what is here is signed by key {}", printable(by.as_bytes()));
                self.note(FileVerdict::Altered, "code", &said);
            }
            None => {
                let said = format!(
                    "the code names key {shown}, and nothing here is signed by a key that is known: ask for the signed record"
                );
                self.note(FileVerdict::Unchecked, "code", &said);
            }
        }
    }
}

pub(crate) fn run(asked: &CheckArgs) -> Result<ExitCode, Failure> {
    let known = TrustedHere::find(&AppPaths::find()?, &asked.key)?;
    let code = asked.qr.as_deref().map(|text| text.parse::<Code>().map_err(|e| Failure::Use(e.to_string()))).transpose()?;
    let mut worst = FileVerdict::Good;
    for file in &asked.file {
        let bytes = read_bounded(file, 512 << 20).map_err(|e| Failure::Use(format!("cannot read {}: {e}", shown_path(file))))?;
        let mut found = look(&bytes, &known);
        code.iter().for_each(|code| found.compare(code));
        worst = worst.max(tell(&shown_path(file), &found));
    }
    if let Some(code) = code.filter(|_| asked.file.is_empty()) {
        worst = worst.max(tell("the code", &code_alone(&code, &AppPaths::find()?, &known)?));
    }
    Ok(if worst == FileVerdict::Good { ExitCode::SUCCESS } else { ExitCode::from(3) })
}

fn tell(name: &str, found: &FileFindings) -> FileVerdict {
    let word = match found.held {
        FileVerdict::Good => "good",
        FileVerdict::Unchecked => "not all of it could be checked",
        FileVerdict::Overtaken => "it does not hold any more",
        FileVerdict::Altered => "altered, or it contradicts itself",
    };
    say(&format!("{name}: {word}"));
    found.lines.iter().for_each(|line| say(line));
    found.held
}

/// A code with no file: what it claims, and whether the ledger here bears it out.
fn code_alone(code: &Code, places: &AppPaths, known: &TrustedHere) -> Result<FileFindings, Failure> {
    let mut found = FileFindings::new();
    found.good("job", code.job.as_str());
    found.good("claims", &code.outcome.to_string());
    found.good("digest", &code.digest);
    match &code.key_id {
        None => found.good("key", "none: nobody vouches for it"),
        Some(id) => match known.key(id) {
            Some(key) => found.good("key", &format!("{id} ({})", key.name)),
            None => found.good("key", &format!("{id}, which is not known here")),
        },
    }
    let path = places.ledger();
    let record = if path.exists() { Ledger::open_to_read(&path)?.record(&code.job).ok() } else { None };
    match record {
        None => found.note(
            FileVerdict::Unchecked,
            "ledger",
            "its record is not in the ledger here: a code by itself proves nothing. Ask for the file",
        ),
        Some(record) if record.digest() == code.digest && record.claim().outcome() == code.outcome => {
            found.good("ledger", "the newest record of that job in the ledger here has this digest and this outcome");
        }
        Some(record) => {
            let said = format!(
                "the newest record of that job in the ledger here says {}, digest {}: the code is of another, or has been altered",
                record.claim().outcome(),
                record.digest()
            );
            found.note(FileVerdict::Altered, "ledger", &said);
        }
    }
    Ok(found)
}

fn look(bytes: &[u8], known: &TrustedHere) -> FileFindings {
    let mut found = FileFindings::new();
    if bytes.starts_with(b"%PDF-") {
        paper(bytes, known, &mut found);
        return found;
    }
    let Ok(text) = std::str::from_utf8(bytes) else {
        found.note(FileVerdict::Altered, "file", "it is no text, and no certificate of Jurex");
        return found;
    };
    if text.trim_start().starts_with("{\"payload\"") || text.contains("\"signature\"") && text.contains("\"protected\"") {
        signed(text, known, &mut found);
    } else if text.starts_with("c2sp.org/tlog-proof") {
        proof_alone(text, known, &mut found);
    } else if content(text, &mut found) {
        found.good("signature", UNSIGNED);
        found.tell_believed();
    }
    found
}

const DEMONSTRATION: &str = "DEMONSTRATION: the drive is simulated. It says nothing about any real media";

const UNSIGNED: &str = "none: anybody could have made it. The signed record beside it tells who vouches for it";

/// A certificate or report: what it was made from, and whether the paper is what is printed of that.
fn paper(pdf: &[u8], known: &TrustedHere, found: &mut FileFindings) {
    let (bytes, signatures, wrong) = match check_pdf(pdf) {
        None => (pdf, None, None),
        Some(Ok(signatures)) => (signatures.paper, Some(signatures), None),
        // Without its signature it may still tell whose record is attached.
        Some(Err(why)) => (pdf, None, Some(why)),
    };
    let attached = attached(bytes).or_else(|why| attached_anyhow(pdf).map_err(|_| why));
    if let Some(why) = wrong {
        let rewritten = attached.as_ref().is_ok_and(|attached| attached.rewritten);
        let held = if rewritten { FileVerdict::Unchecked } else { FileVerdict::Altered };
        found.note(held, "signature", &why.to_string());
    }
    let attached = match attached {
        Ok(attached) => attached,
        Err(why @ NoAttachment::None) => return found.note(FileVerdict::Unchecked, "paper", &why.to_string()),
        Err(why @ NoAttachment::Damaged) => return found.note(FileVerdict::Altered, "paper", &why.to_string()),
    };
    let house = match attached.house.as_deref().map(House::from_attached).transpose() {
        Ok(house) => house.unwrap_or_default(),
        Err(why) => return found.note(FileVerdict::Altered, "paper", &format!("how it is printed can't be read from it: {why}")),
    };
    let (is_right, version) = if is_release(&attached.record) {
        let Some(release) = release(&attached.record, found) else { return };
        (is_as_printed_of_destruction(bytes, &release, &house), release.tool.version)
    } else if is_less(&attached.record) {
        let Some(less) = less(&attached.record, found) else { return };
        (is_as_printed_of_less(bytes, &less, &house), less.asked.tool.version)
    } else if is_statement(&attached.record) {
        let Some(statement) = statement(&attached.record, found) else { return };
        (is_as_printed_of_lot(bytes, &statement, &house), statement.tool.version)
    } else {
        let Some(record) = record(&attached.record, found) else { return };
        let standing = attached.proof.as_deref().and_then(|text| proof(text, Some(&record), known, found));
        let Some(verifications) = second_checks(&attached.verifications, &record, found) else { return };
        let print = Print { house, standing, verifications };
        (is_as_printed(bytes, &record, &print), record.tool.version)
    };
    if attached.rewritten {
        let said = "another program has written this file anew: it is no paper as it was printed, and whether what it shows is what was printed can't be told. The record that is attached to it was judged; ask for the paper as it was written";
        found.note(FileVerdict::Unchecked, "paper", said);
    } else if is_right {
        found.good("paper", "to the byte what this version prints of the record that is attached to it");
    } else if version == env!("CARGO_PKG_VERSION") {
        found.note(
            FileVerdict::Altered,
            "paper",
            "it is not what is printed of the record that is attached to it: the paper has been altered",
        );
    } else {
        let said = format!(
            "it was printed by version {} of Jurex, which this is not: only the record that is attached to it could be checked",
            printable(version.as_bytes())
        );
        found.note(FileVerdict::Unchecked, "paper", &said);
    }
    match signatures {
        None => {
            found.good("signature", UNSIGNED);
            // A head that is signed covers the record's every byte.
            if found.signed_by.is_none() {
                found.tell_believed();
            }
        }
        Some(PdfSignatures { own, later, .. }) => {
            own.iter().for_each(|signature| signature_inside(signature, known, found));
            for (before, signature) in (usize::from(own.is_some())..).zip(later) {
                later_signature(signature, before, known, found);
            }
        }
    }
}

/// A signature that somebody has put behind the paper with another program, and behind so many others.
fn later_signature(signature: Result<LaterSignature, BadLater>, before: usize, known: &TrustedHere, found: &mut FileFindings) {
    let signature = match signature {
        Ok(signature) => signature,
        Err(why @ BadLater::Unsigned) => return found.note(FileVerdict::Unchecked, "signature", &why.to_string()),
        Err(why) => return found.note(FileVerdict::Altered, "signature", &why.to_string()),
    };
    let subject = signature.certificates.first().and_then(|der| certificate_of(der)).map(|(_, subject, print)| (subject, print));
    let (subject, print) = subject.unwrap_or_default();
    let over =
        if before == 0 { "the paper".to_string() } else { format!("the paper and {}", counted(before as u64, "signature")) };
    let when = signature
        .when
        .map_or_else(|| "at a time that it does not tell".into(), |when| format!("at {when} by the signer's clock"));
    found.good("signature", &format!("one more by another program, right, of {over}, {when}"));
    found.good("", &format!("the certificate says: {}; its fingerprint {print}", printable(subject.as_bytes())));
    if signature.shows {
        found.note(
            FileVerdict::Unchecked,
            "paper",
            "with that signature something is shown on a page that is not of the paper as it was printed",
        );
    }
    match signature.when {
        Some(when) => vouched(&signature.certificates, when, known, found),
        None => {
            found.note(FileVerdict::Unchecked, "signature", "without its time nobody can say whether its certificate was good");
        }
    }
}

/// Who has signed inside the paper, and who vouches for that name.
fn signature_inside(signature: &PdfSignature, known: &TrustedHere, found: &mut FileFindings) {
    let PdfSignature { by, when, certificates } = signature;
    let shown = |text: &str| printable(text.as_bytes());
    found.good("signature", &format!("inside the paper, of these bytes, at {when} by the signer's clock"));
    found.good("", &format!("the certificate says: {}; its fingerprint {}", shown(&by.subject), by.fingerprint));
    let (from, to) = by.good;
    if !(from..=to).contains(when) {
        found.note(FileVerdict::Altered, "signature", &format!("its certificate was good from {from} to {to}, and not then"));
    }
    vouched(certificates, *when, known, found);
}

/// Who stands behind a signature of that time.
fn vouched(certificates: &[Vec<u8>], when: Timestamp, known: &TrustedHere, found: &mut FileFindings) {
    let shown = |text: &str| printable(text.as_bytes());
    match who_vouches(certificates, &known.certificates, when) {
        Vouched::By { name, through, retired } => {
            let through = if through.is_empty() { String::new() } else { format!(", through {}", shown(&through.join(", "))) };
            let said = format!("vouched for by {}, which is trusted here{through}", shown(&name));
            match retired {
                None => found.good("", &said),
                Some(since) if when <= since => {
                    found.good("", &format!("{said} until {since}: what was signed before stays good"));
                }
                Some(since) => {
                    found.note(FileVerdict::Overtaken, "signature", &format!("{said} until {since} only: this was signed later"));
                }
            }
        }
        Vouched::Nobody { why } => {
            let why = why.map(|why| format!(" ({})", shown(&why))).unwrap_or_default();
            let said = format!(
                "by a certificate that nobody here trusts{why}: anybody can have made one of that name. Take its root in, once you know whose it is (jurex keys trust FILE)"
            );
            found.note(FileVerdict::Unchecked, "signature", &said);
        }
    }
}

/// The second checks that are attached to a paper of that record; `None`: one of them can't be read.
fn second_checks(texts: &[String], record: &Record, found: &mut FileFindings) -> Option<Vec<VerificationRecord>> {
    let mut checks = vec![];
    for text in texts {
        match VerificationRecord::from_json(text) {
            Ok(check) => checks.push(check),
            Err(why) => {
                found.note(FileVerdict::Altered, "verified", &why.to_string());
                return None;
            }
        }
    }
    for check in &checks {
        let said = format!("a second time by {}: {}", printable(check.look.by.name.as_bytes()), check.finding());
        match check.has_standing(record) {
            Ok(()) => found.good("verified", &said),
            Err(NoStanding::OtherJob) => {
                found.note(FileVerdict::Altered, "verified", "a verification that is attached to it is of another job");
            }
            Err(why) => {
                found.note(FileVerdict::Altered, "verified", &format!("{said}, which says nothing of this record: {why}"));
            }
        }
    }
    if let SecondCheck::Contradicted { ended } = SecondCheck::of(record, &checks) {
        let said = format!("CONTRADICTED by the second check of {ended}: what the record claims does not hold any more");
        found.note(FileVerdict::Overtaken, "verified", &said);
    }
    Some(checks)
}

/// That a record stands in a ledger; without the record only what it says.
fn proof_alone(text: &str, known: &TrustedHere, found: &mut FileFindings) {
    if proof(text, None, known, found).is_some() {
        let said = "by itself it tells only that something stands there: check it together with its record, as it is attached to the paper";
        found.good("record", said);
    }
}

/// A proof that `record` stands in a ledger, taken apart and checked.
fn proof(text: &str, record: Option<&Record>, known: &TrustedHere, found: &mut FileFindings) -> Option<LedgerEntry> {
    let taken_apart = || -> Result<(Inclusion, SignedHead), String> {
        let proof = Inclusion::parse(text).map_err(|e| e.to_string())?;
        let head = SignedHead::parse(&proof.note).map_err(|e| e.to_string())?;
        let of = TreeHead { size: head.size, root: head.root };
        let leads = record.map_or_else(|| proof.check_alone(&of), |r| proof.check(r.job.as_str(), &r.digest(), &of));
        leads.map_err(|e| e.to_string()).map(|()| (proof, head))
    };
    let (proof, head) = match taken_apart() {
        Ok(both) => both,
        Err(why) => {
            found.note(FileVerdict::Altered, "ledger", &why);
            return None;
        }
    };
    let id = printable(head.key_id().as_bytes());
    let place = format!("entry {} of {} in the ledger", proof.place + 1, head.size);
    match known.key(head.key_id()).map(|known| (known, head.check(&known.key))) {
        None => {
            found.note(FileVerdict::Unchecked, "ledger", &format!("{place}, under a head by key {id}, which is not known here"));
        }
        Some((known, Ok(()))) => {
            found.good("ledger", &format!("{place}, under a head signed by key {id} ({})", known.name));
            found.signed_by = Some(head.key_id().into());
            found.tell_retired(known);
        }
        Some((_, Err(why))) => {
            found.note(FileVerdict::Altered, "ledger", &why.to_string());
            return None;
        }
    }
    standing(&proof)
}

/// A signed file: the signature, and what is under it.
fn signed(text: &str, known: &TrustedHere, found: &mut FileFindings) {
    let signed = match Signed::parse(text) {
        Ok(signed) => signed,
        Err(why) => return found.note(FileVerdict::Altered, "signature", &why.to_string()),
    };
    let id = printable(signed.key_id().as_bytes());
    let by = known.key(signed.key_id());
    match by {
        None => {
            let said = format!(
                "by key {id}, which is not known here: nobody can say whether the text is as it was signed. Ask whoever signed it for the public key, and name it with --key, or trust it (jurex keys trust)"
            );
            found.note(FileVerdict::Unchecked, "signature", &said);
        }
        Some(known) => match signed.check(&known.key) {
            Ok(_) => {
                found.good("signature", &format!("right, by key {id} ({})", known.name));
                found.signed_by = Some(signed.key_id().into());
            }
            Err(why) => return found.note(FileVerdict::Altered, "signature", &why.to_string()),
        },
    }
    content(signed.unchecked(), found);
    by.into_iter().for_each(|known| found.tell_retired(known));
}

/// A record, a verification record, or a statement of a lot, by itself. Whether it holds by itself.
fn content(text: &str, found: &mut FileFindings) -> bool {
    if text.contains("\"jurex-verification/") {
        verification(text, found);
    } else if is_statement(text) {
        statement(text, found);
    } else if is_release(text) {
        release(text, found);
    } else if is_less(text) {
        less(text, found);
    } else {
        record(text, found);
    }
    found.held == FileVerdict::Good
}

fn is_statement(text: &str) -> bool {
    text.contains("\"format\":\"jurex-lot/")
}

fn is_release(text: &str) -> bool {
    text.contains("\"format\":\"jurex-release/")
}

fn is_less(text: &str) -> bool {
    text.contains("\"format\":\"jurex-files/")
}

/// What is told of files that were erased, or of free space that was filled.
fn less(text: &str, found: &mut FileFindings) -> Option<FileEraseRecord> {
    let record = match FileEraseRecord::from_json(text) {
        Ok(record) => record,
        Err(why) => {
            let held =
                if matches!(why, BadFileEraseRecord::OtherFormat(_)) { FileVerdict::Unchecked } else { FileVerdict::Altered };
            found.note(held, "record", &why.to_string());
            return None;
        }
    };
    if record.to_json() != text.trim_end() {
        found.note(FileVerdict::Altered, "record", "it is not in the canonical form: a byte of it has been changed");
    }
    let shown = |text: &str| printable(text.as_bytes());
    found.made = Some(record.asked.ended);
    found.good("work", &format!("{}, ended {}", record.asked.job, record.asked.ended));
    found.good("of", &shown(&record.what()));
    found.good("claims", "no outcome: it is no sanitization of the drive");
    record.results().iter().for_each(|said| found.good("", &shown(said)));
    if !record.asked.by.name.is_empty() {
        found.good("by", &shown(&record.asked.by.name));
    }
    found.good("digest", &record.digest());
    found.believed = &jurex_file_erase::BELIEVED;
    Some(record)
}

/// What is stated of a drive: where it went, or how it was destroyed.
fn release(text: &str, found: &mut FileFindings) -> Option<Release> {
    let release = match Release::from_json(text) {
        Ok(release) => release,
        Err(why @ (BadRelease::OtherFormat(_) | BadRelease::OtherRules(_))) => {
            found.note(FileVerdict::Unchecked, "statement", &why.to_string());
            return None;
        }
        Err(why) => {
            found.note(FileVerdict::Altered, "statement", &why.to_string());
            return None;
        }
    };
    if release.to_json() != text.trim_end() {
        found.note(FileVerdict::Altered, "statement", "it is not in the canonical form: a byte of it has been changed");
    }
    let shown = |text: &str| printable(text.as_bytes());
    if release.drive.simulated {
        found.good("demo", DEMONSTRATION);
    }
    found.made = Some(release.made);
    found.good("drive", &shown(&release.drive.called()));
    found.good("says", &shown(&release.act.sentence()));
    found.good("stated", &format!("{} by {}", release.made, shown(&release.by)));
    if let Some(claim) = release.claim() {
        found.good("claims", &claim.outcome().to_string());
        claim.reasons().iter().chain(claim.limits()).for_each(|r| found.good("", &shown(&r.sentence())));
    }
    found.good("digest", &release.digest());
    if let Some(withdrawal) = withdrawn_here(&release) {
        let (when, by) = (withdrawal.made, shown(&withdrawal.by));
        found.note(
            FileVerdict::Overtaken,
            "ledger",
            &format!("withdrawn here on {when} by {by}. {}", shown(&withdrawal.act.sentence())),
        );
    }
    Some(release)
}

/// What withdraws it in the ledger here, if there is one, and that statement is in it.
fn withdrawn_here(release: &Release) -> Option<Release> {
    let path = AppPaths::find().ok()?.ledger_for(release.drive.simulated);
    let ledger = path.exists().then(|| Ledger::open_to_read(&path).ok())??;
    let known = ledger.known_of(release.drive.unit.serial(), release.job.as_ref()).ok()??;
    let digest = release.digest();
    let withdraws = |r: &&Release| matches!(&r.act, Act::Withdrawn { statement, .. } if *statement == digest);
    in_force(&known.releases).into_iter().find(withdraws).cloned()
}

/// What is stated of a lot.
fn statement(text: &str, found: &mut FileFindings) -> Option<Statement> {
    let statement = match Statement::from_json(text) {
        Ok(statement) => statement,
        Err(why) => {
            found.note(FileVerdict::Altered, "lot", &why.to_string());
            return None;
        }
    };
    if statement.to_json() != text.trim_end() {
        found.note(FileVerdict::Altered, "lot", "it is not in the canonical form: a byte of it has been changed");
    }
    if statement.is_demonstration() {
        found.good("demo", DEMONSTRATION);
    }
    found.made = Some(statement.made);
    found.good("lot", &format!("{}, stated {}", printable(statement.lot.as_bytes()), statement.made));
    found.good("stands", &statement.tally().sentence());
    let failed = statement.lines().iter().filter(|l| l.stand != StandWord::Done);
    failed.take(6).for_each(|l| {
        found.good("not done", &format!("{}: {}", printable(l.serial.as_bytes()), printable(l.because.as_bytes())));
    });
    found.good("records", "each drive's own record has to be checked by itself: the statement names its digest");
    found.good("digest", &statement.digest());
    Some(statement)
}

fn record(text: &str, found: &mut FileFindings) -> Option<Record> {
    let record = match Record::from_json(text) {
        Ok(record) => record,
        Err(why) => {
            let held = match why {
                BadRecord::OtherFormat(_) | BadRecord::OtherRules(_) => FileVerdict::Unchecked,
                BadRecord::NotARecord(_)
                | BadRecord::Unsound(_)
                | BadRecord::OtherJob(_)
                | BadRecord::ClaimDoesNotFollow { .. } => FileVerdict::Altered,
            };
            found.note(held, "record", &why.to_string());
            return None;
        }
    };
    if record.to_json() != text.trim_end() {
        found.note(
            FileVerdict::Altered,
            "record",
            "it is not in the canonical form in which records are written: a byte of it has been changed",
        );
    }
    let evidence = record.evidence();
    let drive = evidence.drive();
    if drive.simulated {
        found.good("demo", DEMONSTRATION);
    }
    found.made = Some(record.ended);
    found.good("job", &format!("{}, ended {}", record.job, record.ended));
    found.good(
        "drive",
        &format!("{} (serial {}), {}", drive.called(), drive.unit.serial().unwrap_or("none"), size(evidence.geometry().bytes())),
    );
    found.good("outcome", &format!("{}, which follows from its evidence by {}", record.claim().outcome(), record.rule_set()));
    record.claim().reasons().iter().for_each(|r| found.good("because", &r.sentence()));
    record.claim().limits().iter().for_each(|r| found.good("but", &r.sentence()));
    found.good("proof", &record.confidence());
    evidence.size().iter().for_each(|size| found.good("size", &size.sentence()));
    record.other_rules().iter().for_each(|said| found.good("rules", said));
    record.ledger_doubts.iter().for_each(|said| found.note(FileVerdict::Unchecked, "ledger", &printable(said.as_bytes())));
    let people = record.papers();
    if !people.technician.name.is_empty() {
        found.good("by", &printable(people.technician.name.as_bytes()));
    }
    found.good("digest", &record.digest());
    found.record = Some((record.job.clone(), record.claim().outcome(), record.digest()));
    found.believed = &BELIEVED;
    Some(record)
}

fn verification(text: &str, found: &mut FileFindings) {
    match VerificationRecord::from_json(text) {
        Err(why) => found.note(FileVerdict::Altered, "record", &why.to_string()),
        Ok(record) => {
            if record.to_json() != text.trim_end() {
                found.note(FileVerdict::Altered, "record", "it is not in the canonical form: a byte of it has been changed");
            }
            found.made = Some(record.look.ended);
            found.good("finding", &record.finding().to_string());
            record.look.of.iter().for_each(|of| found.good("of", &format!("job {}, its record's digest {}", of.job, of.digest)));
            record.sentences().iter().for_each(|s| found.good("found", s));
            found.believed = &jurex_disposition::proof::BELIEVED;
        }
    }
}
