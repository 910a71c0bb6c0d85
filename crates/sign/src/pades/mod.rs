//! Signatures inside papers, that PDF readers show (PAdES baseline B-B, ETSI EN 319 142-1): an incremental update of the file with a
//! signature over all of it. It works on papers as Jurex writes them, and what it finds must be, to the byte, what it would have written.

mod cms;
mod der;
mod key;
mod later;
mod value;
mod vouch;

pub use key::{BadPdfKey, PdfKey, PublicPdfKey};
pub use later::{BadLater, LaterSignature};
pub use vouch::{TrustedCertificate, Vouched, certificate_of, who_vouches};

use jiff::Timestamp;
use sha2::{Digest, Sha256};

/// Bytes of a signature that there is room for, as hexadecimal digits twice that.
const ROOM: usize = 8192;
/// What the signature is for.
const REASON: &str = "What stands on this paper";

/// Why a paper can't be signed, or its signature does not hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadPdfSignature {
    /// Not a paper of Jurex.
    #[error("it is no paper as Jurex writes them, and can't be signed")]
    NoPaper,
    /// The certificates are too many.
    #[error("the certificates are larger than there is room for in a paper")]
    NoRoom,
    /// It is not that of these bytes.
    #[error("the signature in the paper is not that of its bytes: it has been altered after it was signed")]
    Altered,
}

/// What was found behind a paper.
pub struct PdfSignatures<'p> {
    /// The paper without any signature.
    pub paper: &'p [u8],
    /// The signature that Jurex has made, if it has.
    pub own: Option<PdfSignature>,
    /// What others have added since, in order; the first that can't be followed is the last.
    pub later: Vec<Result<LaterSignature, BadLater>>,
}

/// A signature that was found right.
pub struct PdfSignature {
    /// Who has signed.
    pub by: PublicPdfKey,
    /// When, by the signer's clock.
    pub when: Timestamp,
    /// The signer's certificate, and those that it brought along, in DER. Nobody has vouched for them yet.
    pub certificates: Vec<Vec<u8>>,
}

/// One object of a paper: its number, and what stands between `obj` and `endobj`.
struct PdfObject {
    number: u32,
    body: String,
}

/// What has to be known of a paper to add to it.
struct Paper {
    page: PdfObject,
    catalog: PdfObject,
    tree: PdfObject,
    document: PdfObject,
    /// Numbers that are taken.
    size: u32,
    root: String,
    info: String,
    id: String,
    start: u64,
}

fn find(bytes: &[u8], what: &[u8]) -> Option<usize> {
    bytes.windows(what.len()).position(|w| w == what)
}

fn rfind(bytes: &[u8], what: &[u8]) -> Option<usize> {
    bytes.windows(what.len()).rposition(|w| w == what)
}

/// What stands between `before` and `after` the last time.
fn between<'t>(text: &'t str, before: &str, after: &str) -> Option<&'t str> {
    text.rsplit_once(before)?.1.split_once(after).map(|(found, _)| found)
}

impl Paper {
    fn of(pdf: &[u8]) -> Option<Self> {
        let trailer = std::str::from_utf8(&pdf[rfind(pdf, b"trailer\n")?..]).ok()?;
        let object = |what: &[u8]| -> Option<PdfObject> {
            let at = find(pdf, what)?;
            let head = rfind(&pdf[..at], b" 0 obj\n")?;
            let line = rfind(&pdf[..head], b"\n")? + 1;
            let end = at + find(&pdf[at..], b"\nendobj")?;
            let number = std::str::from_utf8(&pdf[line..head]).ok()?.parse().ok()?;
            Some(PdfObject { number, body: std::str::from_utf8(&pdf[head + 7..end]).ok()?.into() })
        };
        Some(Self {
            page: object(b"/Type/Page/")?,
            catalog: object(b"/Type/Catalog")?,
            tree: object(b"/Type/StructTreeRoot")?,
            document: object(b"/S/Document/P")?,
            size: between(trailer, "/Size ", "/")?.parse().ok()?,
            root: between(trailer, "/Root ", "/")?.into(),
            info: between(trailer, "/Info ", "/")?.into(),
            id: between(trailer, "/ID[", "(").map(|_| between(trailer, "/ID[", "]"))??.into(),
            start: between(trailer, "startxref\n", "\n")?.parse().ok()?,
        })
    }

