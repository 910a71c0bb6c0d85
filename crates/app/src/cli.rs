//! Arguments, as the commands' contract names them.

use clap::builder::{PossibleValuesParser, TypedValueParser};
use clap::{Args, Parser, Subcommand};
use jurex_device::media::MediaClass;
use jurex_disposition::release::How;
use jurex_documents::LabelSize;
use jurex_sanitize::need::Sensitivity;
use jurex_sanitize::plan::HowMuch;
use jurex_station::config::ThemeName;
use jurex_station::order::{OrderArgs, yes_no};
use jurex_station::release::Becomes;
use std::ffi::OsString;
use std::path::PathBuf;

/// Overwrites every addressable sector of a drive, or lets it erase itself by its own command; verifies it, and reports it to
/// NIST SP 800-88.
///
/// Without a command: the terminal interface on this machine's drives. Nothing is ever erased by default.
#[derive(Debug, Parser)]
#[command(name = "jurex", version, max_term_width = 100)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Option<AppCommand>,
    /// How the interface looks (default: the configuration's, else dark)
    #[arg(long, value_enum, global = true)]
    pub(crate) theme: Option<ThemeName>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum AppCommand {
    /// The interface on a simulated bench, to learn and to try
    Demo(Demo),
    /// Every drive of this machine, with the guard's verdict
    Drives(TableArgs),
    /// One drive: identity, contents, ways to sanitize it
    Look(LookArgs),
    /// What is needed, and which techniques of this drive reach it
    Plan(Box<PlanArgs>),
    /// The library of methods, or one of them
    Methods(Methods),
    /// Plan, check, erase, verify, and write record and certificate
    Erase(Box<EraseArgs>),
    /// Write an image that starts a computer into Jurex onto a stick, through the guard and the label check, and add a partition for records
    StartMedium(StartMediumArgs),
    /// Erase the drives that a list names, and no others: the list, approved by a person, is the label check
    Unattended(UnattendedArgs),
    /// Take away the password that a broken-off SECURITY ERASE UNIT has left, or end a failure mode; erases nothing
    Unlock(Unlock),
    /// Write the files of a past job again
    Certificate(Certificate),
    /// Read a drive again by what a record says lies there, or by what you expect; nothing is written to it
    Prove(Prove),
    /// Search a drive for what a person could still use; nothing is written to it
    Residue(ResidueArgs),
    /// The keys that sign records, and those of others that are trusted
    Keys(Keys),
    /// Whether a record, a signed record or a certificate can be believed, and what it claims
    Check(CheckArgs),
    /// Past work: found again, told, given out; whether the ledger is as it was written; copies of it
    Ledger(LedgerArgs),
    /// The JSON Schema of what is written
    Schema(Schema),
    /// Notices to people who are elsewhere: try them, see which wait
    Notice(NoticeArgs),
    /// Lots: which drives are expected, what is done, what is missing
    Lot(LotArgs),
    /// What becomes of a drive: made ready for its next user, destroyed, put away, handed over; noted in the ledger
    Release(Box<ReleaseArgs>),
    /// Labels to stick on drives
    Label(LabelArgs),
    /// Erase single files and folders, and look what really became of them on the medium; never a sanitization of the drive
    Files(Box<FilesArgs>),
    /// Fill the free space of a file system in use, and look what it holds then; never a sanitization of the drive
    Free(FreeArgs),
    /// Where a drive is, and what was done to it; without a serial: every drive that somebody must still see to
    Where(WhereArgs),
}

