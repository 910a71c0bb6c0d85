//! Where a job stands, so that it can go on after a stop, a lost drive, a kill or a power cut.

use super::baseline::KeptBaseline;
use super::siblings::KeptSibling;
use jurex_device::guard::{Cleared, Intent};
use jurex_device::media::{Drive, Geometry};
use jurex_device::native::ata::erase::PASSWORD;
use jurex_sanitize::evidence::{Evidence, Unsound};
use jurex_sanitize::plan::{ArmError, ArmedPlan, Plan};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::time::Duration;

/// Name and version of the format.
const FORMAT: &str = "jurex-checkpoint/3";
/// The one before it, which had passes in place of stages.
const BEFORE: &str = "jurex-checkpoint/2";

/// The plan with all its random choices, and the evidence of what is fast on the media. It holds the seeds of random
/// passes, so it is kept only while the job can still go on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Checkpoint {
    format: String,
    plan: Plan,
    evidence: Evidence,
    /// What lay at drawn places before the drive erased itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    draw: Option<KeptBaseline>,
    /// The same of other namespaces.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    beside: Vec<KeptSibling>,
    /// The password that the drive has, or is about to get, until its erasure has ended: whoever finds the drive locked opens
    /// it with this.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    password: Option<String>,
}

/// A text that is no checkpoint.
#[derive(Debug, thiserror::Error)]
pub enum BadCheckpoint {
    /// Not the JSON of a checkpoint.
    #[error("this is not a checkpoint of Jurex")]
    NotACheckpoint(#[source] serde_json::Error),
    /// Another version of the format.
    #[error("the checkpoint's format is `{0}`; this version goes on from {FORMAT}")]
    OtherFormat(String),
    /// It contradicts itself.
    #[error("the checkpoint has been altered: {0}")]
    Unsound(#[from] Unsound),
}

#[derive(Deserialize)]
struct CheckpointV2 {
    plan: jurex_sanitize::plan::Version2,
    evidence: Evidence,
}

#[derive(Deserialize)]
struct CheckpointHead {
    format: String,
}

impl Checkpoint {
    /// Of a job whose session has lasted so long.
    pub(super) fn new(plan: &Plan, evidence: &Evidence, lasted: Duration) -> Self {
        let mut evidence = evidence.clone();
        let password = evidence.own().filter(|own| own.may_have_left_a_password()).map(|_| PASSWORD.to_string());
        if let Some(session) = evidence.sessions.last_mut() {
            session.micros = super::event::micros(lasted);
        }
        Self { format: FORMAT.into(), plan: plan.clone(), evidence, draw: None, beside: vec![], password }
    }

    /// With what lay at drawn places of the drive and of other namespaces.
    pub(super) fn with_drawn(self, draw: Option<KeptBaseline>, beside: Vec<KeptSibling>) -> Self {
        Self { draw, beside, ..self }
    }

    /// The drive that the job works on.
    pub fn drive(&self) -> &Drive {
        self.plan.drive()
    }

    /// The plan that is being carried out.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    /// What was done and read back when the checkpoint was made.
    pub fn evidence(&self) -> &Evidence {
        &self.evidence
    }

    /// Whether it was made by a job of that plan. The drive's path may be another by now.
    pub(super) fn is_of(&self, plan: &Plan) -> bool {
        let mut same_place = self.plan.clone();
        same_place.move_to(plan.drive());
        self.is_of_unit(plan.drive()) && same_place == *plan
    }

    /// Whether `found` is the unit that the job worked on: as large as it was, or as lifting its hidden areas makes it.
    fn is_of_unit(&self, found: &Drive) -> bool {
        let (least, most) = (self.evidence.lift().map_or(self.drive().geometry, |l| l.before), self.plan.lifted());
        let sectors = found.geometry.sectors;
        let may_be =
            self.plan.lift().is_some() && (least.sectors..=most.sectors.max(self.evidence.geometry().sectors)).contains(&sectors);
        let as_large = |sectors| Drive { geometry: Geometry { sectors, ..self.drive().geometry }, ..self.drive().clone() };
        // A drive that was erasing itself, or has failed at it, when the system found it tells no size yet.
        let tells_no_size = sectors == 0 && found.unit.names_its_media() && self.evidence.own().is_some_and(|o| o.sent > 0);
        let unit = || self.drive().unit.agrees_with(&found.unit);
        self.drive().is_same_unit(found) || (tells_no_size && unit()) || (may_be && as_large(sectors).is_same_unit(found))
    }

    /// What the guard is asked about going on with it.
    pub fn intent(&self) -> Intent {
        let was_sent = self.evidence.own().is_some_and(|own| own.sent > 0);
        Intent { goes_on: was_sent, ..self.plan.intent() }
    }

    /// What lay at drawn places.
    pub(super) fn draw(&self) -> Option<&KeptBaseline> {
        self.draw.as_ref()
    }

    /// What lay at drawn places of other namespaces.
    pub(super) fn beside(&self) -> &[KeptSibling] {
        &self.beside
    }

    /// The password that the drive may have been left with.
    pub fn password(&self) -> Option<&str> {
        self.password.as_deref()
    }

    /// Whether `found` may be the drive that the job worked on: same unit, wherever it is attached; of a drive that nothing
    /// names only the one at the same path.
    pub fn may_be_of(&self, found: &Drive) -> bool {
        let drive = self.drive();
        self.is_of_unit(found) && (found.unit.is_named() || drive.path == found.path)
    }

    /// Why `found`, which stands where the job's drive stood, does not fit; `None` if it fits or stands elsewhere.
    pub fn why_not(&self, found: &Drive) -> Option<String> {
        let drive = self.drive();
        if drive.path != found.path || self.may_be_of(found) {
            return None;
        }
        if drive.geometry == found.geometry {
            return Some("another drive stands there now".into());
        }
        let sizes = |d: &Drive| format!("{} sectors of {} B", d.geometry.sectors, d.geometry.logical);
        Some(format!("it had {} and has {} now", sizes(drive), sizes(found)))
    }

    /// The plan for `found`, the same drive as it is attached now. A drive that nothing names can't be told elsewhere, and
    /// another drive is not this one's: the plan then stays where it was, and arming it is refused.
    pub fn plan_on(&self, found: &Drive) -> Plan {
        let mut plan = self.plan.clone();
        if self.may_be_of(found) {
            plan.move_to(found);
        }
        plan
    }

    /// The plan armed anew for the drive that the guard has cleared: its label is asked for again.
    ///
    /// # Errors
    /// Another drive, or the label does not match.
    pub fn arm(&self, cleared: &Cleared, typed: &str) -> Result<ArmedPlan, ArmError> {
        self.plan_on(cleared.drive()).arm(cleared, typed)
    }

    /// Where it stands, in a few words.
    pub fn place(&self) -> String {
        let of = self.plan.passes().len();
        match self.evidence.passes().last() {
            None => match (self.evidence.own(), self.evidence.own_check(), of) {
                (Some(own), None, _) if own.completed => format!("after the {}", own.technique.name()),
                (Some(own), None, _) if own.sent > 0 => format!("in the {}", own.technique.name()),
                (Some(own), None, _) => format!("before the {}", own.technique.name()),
                (Some(own), Some(_), _) => format!("reading after the {}", own.technique.name()),
                (None, _, 0) => "before the drive's own erasure".into(),
                (None, _, of) => format!("before pass 1 of {of}"),
            },
            Some(_) => {
                let n = self.evidence.passes().len();
                let doing = if self.evidence.last_reading().is_some() { "reading back" } else { "in" };
                format!("{doing} pass {n} of {of}")
            }
        }
    }

    /// The checkpoint as JSON.
    pub fn to_json(&self) -> String {
        serde_json::to_string(self).expect("a checkpoint holds only strings, numbers, lists and maps")
    }

    /// Reads a checkpoint.
    ///
    /// # Errors
    /// Text that is none, or of another version.
    pub fn from_json(text: &str) -> Result<Self, BadCheckpoint> {
        let head: CheckpointHead = serde_json::from_str(text).map_err(BadCheckpoint::NotACheckpoint)?;
        let read: Self = match head.format.as_str() {
            FORMAT => serde_json::from_str(text).map_err(BadCheckpoint::NotACheckpoint)?,
            BEFORE => {
                let before: CheckpointV2 = serde_json::from_str(text).map_err(BadCheckpoint::NotACheckpoint)?;
                Self {
                    format: FORMAT.into(),
                    plan: before.plan.into(),
                    evidence: before.evidence,
                    draw: None,
                    beside: vec![],
                    password: None,
                }
            }
            other => return Err(BadCheckpoint::OtherFormat(jurex_pattern::text::printable(other.as_bytes()))),
        };
        read.evidence.check_soundness()?;
        read.plan.check_soundness()?;
        let (passes, planned) = (read.evidence.passes().len(), read.plan.passes().len());
        let fits = passes <= planned
            && read.evidence.planned == read.plan.kinds()
            && read.evidence.overwrite().is_none_or(|o| {
                o.range == read.evidence.range_of(read.plan.range_on(read.evidence.geometry()))
                    && o.planned_passes as usize == planned
            })
            && read.is_of_unit(read.evidence.drive());
        if fits { Ok(read) } else { Err(Unsound("its evidence is not of its plan").into()) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Progress;
    use jurex_device::media::MediaClass;
    use jurex_device::testing::{Fixed, cleared, test_drive};
    use jurex_pattern::method;
    use jurex_sanitize::evidence::StageKind;
    use jurex_sanitize::plan::Order;

    fn plan(drive: &Drive) -> Plan {
        Plan::new(drive, &Order::of_method(method::find("random").unwrap()), &mut Fixed(1)).unwrap()
    }

    fn kept(plan: &Plan) -> Checkpoint {
        Checkpoint::new(plan, Progress::of_plan(plan).evidence(), Duration::ZERO)
    }

    #[test]
    fn a_password_that_a_drive_may_have_been_left_with_is_kept_until_its_erasure_has_ended() {
        use jurex_device::technique::Technique;
        use jurex_sanitize::evidence::{NativeEvidence, StageEvidence, StageResult};
        let plan = plan(&test_drive(MediaClass::Magnetic, 64));
        let with = |own: NativeEvidence| {
            let mut evidence = Progress::of_plan(&plan).evidence().clone();
            let stage = StageEvidence { started: jiff::Timestamp::UNIX_EPOCH, ended: None, what: StageResult::Own(own) };
            evidence.stages.insert(0, stage);
            Checkpoint::new(&plan, &evidence, Duration::ZERO).password().map(str::to_string)
        };
        let begun = NativeEvidence::begun(Technique::SecurityErase);
        assert_eq!(with(NativeEvidence { sent: 1, ..begun.clone() }).as_deref(), Some(PASSWORD));
        assert_eq!(with(NativeEvidence { sent: 1, password: Some(false), completed: true, ..begun.clone() }), None);
        assert_eq!(with(NativeEvidence { sent: 1, ..NativeEvidence::begun(Technique::SanitizeBlock) }), None);
    }

    #[test]
    fn it_goes_on_on_the_same_drive_wherever_it_is_and_on_no_other() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let kept = kept(&plan(&drive));
        let arm = |drive: &Drive, typed: &str| kept.arm(&cleared(drive), typed).map(|a| a.plan().clone());
        let moved = Drive { path: "elsewhere".into(), ..drive.clone() };
        assert!(kept.is_of(&arm(&moved, "K7Q41M").unwrap()), "another path, the same serial");
        assert!(matches!(arm(&moved, "K7Q41X"), Err(ArmError::WrongLabel { .. })));
        let mut other = drive.clone();
        other.unit.serial = Some("FM20K7Q41N".into());
        assert!(matches!(arm(&other, "K7Q41N"), Err(ArmError::NotCleared { .. })), "the same path, another serial");
        assert!(kept.why_not(&other).unwrap().contains("another drive"));
        let mut grown = drive.clone();
        grown.geometry.sectors = 65;
        assert_eq!(kept.why_not(&grown).unwrap(), "it had 64 sectors of 512 B and has 65 sectors of 512 B now");
    }

    #[test]
    fn a_drive_that_nothing_names_goes_on_only_at_its_own_path() {
        let nameless = |path: &str| {
            let mut d = Drive { path: path.into(), ..test_drive(MediaClass::Magnetic, 64) };
            d.unit.serial = None;
            d
        };
        let kept = kept(&plan(&nameless("here")));
        let arm = |path| kept.arm(&cleared(&nameless(path)), "64").is_ok();
        assert_eq!((arm("here"), arm("there")), (true, false));
    }

    #[test]
    fn a_checkpoint_that_was_written_once_is_still_one() {
        let before = Checkpoint::from_json(include_str!("../tests/checkpoints/2-reading-back.json")).unwrap();
        assert_eq!((before.place().as_str(), before.evidence().passes().len()), ("reading back pass 2 of 2", 2));
        assert_eq!(before.plan().kinds(), [StageKind::Overwrite, StageKind::Check], "passes have become stages");
        let now = Checkpoint::from_json(include_str!("../tests/checkpoints/3-reading-back.json")).unwrap();
        assert_eq!(now, before);
    }

    #[test]
    fn a_size_check_without_marks_or_of_a_part_is_none() {
        let drive = test_drive(MediaClass::RemovableFlash, 64);
        let made = kept(&plan(&drive)).to_json();
        let range = "\"range\":{\"first\":\"0\",\"count\":\"32\"},\"retries\":";
        let altered = [
            made.replacen("\"tags\":{\"kind\":\"random\",", "\"tags\":{\"kind\":\"address\",", 1),
            made.replacen("\"retries\":", range, 1),
            made.replacen("\"measure\",\"overwrite\"", "\"overwrite\",\"measure\"", 1),
        ];
        assert!(Checkpoint::from_json(&made).is_ok() && made.contains("\"stage\":\"measure\""), "{made}");
        for text in altered {
            assert!(text != made && Checkpoint::from_json(&text).is_err(), "{text}");
        }
    }

    #[test]
    fn what_is_no_checkpoint_or_contradicts_itself_is_refused() {
        let plan = plan(&test_drive(MediaClass::Magnetic, 64));
        let mut made = kept(&plan);
        assert!(Checkpoint::from_json(&made.to_json()).is_ok());
        let json = made.to_json();
        let beyond = json.replacen("\"retries\":", "\"range\":{\"first\":\"0\",\"count\":\"65\"},\"retries\":", 1);
        let twice = json.replacen("\"reading\":\"none\"", "\"reading\":\"full\"", 1);
        let blank = json.replacen("\"last-pass\"", "\"blank\"", 1);
        assert!([&beyond, &twice, &blank].iter().all(|t| **t != json), "each is altered");
        let other = json.replacen("jurex-checkpoint/3", "jurex-checkpoint/9", 1);
        let spent = json.replacen("\"seed\":\"01010101010101010101010101010101\"", "\"x\":0", 1);
        made.evidence.sessions.clear();
        for text in ["", "{}", &beyond, &twice, &blank, &other, &spent, &made.to_json()] {
            assert!(Checkpoint::from_json(text).is_err(), "{text}");
        }
        assert!(Checkpoint::from_json(&other).unwrap_err().to_string().contains("jurex-checkpoint/9"));
    }
}
