//! The ladder of ways: every technique for one drive, best first, each with what it earns there and what keeps it away.

use crate::estimate::{self, Basis, Estimate, SpeedSample};
use crate::evidence::Stated;
use crate::need::Need;
use crate::plan::{HowMuch, NativeOrder, Order, Plan, Verification};
use crate::rules::{Case, Claim, Condition, Edition, Media, Outcome, Technique, evaluate};
use crate::words::ENGLISH;
use jurex_device::media::{Drive, MediaClass};
use jurex_device::native::Capabilities;
use jurex_device::technique::Family;
use jurex_pattern::method::{Catalogue, Method, Status};
use jurex_pattern::notation::NoEntropy;
use jurex_pattern::text::capital;
use jurex_pattern::units::{Sectors, duration};
use schemars::JsonSchema;
use serde::Serialize;
use std::time::Duration;

/// Whether a way can be taken now.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "state")]
pub enum Availability {
    /// It can be planned and armed.
    Ready,
    /// Something stands in its way that a person can take away.
    Blocked {
        /// What.
        reason: String,
        /// What to do about it.
        remedy: String,
    },
    /// It can't be had on this drive.
    Unavailable {
        /// Why.
        reason: String,
        /// What to do instead.
        remedy: String,
    },
    /// A person does it; Jurex only records it.
    ByHand {
        /// What to do.
        act: String,
    },
}

impl Availability {
    /// In one word or two.
    pub fn word(&self) -> &'static str {
        match self {
            Availability::Ready => "ready",
            Availability::Blocked { .. } => "blocked",
            Availability::Unavailable { .. } => "not here",
            Availability::ByHand { .. } => "by hand",
        }
    }

    /// Reason and remedy in full; empty where there is nothing to say.
    pub fn sentence(&self) -> String {
        match self {
            Availability::Ready => String::new(),
            Availability::Blocked { reason, remedy } | Availability::Unavailable { reason, remedy } => {
                format!("{reason}: {remedy}.")
            }
            Availability::ByHand { act } => format!("{act}."),
        }
    }
}

/// One way of sanitizing one drive.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Candidate {
    /// The technique.
    pub technique: Technique,
    /// What it is called on the command line.
    pub name: String,
    /// What it would earn on this drive if nothing went wrong, why, and what it does not reach.
    pub claim: Claim,
    /// What it would earn if what can't be known were so.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub perhaps: Option<Outcome>,
    /// How long; `None`: not known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub time: Option<Estimate>,
    /// Wear, in times that the whole drive is written.
    pub drive_writes: f64,
    /// Whether it can be taken.
    pub availability: Availability,
}

impl Candidate {
    /// What it earns.
    pub fn outcome(&self) -> Outcome {
        self.claim.outcome()
    }

    /// What it earns, with what it may earn in brackets.
    pub fn outcome_said(&self) -> String {
        match self.perhaps {
            None => self.outcome().to_string(),
            Some(perhaps) => format!("{} ({perhaps}?)", self.outcome()),
        }
    }

    /// What it earns if everything is so that can't be known and a person may state.
    pub fn at_best(&self) -> Outcome {
        self.perhaps.unwrap_or(self.outcome())
    }

    /// Whether Jurex can carry it out here and now.
    pub fn is_ready(&self) -> bool {
        self.availability == Availability::Ready
    }

    /// Place on the ladder: what can be had first, by what it earns, then by its time.
    fn rank(&self) -> (u8, std::cmp::Reverse<Outcome>, u8, Duration) {
        let best = self.at_best();
        let (group, within) = match &self.availability {
            _ if best == Outcome::NotSanitized => (3, 0),
            Availability::Ready => (0, 0),
            Availability::Blocked { .. } => (0, 1),
            Availability::Unavailable { .. } => (1, 0),
            Availability::ByHand { .. } => (2, 0),
        };
        (group, std::cmp::Reverse(best), within, self.time.map_or(Duration::MAX, |t| t.likely))
    }
}