#[derive(Debug, Args)]
pub(crate) struct ReleaseArgs {
    /// The drive: a block device, an image file, sim:BAY, a job, serial:TEXT for one that answers no more, or batch:NAME for all that went
    /// to a service with that batch; several at once, where nothing is written to them
    #[arg(required = true)]
    pub(crate) of: Vec<OsString>,
    /// What becomes of it
    #[arg(long = "as", value_enum, value_name = "WHAT")]
    pub(crate) becomes: Becomes,
    /// Who says so (default: the technician of the configuration)
    #[arg(long, value_name = "NAME")]
    pub(crate) by: Option<String>,
    /// received: from whom it came
    #[arg(long, value_name = "NAME")]
    pub(crate) from: Option<String>,
    /// returned, handed-over: to whom it goes
    #[arg(long, value_name = "NAME")]
    pub(crate) to: Option<String>,
    /// stored: shelf or box; at-bench: the bench; destroyed: where
    #[arg(long, value_name = "TEXT")]
    pub(crate) place: Option<String>,
    /// sent-out, destroyed: the service outside that destroys it
    #[arg(long, value_name = "NAME")]
    pub(crate) service: Option<String>,
    /// sent-out: the batch that it goes with; destroyed: the batch of drives that it was destroyed with
    #[arg(long, value_name = "NAME")]
    pub(crate) batch: Option<String>,
    /// destroyed outside: the number of the service's certificate
    #[arg(long, value_name = "NUMBER")]
    pub(crate) certificate: Option<String>,
    /// destroyed: what was done
    #[arg(long, value_name = "WAY", value_parser = how())]
    pub(crate) how: Option<How>,
    /// destroyed: the largest piece that is left, in millimetres
    #[arg(long, value_name = "MM")]
    pub(crate) pieces: Option<f64>,
    /// degaussed: the degausser's field in oersted
    #[arg(long, value_name = "OERSTED")]
    pub(crate) field: Option<u32>,
    /// degaussed: the drive's coercivity in oersted
    #[arg(long, value_name = "OERSTED")]
    pub(crate) coercivity: Option<u32>,
    /// degaussed: you state that the degausser is rated for this drive, which is neither hybrid nor heat-assisted
    #[arg(long)]
    pub(crate) rated: bool,
    /// destroyed: the machine
    #[arg(long, value_name = "NAME")]
    pub(crate) machine: Option<String>,
    /// destroyed: who did it (default: who says so)
    #[arg(long, value_name = "NAME")]
    pub(crate) done_by: Option<String>,
    /// destroyed: who saw it
    #[arg(long, value_name = "NAME")]
    pub(crate) witness: Option<String>,
    /// destroyed: a photograph; its digest is kept
    #[arg(long, value_name = "FILE")]
    pub(crate) photo: Option<PathBuf>,
    /// serial:TEXT: the class of media, where no drive has told it
    #[arg(long, value_name = "CLASS", value_parser = class())]
    pub(crate) class: Option<MediaClass>,
    /// prepared: the partition table
    #[arg(long, value_enum, default_value = "gpt")]
    pub(crate) table: TableKind,
    /// prepared: a volume as SYSTEM[:LABEL[:SIZE]], for example fat32:TIDES or ext4:logs:32GB; systems: fat32, exfat, ext4, ntfs
    #[arg(long, value_name = "VOLUME")]
    pub(crate) volume: Vec<String>,
    /// prepared: of a hundred parts those that stay unallocated (solid state: 10, it works longer and faster with room; else 0)
    #[arg(long, value_name = "PERCENT")]
    pub(crate) spare: Option<u8>,
    /// blank, prepared: tell the drive first that all its sectors are unused, so that it is fast for its next user; no erasure
    #[arg(long)]
    pub(crate) discard: bool,
    /// Where something is written, and where a destruction is stated: the last six characters of the drive's serial number, read from the
    /// drive itself. Not asked for a drive that was just erased here and not taken away since, nor of a destruction with serial: or batch:
    #[arg(long, value_name = "TEXT", allow_hyphen_values = true)]
    pub(crate) label_check: Option<String>,
    /// withdrawn: the beginning of the statement's digest (default: the newest that stands)
    #[arg(long, value_name = "DIGEST")]
    pub(crate) statement: Option<String>,
    /// withdrawn: why
    #[arg(long, value_name = "TEXT")]
    pub(crate) why: Option<String>,
    /// The ledger of the demonstration, for serial:, batch: and jobs
    #[arg(long)]
    pub(crate) demo: bool,
    /// Folder for the statement, and for the paper of a destruction
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum TableKind {
    Gpt,
    Mbr,
}

fn how() -> impl TypedValueParser<Value = How> {
    let named = |name: String| How::ALL.into_iter().find(|h| h.word() == name).ok_or("no such way");
    PossibleValuesParser::new(How::ALL.map(How::word)).try_map(named)
}

const CLASSES: [(&str, MediaClass); 5] = [
    ("magnetic", MediaClass::Magnetic),
    ("solid-state", MediaClass::SolidState),
    ("removable-flash", MediaClass::RemovableFlash),
    ("embedded-flash", MediaClass::EmbeddedFlash),
    ("optical", MediaClass::Optical),
];

fn class() -> impl TypedValueParser<Value = MediaClass> {
    let named = |name: String| CLASSES.into_iter().find(|(n, _)| *n == name).map(|(_, class)| class).ok_or("no such class");
    PossibleValuesParser::new(CLASSES.map(|(name, _)| name)).try_map(named)
}

#[derive(Debug, Args)]
pub(crate) struct LabelArgs {
    /// Jobs; the newest of each drive
    #[arg(required_unless_present = "lot")]
    pub(crate) job: Vec<String>,
    /// Every drive of a lot that has a record
    #[arg(long, value_name = "LOT", conflicts_with = "job")]
    pub(crate) lot: Option<String>,
    /// 62x29 or 89x36 (millimetres, a label a page), a4-21 or a4-24 (sheets of labels); default: the configuration's, else 62x29
    #[arg(long, value_name = "SIZE", value_parser = label_size())]
    pub(crate) size: Option<LabelSize>,
    /// On sheets: the first free label, counted from 1
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u16).range(1..=24))]
    pub(crate) first: u16,
    /// Folder for the PDF and the SVGs
    #[arg(long, value_name = "DIR", required_unless_present = "print")]
    pub(crate) out: Option<PathBuf>,
    /// Print them by the system's lp, on this printer if it is named
    #[arg(long, value_name = "PRINTER", num_args = 0..=1, default_missing_value = "")]
    pub(crate) print: Option<String>,
    /// The ledger of the demonstration
    #[arg(long)]
    pub(crate) demo: bool,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
}