    /// The objects of the update, but for the signature's own.
    fn changed(&self) -> Option<Vec<PdfObject>> {
        let (signature, field, form) = (self.size, self.size + 1, self.size + 2);
        let put = |object: &PdfObject, before: &str, more: String| -> Option<PdfObject> {
            let at = object.body.rfind(before)?;
            let body = format!("{}{more}{}", &object.body[..at], &object.body[at..]);
            Some(PdfObject { number: object.number, body })
        };
        let next: u32 = between(&self.tree.body, "/ParentTreeNextKey ", ">>")?.parse().ok()?;
        let tree = put(&self.tree, "]>>/ParentTreeNextKey", format!(" {next} {form} 0 R"))?;
        let tree = PdfObject { body: tree.body.replace(&format!("NextKey {next}"), &format!("NextKey {}", next + 1)), ..tree };
        let words = "Signature";
        Some(vec![
            PdfObject {
                number: field,
                body: format!(
                    "<</Type/Annot/Subtype/Widget/FT/Sig/T({words})/TU({words})/F 132/Rect[0 0 0 0]/P {} 0 R/V {signature} 0 R/StructParent {next}>>",
                    self.page.number
                ),
            },
            PdfObject {
                number: form,
                body: format!(
                    "<</Type/StructElem/S/Form/P {} 0 R/Alt({words})/K<</Type/OBJR/Obj {field} 0 R/Pg {} 0 R>>>>",
                    self.document.number, self.page.number
                ),
            },
            put(&self.page, ">>", format!("/Annots[{field} 0 R]"))?,
            put(&self.catalog, ">>", format!("/AcroForm<</Fields[{field} 0 R]/SigFlags 3>>"))?,
            tree,
            put(&self.document, "]>>", format!(" {form} 0 R"))?,
        ])
    }
}

/// A text as PDF takes it in any language: UTF-16 with a mark at its beginning, in hexadecimal digits.
fn pdf_text(text: &str) -> String {
    let units = std::iter::once(0xfeff).chain(text.encode_utf16());
    format!("<{}>", units.map(|u| format!("{u:04X}")).collect::<String>())
}

/// The paper with the update, its signature still empty, and where the signature's digits go.
fn prepare(pdf: &[u8], name: &str, when: Timestamp) -> Option<(Vec<u8>, std::ops::Range<usize>)> {
    let paper = Paper::of(pdf)?;
    let mut out = pdf.to_vec();
    let mut places: Vec<(u32, usize)> = vec![];
    let time = when.strftime("D:%Y%m%d%H%M%SZ");
    places.push((paper.size, out.len()));
    out.extend(
        format!(
            "{} 0 obj\n<</Type/Sig/Filter/Adobe.PPKLite/SubFilter/ETSI.CAdES.detached/M({time})/Name{}/Reason{}/ByteRange[",
            paper.size,
            pdf_text(name),
            pdf_text(REASON)
        )
        .bytes(),
    );
    let range_at = out.len();
    out.extend([b' '; 44]);
    out.extend(b"]/Contents");
    let gap = out.len();
    out.push(b'<');
    out.extend(std::iter::repeat_n(b'0', 2 * ROOM));
    out.extend(b">>>\nendobj\n");
    let gap = gap..gap + 2 * ROOM + 2;
    for object in paper.changed()? {
        places.push((object.number, out.len()));
        out.extend(format!("{} 0 obj\n{}\nendobj\n", object.number, object.body).bytes());
    }
    places.sort_unstable();
    let start = out.len();
    out.extend(b"xref\n");
    for run in places.chunk_by(|a, b| a.0 + 1 == b.0) {
        out.extend(format!("{} {}\n", run[0].0, run.len()).bytes());
        run.iter().for_each(|(_, at)| out.extend(format!("{at:010} 00000 n \n").bytes()));
    }
    let second = jurex_id(&out[pdf.len()..start]);
    let first = paper.id.split_inclusive(')').next()?;
    let Paper { size, root, info, start: before, .. } = paper;
    out.extend(
        format!(
            "trailer\n<</Size {}/Root {root}/Info {info}/ID[{first}<{second}>]/Prev {before}>>\nstartxref\n{start}\n%%EOF\n",
            size + 3
        )
        .bytes(),
    );
    let range = format!("0 {} {} {}", gap.start, gap.end, out.len() - gap.end);
    out[range_at..range_at + range.len()].copy_from_slice(range.as_bytes());
    Some((out, gap))
}