/// Every technique that the rules or the drive know for `drive`, best first. `overwrite` is the order that overwriting
/// would be done by.
pub fn ladder(drive: &Drive, answers: &Capabilities, overwrite: &Order, sample: Option<&SpeedSample>) -> Vec<Candidate> {
    let rules = overwrite.edition.rules();
    let media = Media::of(drive);
    let offered: Vec<Technique> = answers.own_erases.iter().map(|e| e.technique()).collect();
    let mut ways: Vec<Candidate> = Technique::ALL
        .into_iter()
        .filter(|t| rules.rule(media, *t).is_some() || offered.contains(t))
        .map(|t| way(drive, answers, t, overwrite, sample))
        .collect();
    ways.sort_by_key(Candidate::rank);
    ways
}

fn way(
    drive: &Drive,
    answers: &Capabilities,
    technique: Technique,
    overwrite: &Order,
    sample: Option<&SpeedSample>,
) -> Candidate {
    let rules = overwrite.edition.rules();
    let own = |met: Vec<Condition>| {
        let order = NativeOrder::of_way(technique, drive, answers, overwrite);
        let order = NativeOrder { stated: Stated { conditions: met, by: String::new() }, ..order };
        Plan::own(drive, &order, &mut NoEntropy).ok().map(|plan| plan.expected().clone())
    };
    // What a drive does itself is judged as a plan of it would be: hidden areas lifted first, the rest read back.
    let foreseen =
        |met: Vec<Condition>| own(met.clone()).unwrap_or_else(|| evaluate(rules, &Case::foreseen(drive, technique, met)));
    let lays_passes = technique.descriptor().family == Family::Passes;
    let (claim, perhaps) = if lays_passes {
        (overwriting(drive, overwrite), None)
    } else {
        let claim = foreseen(vec![]);
        let best = foreseen(Condition::STATED.to_vec()).outcome();
        let perhaps = (best > claim.outcome()).then_some(best);
        (claim, perhaps)
    };
    let availability = availability(drive, answers, technique);
    let time = if lays_passes { Some(estimate::of_order(drive, overwrite, sample)) } else { told_time(answers, technique) };
    let range = overwrite.range.unwrap_or(drive.geometry.whole());
    let drive_writes = match technique.descriptor().wears {
        true if lays_passes => overwrite.passes() as f64 * range.count as f64 / drive.geometry.sectors.max(1) as f64,
        true => 1.0,
        false => 0.0,
    };
    let claim = claim.in_words(&ENGLISH);
    Candidate { technique, name: technique.slug(), claim, perhaps, time, drive_writes, availability }
}

/// What the order earns if nothing goes wrong. An order that does not fit the drive is taken on the whole of it.
fn overwriting(drive: &Drive, order: &Order) -> Claim {
    let plan = Plan::new(drive, order, &mut NoEntropy);
    let whole = || Plan::new(drive, &Order { range: None, rounds: 1, ..order.clone() }, &mut NoEntropy);
    match plan.or_else(|_| whole()) {
        Ok(plan) => plan.expected().clone(),
        // A drive without a single sector.
        Err(_) => evaluate(order.edition.rules(), &Case::foreseen(drive, Technique::Discard, vec![])),
    }
}

fn told_time(answers: &Capabilities, technique: Technique) -> Option<Estimate> {
    let told = answers.own_times.iter().find(|t| t.erase.technique() == technique)?;
    let time = Duration::from_secs(told.seconds);
    let basis = if told.at_least { Basis::ToldAtLeast } else { Basis::ToldByDrive };
    Some(Estimate { likely: time, shortest: time, longest: time, basis })
}