fn label_size() -> impl TypedValueParser<Value = LabelSize> {
    let named = |name: String| LabelSize::ALL.into_iter().find(|s| s.slug() == name).ok_or("no such size");
    PossibleValuesParser::new(LabelSize::ALL.map(LabelSize::slug)).try_map(named)
}

#[derive(Debug, Args)]
pub(crate) struct WhereArgs {
    /// A serial, or a part of one
    #[arg(allow_hyphen_values = true)]
    pub(crate) serial: Option<String>,
    /// The ledger of the demonstration
    #[arg(long)]
    pub(crate) demo: bool,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Debug, Args)]
pub(crate) struct TableArgs {
    /// One JSON document instead of a table
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// No screen: erase every drive that the guard lets through, and write every certificate
    #[arg(long, requires = "out")]
    pub(crate) unattended: bool,
    /// Folder for records and certificates (in the interface: jurex-certificates, if not given)
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct LookArgs {
    /// A block device, an image file, or sim:BAY
    pub(crate) drive: OsString,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
    /// Read in a long-short rhythm for so many seconds, so that the drive's light can be found; nothing is written
    #[arg(long, value_name = "SECONDS", conflicts_with = "json", value_parser = clap::value_parser!(u64).range(1..=3600))]
    pub(crate) beacon: Option<u64>,
    /// Whether a drive that carries an erasure tag is still as it was left: a sample against what the ledger's record says
    #[arg(long, conflicts_with = "beacon")]
    pub(crate) as_left: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Methods {
    /// Name of a method
    #[arg(conflicts_with = "search")]
    pub(crate) name: Option<String>,
    /// Only methods in whose name, title, issuer, document or passes every word appears
    #[arg(long, value_name = "WORDS")]
    pub(crate) search: Option<String>,
    /// Take the methods of a TOML file into the configuration
    #[arg(long, value_name = "FILE", conflicts_with_all = ["name", "search", "json", "export"])]
    pub(crate) import: Option<PathBuf>,
    /// Write the methods of your own (or the named one) to a TOML file
    #[arg(long, value_name = "FILE", conflicts_with_all = ["search", "json"])]
    pub(crate) export: Option<PathBuf>,
    /// One JSON document instead of a table
    #[arg(long)]
    pub(crate) json: bool,
}

fn how_much() -> impl TypedValueParser<Value = HowMuch> {
    PossibleValuesParser::new(["full", "sampled"]).map(|word| if word == "full" { HowMuch::Full } else { HowMuch::Sampled })
}

fn sensitivity() -> impl TypedValueParser<Value = Sensitivity> {
    PossibleValuesParser::new(["low", "moderate", "high"]).map(|word| match word.as_str() {
        "low" => Sensitivity::Low,
        "moderate" => Sensitivity::Moderate,
        _ => Sensitivity::High,
    })
}

#[derive(Debug, Args)]
pub(crate) struct PlanArgs {
    /// A block device, an image file, or sim:BAY
    pub(crate) drive: OsString,
    /// How confidential is what was on it: low, moderate or high (FIPS 199)
    #[arg(long, value_name = "LEVEL", value_parser = sensitivity(), required_unless_present = "policy")]
    pub(crate) sensitivity: Option<Sensitivity>,
    /// Will it be used again?
    #[arg(long, value_name = "yes|no", value_parser = yes_no(), required_unless_present = "policy")]
    pub(crate) reuse: Option<bool>,
    /// Does it leave the organisation's control?
    #[arg(long, value_name = "yes|no", value_parser = yes_no(), required_unless_present = "policy")]
    pub(crate) leaves: Option<bool>,
    /// Answers and methods from a saved policy, by its name or file
    #[arg(long, value_name = "NAME", conflicts_with_all = ["sensitivity", "reuse", "leaves"])]
    pub(crate) policy: Option<String>,
    #[command(flatten)]
    pub(crate) order: OrderArgs,
    /// Do not read from the drive to sample its speed; the times are then guesses from its class
    #[arg(long)]
    pub(crate) no_sample: bool,
    /// One JSON document instead of text (its schema: docs/plan.schema.json)
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Debug, Args)]
pub(crate) struct EraseArgs {
    /// A block device, an image file, or sim:BAY
    pub(crate) drive: OsString,
    #[command(flatten)]
    pub(crate) order: OrderArgs,
    /// The last six characters of the drive's serial number, read from the drive itself; of a drive or image without
    /// one, its exact number of sectors
    #[arg(long, value_name = "TEXT", allow_hyphen_values = true)]
    pub(crate) label_check: String,
    /// With --technique tcg-revert: the PSID printed on the drive's label; it is kept nowhere
    #[arg(long, value_name = "TEXT", conflicts_with = "admin_password_file")]
    pub(crate) psid: Option<String>,
    /// The same from a file, or `-`: asked for at the terminal, so that no list of programs and no shell's history has it
    #[arg(long, value_name = "FILE", conflicts_with = "psid")]
    pub(crate) psid_file: Option<PathBuf>,
    /// With --technique tcg-key-change: a file that holds the password of Admin1; it is kept nowhere
    #[arg(long, value_name = "FILE")]
    pub(crate) admin_password_file: Option<PathBuf>,
    /// Folder for the record and the certificate
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
    /// Resume the job on this drive that was stopped, lost its drive, was killed, or lost power
    #[arg(long, conflicts_with_all = ["method", "passes", "way", "rounds", "blank", "verify", "from", "to", "partition", "retries", "rules", "faults", "size_check", "leftovers", "mark"])]
    pub(crate) resume: bool,
    /// One JSON event a line
    #[arg(long)]
    pub(crate) json: bool,
    /// No progress lines
    #[arg(long)]
    pub(crate) quiet: bool,
}

#[derive(Debug, Args)]
pub(crate) struct StartMediumArgs {
    /// The image, as scripts/medium build makes it
    pub(crate) image: PathBuf,
    /// The stick: a block device, or an image file. Everything on it is lost
    pub(crate) drive: OsString,
    /// The last six characters of the stick's serial number, read from the stick itself; of one without, its exact number of sectors
    #[arg(long, value_name = "TEXT", allow_hyphen_values = true)]
    pub(crate) label_check: String,
    /// No progress line
    #[arg(long)]
    pub(crate) quiet: bool,
}

#[derive(Debug, Args)]
pub(crate) struct FilesArgs {
    /// Files and folders; what links in them lead to and what is mounted in them is not touched
    #[arg(required_unless_present = "resume")]
    pub(crate) path: Vec<PathBuf>,
    /// The passes in the notation
    #[arg(long, value_name = "NOTATION", default_value = "random", conflicts_with = "resume")]
    pub(crate) passes: String,
    /// Names stay: contents, attributes and times are erased, and what is left is an empty file
    #[arg(long, conflicts_with = "resume")]
    pub(crate) keep_names: bool,
    /// Only say what would be lost, and what may be hoped for; nothing is written
    #[arg(long, conflicts_with = "resume")]
    pub(crate) plan: bool,
    /// The number of names that will be lost, as the plan tells it; without it a person is asked for it
    #[arg(long, value_name = "N")]
    pub(crate) yes_count: Option<u64>,
    /// Let the names of files stand in the record; else it holds their digests
    #[arg(long, conflicts_with = "resume")]
    pub(crate) with_names: bool,
    /// Resume what was cut short: all of it, with the passes that it began with
    #[arg(long, conflicts_with = "path")]
    pub(crate) resume: bool,
    #[command(flatten)]
    pub(crate) papers: LessPapers,
}

/// What less than a drive is reported with.
#[derive(Debug, Args)]
pub(crate) struct LessPapers {
    /// Folder for the record and its paper (default: a folder of Jurex's own)
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Who had it done (default: the technician of the configuration)
    #[arg(long, value_name = "NAME")]
    pub(crate) by: Option<String>,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
    /// No progress line
    #[arg(long)]
    pub(crate) quiet: bool,
}

#[derive(Debug, Args)]
pub(crate) struct FreeArgs {
    /// A folder on the file system, as where it is mounted
    pub(crate) mountpoint: PathBuf,
    /// The passes in the notation
    #[arg(long, value_name = "NOTATION", default_value = "random")]
    pub(crate) passes: String,
    /// What is left to whoever else uses it, as 500MB (default: a hundredth of it, and at most a fiftieth of what is free); 0: nothing
    #[arg(long, value_name = "SIZE", value_parser = size)]
    pub(crate) reserve: Option<u64>,
    /// Only say what may be hoped for; nothing is written
    #[arg(long)]
    pub(crate) plan: bool,
    #[command(flatten)]
    pub(crate) papers: LessPapers,
}

fn size(text: &str) -> Result<u64, String> {
    if text.trim() == "0" {
        return Ok(0);
    }
    jurex_pattern::units::parse_size(text).ok_or_else(|| "write it as 500MB, 32GB or 2TB".into())
}

#[derive(Debug, Args)]
pub(crate) struct UnattendedArgs {
    /// The list: CSV with the columns `serial` (whole), `plan` (as after `jurex erase DRIVE`: --method zeros), `approved by`, and perhaps
    /// `sectors`. One mistake in it, and nothing is erased
    pub(crate) list: PathBuf,
    /// Folder for records and papers
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
    /// Show it on the whole screen, readable from across the room, until a key is pressed at the end
    #[arg(long)]
    pub(crate) screen: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Unlock {
    /// A block device, or sim:BAY
    pub(crate) drive: OsString,
}

#[derive(Debug, Args)]
pub(crate) struct Prove {
    /// A block device, an image file, or sim:BAY
    #[arg(required_unless_present = "due")]
    pub(crate) drive: Option<OsString>,
    /// No drive: list the drives that were drawn for a second check, and whether they had it
    #[arg(long, conflicts_with_all = ["drive", "record", "expect", "out", "by", "verify", "leftovers"])]
    pub(crate) due: bool,
    /// With --due: those of this lot alone
    #[arg(long, value_name = "NAME", requires = "due")]
    pub(crate) lot: Option<String>,
    /// The record of the job that is to be looked into again
    #[arg(long, value_name = "FILE", required_unless_present_any = ["expect", "due"], conflicts_with = "expect", requires = "out")]
    pub(crate) record: Option<PathBuf>,
    /// Without a record: one pass in the notation that should lie there, as '00' or 'lba', or `blank`
    #[arg(long, value_name = "NOTATION")]
    pub(crate) expect: Option<String>,
    /// What is read: every sector (full), or a tenth in places drawn anew (sampled)
    #[arg(long, value_name = "WHAT", default_value = "full", value_parser = how_much())]
    pub(crate) verify: HowMuch,
    /// Search it for residual data too, a sample for a minute at most; the verification record says what was found
    #[arg(long = "residual-data", alias = "leftovers")]
    pub(crate) leftovers: bool,
    /// Who looks (default: the technician of the configuration)
    #[arg(long, value_name = "NAME")]
    pub(crate) by: Option<String>,
    /// Folder for the verification record
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// The verification record as one JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
    /// No progress line
    #[arg(long)]
    pub(crate) quiet: bool,
}

#[derive(Debug, Args)]
pub(crate) struct LedgerArgs {
    #[command(subcommand)]
    pub(crate) what: LedgerDo,
    /// The ledger of the demonstration instead
    #[arg(long, global = true)]
    pub(crate) demo: bool,
}

#[derive(Debug, Subcommand)]
pub(crate) enum LedgerDo {
    /// Go through everything that was ever written: what was changed, taken away, put in, or rolled back is named
    Check(LedgerCheck),
    /// The newest signed head: kept elsewhere, it shows later whether anything before it was touched
    Head(LedgerHead),
    /// The newest jobs with their outcomes
    List(LedgerList),
    /// Copy it into a new file, while jobs run (without what unfinished jobs need to be resumed: that holds keys)
    Backup(LedgerBackup),
    /// Put a copy in the ledger's place; what was there is kept beside it, and the ledger says so
    Restore(LedgerBackup),
    /// A job's whole story: what was done and found, its events, who looked again
    Show(LedgerShow),
    /// The newest jobs in which all these words appear
    Find(LedgerFind),
    /// Give records out, as CSV, as JSON lines, or each as a signed file
    Export(LedgerExport),
}

#[derive(Debug, Args)]
pub(crate) struct LedgerShow {
    /// Name of the job, as 261123-4F7QZK
    pub(crate) job: String,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Debug, Args)]
pub(crate) struct LedgerFind {
    /// Words, or parts of them; with a field before it, as lot:BW-0417 (job, drive, serial, lot, property, from, person, outcome,
    /// date, method), only there. One or two letters are looked for at the beginning of words. date:2026-10..2026-11 (years,
    /// months or days; an end may be left out) is what began in between
    #[arg(required = true)]
    pub(crate) words: Vec<String>,
    /// How many at most
    #[arg(long, value_name = "N", default_value_t = 50)]
    pub(crate) most: u32,
    /// One JSON document instead of a table
    #[arg(long)]
    pub(crate) json: bool,
}

/// The form in which records are given out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum ExportAs {
    /// One table (RFC 4180)
    Csv,
    /// One JSON object a line
    JsonLines,
    /// A folder with each record, signed if there is a key
    Records,
}