/// The second half of a file's id: of what was added.
fn jurex_id(added: &[u8]) -> String {
    Sha256::digest(added)[..16].iter().map(|b| format!("{b:02x}")).collect()
}

fn digest(pdf: &[u8], gap: &std::ops::Range<usize>) -> [u8; 32] {
    Sha256::new().chain_update(&pdf[..gap.start]).chain_update(&pdf[gap.end..]).finalize().into()
}

fn fill(pdf: &mut [u8], gap: &std::ops::Range<usize>, cms: &[u8]) {
    let digits: String = cms.iter().map(|b| format!("{b:02x}")).collect();
    pdf[gap.start + 1..gap.start + 1 + digits.len()].copy_from_slice(digits.as_bytes());
}

/// Signs a paper.
///
/// # Errors
/// It is none of Jurex, or the certificates are too large.
pub fn sign_pdf(pdf: &[u8], key: &PdfKey, when: Timestamp) -> Result<Vec<u8>, BadPdfSignature> {
    let (mut out, gap) = prepare(pdf, &key.public().subject, when).ok_or(BadPdfSignature::NoPaper)?;
    let cms = cms::sign(&digest(&out, &gap), key);
    if cms.len() > ROOM {
        return Err(BadPdfSignature::NoRoom);
    }
    fill(&mut out, &gap, &cms);
    Ok(out)
}

/// The signatures in a paper; `None`: it has none, and nothing else was added.
///
/// # Errors
/// What follows the paper is none, or does not hold.
pub fn check_pdf(pdf: &[u8]) -> Option<Result<PdfSignatures<'_>, BadPdfSignature>> {
    let end = find(pdf, b"%%EOF").map(|at| at + 5)?;
    let is_signed = !matches!(pdf[end..], [] | [b'\n']);
    is_signed.then(|| {
        // A line end after it is the paper's own, or there is none.
        let own = [end, end + 1].into_iter().find_map(|end| Some((end, check_after(pdf, end)?)));
        if let Some((end, (signature, over))) = own {
            let later = later::follow(pdf, over);
            return Ok(PdfSignatures { paper: &pdf[..end], own: Some(signature), later });
        }
        let end = if pdf.get(end) == Some(&b'\n') { end + 1 } else { end };
        let later = later::follow(pdf, end);
        if later.iter().all(Result::is_ok) {
            Ok(PdfSignatures { paper: &pdf[..end], own: None, later })
        } else {
            Err(BadPdfSignature::Altered)
        }
    })
}

/// The bytes of hexadecimal digits, two of each.
fn bytes_of(digits: &[u8]) -> Option<Vec<u8>> {
    let pairs = digits.chunks(2).map(|pair| std::str::from_utf8(pair).ok().filter(|p| p.len() == 2));
    pairs.map(|pair| u8::from_str_radix(pair?, 16).ok()).collect()
}

/// The signature that Jurex has put behind the paper, and where it ends.
fn check_after(pdf: &[u8], end: usize) -> Option<(PdfSignature, usize)> {
    let (paper, added) = pdf.split_at_checked(end)?;
    let from = find(added, b"/Contents<")? + 10;
    let digits = added.get(from..from + 2 * ROOM)?;
    let bytes = bytes_of(digits)?;
    // As long as it says that it is; what follows is empty.
    let mut reader = der::DerReader(&bytes);
    let cms = reader.next(0x30)?.1;
    let time = between(std::str::from_utf8(added.get(..from)?).ok()?, "/M(D:", "Z)")?;
    let when = jiff::civil::DateTime::strptime("%Y%m%d%H%M%S", time).ok()?.to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp();
    let by = cms::signer(cms)?;
    let (mut again, gap) = prepare(paper, &by.subject, when)?;
    if !cms::is_of(cms, &digest(&again, &gap), &by) {
        return None;
    }
    fill(&mut again, &gap, cms);
    let signature = PdfSignature { by, when, certificates: cms::certificates(cms) };
    pdf.starts_with(&again).then_some((signature, again.len()))
}

#[cfg(test)]
mod tests;