fn availability(drive: &Drive, answers: &Capabilities, technique: Technique) -> Availability {
    let unavailable = |reason: &str, remedy: &str| Availability::Unavailable { reason: reason.into(), remedy: remedy.into() };
    let by_hand = |act: &str| Availability::ByHand { act: act.into() };
    let offered = answers.own_erases.iter().any(|e| e.technique() == technique);
    match technique.descriptor().family {
        Family::Passes if drive.class == MediaClass::Optical => unavailable("Optical media can't be overwritten", "destroy them"),
        Family::Passes => Availability::Ready,
        Family::Host => unavailable("Alone it sanitizes nothing", "overwrite the drive instead"),
        Family::Hands if technique == Technique::Degauss => {
            by_hand("A degausser strong enough for this drive ends its use; its model goes on the certificate")
        }
        Family::Hands => by_hand("Disintegrate, incinerate or melt it; how, by whom and who saw it goes on its paper"),
        Family::Sanitize(_)
        | Family::Security { .. }
        | Family::Format { .. }
        | Family::Mmc(_)
        | Family::Card
        | Family::Tcg(_) => {
            if drive.bridged {
                return Availability::Blocked {
                    reason: "A bridge hides the drive's own interface".into(),
                    remedy: "take the drive out of its case and connect it natively".into(),
                };
            }
            match offered {
                true => of_an_offered(drive, answers, technique),
                false if answers.was_asked(technique) => unavailable("The drive does not offer it", "take another way"),
                false => unavailable("Whether the drive offers it was not asked, or not answered", "take another way"),
            }
        }
    }
}

/// Whether an erasure that the drive offers can be begun as the drive stands.
fn of_an_offered(drive: &Drive, answers: &Capabilities, technique: Technique) -> Availability {
    const POWER: &str = "take the drive's power away for ten seconds, give it back, and look again";
    let blocked = |reason: &str, remedy: String| Availability::Blocked { reason: reason.into(), remedy };
    let security = technique.is_security();
    if answers.security_locked && !technique.descriptor().through_a_lock {
        let remedy = format!(
            "if a broken-off SECURITY ERASE of Jurex has left it, `jurex unlock {}` takes it away; any other is unlocked by whoever set it",
            drive.shown_path()
        );
        return blocked("Locked: a password keeps the drive from taking any command that erases", remedy);
    }
    if security && answers.security_expired {
        return blocked("Too many wrong passwords were tried", POWER.into());
    }
    if security && answers.security_enabled {
        let remedy = format!("whoever set it takes it away; if Jurex did, `jurex unlock {}`", drive.shown_path());
        return blocked("The drive has a password that somebody has set", remedy);
    }
    if technique.runs_by_itself() && answers.sanitize_frozen {
        return blocked("Frozen: the drive takes no SANITIZE command until its next power-on", POWER.into());
    }
    if security && answers.security_frozen {
        return blocked("Frozen: the machine's firmware locked the drive's security commands when it started", POWER.into());
    }
    Availability::Ready
}

/// The overwrite order that suits a class of media: one pass of zeros, or a pattern and its complement where the media
/// asks for that.
pub fn suggested(drive: &Drive, catalogue: &Catalogue, edition: Edition) -> Order {
    let of = |name: &str| catalogue.find(name).map(|m| Order { edition, ..Order::of_method(m) });
    let pair = edition
        .rules()
        .rule(Media::of(drive), Technique::Overwrite)
        .is_some_and(|r| r.needs.contains(&Condition::ComplementPair));
    of(if pair { "pattern-complement" } else { "zeros" }).expect("the library has both: a test keeps it so")
}

/// What to do with a drive when no ready way reaches `needed`: the next best thing on its ladder, in a sentence.
pub fn what_to_do(ways: &[Candidate], needed: Outcome) -> Option<String> {
    if ways.iter().any(|w| w.is_ready() && w.outcome() >= needed) {
        return None;
    }
    // Of several, the one that does no more than is needed. What people do by hand they also state.
    let earns = |w: &Candidate| if matches!(w.availability, Availability::ByHand { .. }) { w.at_best() } else { w.outcome() };
    let better =
        |wanted: &dyn Fn(&Candidate) -> bool| ways.iter().filter(|w| earns(w) >= needed && wanted(w)).min_by_key(|w| earns(w));
    let name = |w: &Candidate| w.technique.name();
    let said = if let Some(w) = better(&|w| matches!(w.availability, Availability::Blocked { .. })) {
        format!("{} would give {}. {}", capital(name(w)), w.outcome(), w.availability.sentence())
    } else if let Some(w) = better(&|w| matches!(w.availability, Availability::ByHand { .. })) {
        format!("No technique that writes to it reaches {needed}: {} does. {}", name(w), w.availability.sentence())
    } else {
        format!("No way on this drive reaches {needed}: destroy it.")
    };
    Some(said)
}