impl ExportAs {
    pub(crate) fn word(self) -> &'static str {
        match self {
            ExportAs::Csv => "CSV",
            ExportAs::JsonLines => "JSON lines",
            ExportAs::Records => "records",
        }
    }
}

#[derive(Debug, Args)]
pub(crate) struct LedgerExport {
    /// Only jobs in which all these words appear (see `jurex ledger find`)
    pub(crate) words: Vec<String>,
    /// The form
    #[arg(long = "as", value_name = "FORM", value_enum)]
    pub(crate) form: ExportAs,
    /// A new file, or the folder for records
    #[arg(long, value_name = "PATH")]
    pub(crate) out: PathBuf,
}

#[derive(Debug, Args)]
pub(crate) struct LedgerList {
    /// How many at most
    #[arg(long, value_name = "N", default_value_t = 50)]
    pub(crate) most: u32,
    /// One JSON document instead of a table
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Debug, Args)]
pub(crate) struct LedgerBackup {
    /// A new file
    pub(crate) file: PathBuf,
}

#[derive(Debug, Args)]
pub(crate) struct LedgerHead {
    /// Take the ledger as it is, though it does not follow from a head that was kept of it: that head is kept under another name, and the
    /// ledger says so in an entry of its own
    #[arg(long)]
    pub(crate) take: bool,
}

#[derive(Debug, Args)]
pub(crate) struct LedgerCheck {
    /// A head that was kept elsewhere (`jurex ledger head`): nothing before it may have changed
    #[arg(long, value_name = "FILE")]
    pub(crate) since: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct Keys {
    #[command(subcommand)]
    pub(crate) what: KeysDo,
}

#[derive(Debug, Subcommand)]
pub(crate) enum KeysDo {
    /// Make a key; it signs from then on
    New(NewKey),
    /// Every key: which signs, which are retired, which are of others
    List(TableArgs),
    /// One key
    Show(WhichKey),
    /// The public key, for others to check with (PEM)
    Export(ExportKey),
    /// A key signs no more, or a certificate is not trusted any more; what was signed before stays signed
    Retire(RetireKey),
    /// A certificate with its key, to try what PDF readers show of signed papers; an organisation brings one that others vouch for
    SelfSigned(SelfSigned),
    /// Take in the public key of another bench, or a certificate: what was signed with it is taken for theirs
    Trust(TrustKey),
}

#[derive(Debug, Args)]
pub(crate) struct RetireKey {
    /// The beginning of its id, or its name; of a certificate the beginning of its fingerprint, or its name
    #[arg(allow_hyphen_values = true)]
    pub(crate) key: String,
    /// Since when it counts no more, as 2026-11-30T08:00:00Z (default: now); earlier than now where it was in strange hands before
    #[arg(long, value_name = "TIME")]
    pub(crate) since: Option<jiff::Timestamp>,
}

#[derive(Debug, Args)]
pub(crate) struct NewKey {
    /// What people call it, as "Bench 2, Tern Quay workshop"
    #[arg(long)]
    pub(crate) name: String,
    /// A file that holds the passphrase which shuts it (otherwise it is asked for)
    #[arg(long, value_name = "FILE", conflicts_with = "no_passphrase")]
    pub(crate) passphrase_file: Option<PathBuf>,
    /// It is not shut: whoever can read its file can sign with it
    #[arg(long)]
    pub(crate) no_passphrase: bool,
}

#[derive(Debug, Args)]
pub(crate) struct SelfSigned {
    /// Whose name it carries
    #[arg(long)]
    pub(crate) name: String,
    /// Days for which it is good
    #[arg(long, default_value_t = 365, value_parser = clap::value_parser!(u32).range(1..=3650))]
    pub(crate) days: u32,
    /// Folder for certificate.pem and certificate.key
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
}

#[derive(Debug, Args)]
pub(crate) struct WhichKey {
    /// The beginning of its id, or its name
    // One id in sixty-four begins with a hyphen.
    #[arg(allow_hyphen_values = true)]
    pub(crate) key: String,
}

#[derive(Debug, Args)]
pub(crate) struct ExportKey {
    /// The beginning of its id, or its name
    // One id in sixty-four begins with a hyphen.
    #[arg(allow_hyphen_values = true)]
    pub(crate) key: String,
    /// As JSON Web Key
    #[arg(long)]
    pub(crate) jwk: bool,
}

#[derive(Debug, Args)]
pub(crate) struct TrustKey {
    /// Its public key (PEM or JWK), or a certificate (PEM or DER) that signs papers or vouches for those that do
    pub(crate) file: PathBuf,
    /// Whose it is
    #[arg(long)]
    pub(crate) name: String,
}

#[derive(Debug, Args)]
pub(crate) struct CheckArgs {
    /// Records, signed records, verification records, statements of lots, certificates or reports, proofs of a ledger
    #[arg(required_unless_present = "qr")]
    pub(crate) file: Vec<PathBuf>,
    /// What stands in the code of a paper: whether these files, or the ledger here, are of that paper
    #[arg(long, value_name = "TEXT")]
    pub(crate) qr: Option<String>,
    /// A public key to check with, beside those that are known here
    #[arg(long, value_name = "FILE")]
    pub(crate) key: Vec<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct ResidueArgs {
    /// A block device, an image file, or sim:BAY
    pub(crate) drive: OsString,
    /// Two thousand places drawn all over it instead of every sector
    #[arg(long)]
    pub(crate) sampled: bool,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
    /// No progress line
    #[arg(long)]
    pub(crate) quiet: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Schema {
    /// Of what
    #[arg(value_enum)]
    pub(crate) of: SchemaOf,
}

#[derive(Clone, Copy, Debug, clap::ValueEnum)]
pub(crate) enum SchemaOf {
    /// JOB.record.json
    Record,
    /// What `jurex plan --json` prints
    Plan,
    /// One event of `jurex erase --json` (the first line names the job, the last tells what came of it)
    Event,
    /// JOB.verification.json
    Verification,
    /// LOT.lot.json
    Lot,
    /// What `jurex release` notes and writes
    Release,
    /// JOB.files.json, of files or of free space
    Files,
}

#[derive(Debug, Args)]
pub(crate) struct NoticeArgs {
    #[command(subcommand)]
    pub(crate) what: NoticeDo,
}

#[derive(Clone, Copy, Debug, Subcommand)]
pub(crate) enum NoticeDo {
    /// Send one to try, to everybody that the configuration names
    Test,
    /// Those that have not gone out, and why
    Show,
    /// Try those that are due now
    Send,
}

#[derive(Debug, Args)]
pub(crate) struct LotArgs {
    #[command(subcommand)]
    pub(crate) what: LotDo,
    /// The lots of the demonstration instead
    #[arg(long, global = true)]
    pub(crate) demo: bool,
}

#[derive(Debug, Subcommand)]
pub(crate) enum LotDo {
    /// Open a lot
    New(LotNew),
    /// Take in a list of expected drives (CSV; columns by name: serial, property number, source, sensitivity, reuse, leaves,
    /// destination, notes)
    Import(LotImport),
    /// How a lot stands, or every lot
    Show(LotShow),
    /// Close a lot: nothing is expected any more
    Close(LotClose),
}

#[derive(Debug, Args)]
pub(crate) struct LotNew {
    /// Its name, as BW-0417
    pub(crate) lot: String,
}

#[derive(Debug, Args)]
pub(crate) struct LotImport {
    /// Its name; a lot that is not there yet is opened
    pub(crate) lot: String,
    /// The list
    pub(crate) file: PathBuf,
}

#[derive(Debug, Args)]
pub(crate) struct LotShow {
    /// Its name (without it: every lot)
    pub(crate) lot: Option<String>,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Debug, Args)]
pub(crate) struct LotClose {
    /// Its name
    pub(crate) lot: String,
    /// Also where drives are missing or not sanitized: its certificate names them
    #[arg(long)]
    pub(crate) incomplete: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Certificate {
    /// Name of the job, as 261123-4F7QZK
    #[arg(required_unless_present = "lot", conflicts_with = "lot")]
    pub(crate) job: Option<String>,
    /// The papers of a whole lot instead: PDF, CSV and signed JSON
    #[arg(long, value_name = "LOT")]
    pub(crate) lot: Option<String>,
    /// With --lot: a lot of the demonstration
    #[arg(long, requires = "lot")]
    pub(crate) demo: bool,
    /// Folder for the files
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn help_lists_what_is_built_and_nothing_else() {
        Arguments::command().debug_assert();
        let help = Arguments::command().render_long_help().to_string();
        let listed = |name: &str| help.lines().any(|l| l.trim_start().starts_with(&format!("{name} ")));
        assert!(["demo", "drives", "look", "plan", "methods", "erase", "unlock", "certificate"].iter().all(|n| listed(n)));
        assert!(["prove", "residue", "keys", "check", "ledger", "lot", "release", "label", "where"].iter().all(|n| listed(n)));
        let erase = Arguments::command().find_subcommand_mut("erase").unwrap().render_long_help().to_string();
        assert!(["--resume", "--verify", "--faults"].iter().all(|n| erase.contains(n)), "{erase}");
    }
}