/// What is to be known before this order is carried out on this drive, where habit and standard differ. `method` is where
/// the passes come from, if they come from one.
pub fn warnings(drive: &Drive, order: &Order, method: Option<&Method>, need: Need, sample: Option<&SpeedSample>) -> Vec<String> {
    let claim = overwriting(drive, order);
    let passes = order.passes();
    let flash = matches!(drive.class, MediaClass::SolidState | MediaClass::RemovableFlash | MediaClass::EmbeddedFlash);
    let mut said = vec![];
    if let Some(contradiction) = need.contradiction() {
        said.push(contradiction.into());
    }
    if claim.outcome() < need.outcome() {
        said.push(format!("This plan gives {}, which is less than the {} that is required.", claim.outcome(), need.outcome()));
    }
    if drive.class == MediaClass::Magnetic && passes > 1 {
        let one = Order { rounds: 1, blank: false, program: "00".parse().expect("one pass parses"), ..order.clone() };
        let more = estimate::of_order(drive, order, sample).likely.saturating_sub(estimate::of_order(drive, &one, sample).likely);
        said.push(format!(
            "On a magnetic drive one pass is enough: the other {} add {} and no outcome.",
            match passes - 1 {
                1 => "pass".to_string(),
                n => format!("{n} passes"),
            },
            duration(more)
        ));
    }
    if flash {
        let writes = if passes == 1 { "one write".to_string() } else { format!("{passes} writes") };
        said.push(format!("Overwriting costs this drive {writes} of every cell's life and reaches no spare cells."));
    }
    let pair_missing = claim.reasons().iter().any(|r| r.code() == Some("unmet.complement-pair"));
    if pair_missing && passes == 1 {
        said.push("A single pass is not enough on flash: it takes a pattern and then its complement.".into());
    }
    if order.range.is_some_and(|r| r != drive.geometry.whole()) {
        let range = order.range.unwrap_or(Sectors::new(0, 0));
        said.push(format!("Only {range} are covered. A part never sanitizes a drive, whatever is done to it."));
    }
    if drive.bridged {
        said.push("A bridge stands before the drive and may hide sectors of it: connect the drive natively if you can.".into());
    }
    match method.map(|m| m.status) {
        Some(Status::Historical) => {
            said.push("Its own issuer has withdrawn this method: take it only where a contract asks for it.".into());
        }
        Some(Status::Proposal) => said.push("No authority ever ordered this method: it was proposed in print.".into()),
        Some(Status::Current | Status::Replaced | Status::Own) | None => {}
    }
    match order.verification {
        Verification::None => said.push("Nothing is read back: then nothing can be claimed.".into()),
        Verification::Read(HowMuch::Sampled, _) => {
            said.push("A sample finds faults that lie close together less surely than reading everything.".into());
        }
        Verification::Read(HowMuch::Full, _) => {}
    }
    said
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::need::Sensitivity;
    use jurex_device::media::Bus;
    use jurex_device::native::{NativeErase, OwnTime};
    use jurex_device::testing::test_drive;
    use jurex_pattern::method;

    fn zeros() -> Order {
        Order::of_method(method::find("zeros").unwrap())
    }

    fn ssd() -> (Drive, Capabilities) {
        let own_erases = vec![NativeErase::SanitizeBlock, NativeErase::SecurityEraseEnhanced];
        let own_times = vec![OwnTime { erase: NativeErase::SecurityEraseEnhanced, seconds: 120, at_least: false }];
        let asked = vec![Technique::SecurityErase, Technique::SanitizeCrypto];
        (test_drive(MediaClass::SolidState, 1_000_000), Capabilities { own_erases, own_times, asked, ..Capabilities::default() })
    }

    fn said(ways: &[Candidate]) -> Vec<String> {
        ways.iter().map(|w| format!("{}: {}, {}", w.name, w.outcome_said(), w.availability.word())).collect()
    }

    #[test]
    fn the_best_that_can_be_had_comes_first_and_what_earns_nothing_last() {
        let (drive, answers) = ssd();
        let ways = ladder(&drive, &answers, &zeros(), None);
        insta::assert_snapshot!(said(&ways).join("\n"));
        let enhanced = ways.iter().find(|w| w.technique == Technique::SecurityEraseEnhanced).unwrap();
        assert_eq!(enhanced.time.unwrap().to_string(), "2 min 0 s, by the drive's own word");
    }

    #[test]
    fn what_is_offered_can_be_armed_and_what_is_frozen_or_behind_a_bridge_says_what_to_do() {
        let (mut drive, mut answers) = ssd();
        answers.security_frozen = true;
        let find = |drive: &Drive, answers: &Capabilities, technique| {
            let ways = ladder(drive, answers, &zeros(), None);
            ways.into_iter().find(|w| w.technique == technique).unwrap().availability.sentence()
        };
        assert!(find(&drive, &answers, Technique::SecurityEraseEnhanced).contains("ten seconds"));
        assert_eq!(find(&drive, &answers, Technique::SanitizeBlock), "", "it is ready");
        answers.sanitize_frozen = true;
        assert!(find(&drive, &answers, Technique::SanitizeBlock).contains("ten seconds"));
        assert!(find(&drive, &answers, Technique::SanitizeOverwrite).contains("not asked"));
        assert!(find(&drive, &answers, Technique::SanitizeCrypto).contains("does not offer"));
        (drive.bridged, drive.bus) = (true, Bus::Usb);
        assert!(find(&drive, &answers, Technique::SanitizeBlock).contains("natively"));
    }

    #[test]
    fn a_drive_that_cannot_reach_the_need_says_what_to_do_with_it() {
        let (drive, answers) = ssd();
        let ways = ladder(&drive, &answers, &zeros(), None);
        assert_eq!(what_to_do(&ways, Outcome::Clear), None);
        assert_eq!(what_to_do(&ways, Outcome::Purge), None, "its block erase reaches it");
        let frozen = Capabilities { sanitize_frozen: true, ..answers };
        let ways = ladder(&drive, &frozen, &zeros(), None);
        assert!(what_to_do(&ways, Outcome::Purge).unwrap().starts_with("SANITIZE block erase would give Purge"));
        assert!(what_to_do(&ways, Outcome::Destroy).unwrap().contains("physical destruction"));
        let stick = test_drive(MediaClass::RemovableFlash, 1000);
        let ways = ladder(&stick, &Capabilities::default(), &suggested(&stick, &Catalogue::default(), Edition::Rev2), None);
        assert!(what_to_do(&ways, Outcome::Purge).unwrap().contains("No technique that writes to it reaches Purge"));
    }

    #[test]
    fn habits_that_the_standard_does_not_share_are_told() {
        let drive = |class| test_drive(class, 4_000_000_000);
        let need = Need { sensitivity: Sensitivity::Moderate, reuse: true, leaves: false };
        let said = |class, name: &str, change: &dyn Fn(&mut Order)| {
            let method = method::find(name).unwrap();
            let mut order = Order::of_method(method);
            change(&mut order);
            let said = warnings(&drive(class), &order, Some(method), need, None);
            format!("{class}, {name}:\n  {}", said.join("\n  "))
        };
        let mut bridged = drive(MediaClass::Magnetic);
        bridged.bridged = true;
        let cases = [
            said(MediaClass::Magnetic, "zeros", &|_| {}),
            said(MediaClass::Magnetic, "gutmann-1996", &|_| {}),
            said(MediaClass::SolidState, "dod-5220.22-m", &|_| {}),
            said(MediaClass::RemovableFlash, "zeros", &|_| {}),
            said(MediaClass::Magnetic, "zeros", &|o| o.range = Some(Sectors::new(0, 8))),
            said(MediaClass::Magnetic, "zeros", &|o| o.verification = Verification::None),
            said(MediaClass::Magnetic, "zeros", &|o| o.verification = Verification::SAMPLED),
            warnings(&bridged, &zeros(), None, Need { leaves: true, sensitivity: Sensitivity::High, ..need }, None).join("\n  "),
        ];
        insta::assert_snapshot!(cases.join("\n"));
    }
}
