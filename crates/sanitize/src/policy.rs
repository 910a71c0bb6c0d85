//! One need and one treatment for each class of media, for a whole lot of drives; saved by name.

use crate::estimate::SpeedSample;
use crate::ladder::{Candidate, ladder, suggested, what_to_do};
use crate::need::{Need, Sensitivity};
use crate::plan::{Order, UnhideOrder, Verification};
use crate::rules::{Edition, Outcome, Technique};
use jurex_device::media::{Drive, MediaClass};
use jurex_device::native::Capabilities;
use jurex_pattern::method::Catalogue;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How drives of one class are treated.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Treatment {
    /// The way; left out: overwriting where it earns what is needed, else the drive's own erasure that does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub way: Option<Technique>,
    /// Name of the method for overwriting.
    pub method: String,
    /// How often its passes are run through.
    #[serde(default = "one")]
    pub rounds: u32,
    /// Whether a pass of zeros follows.
    #[serde(default)]
    pub blank: bool,
    /// What is read back.
    #[serde(default)]
    pub verify: Verification,
    /// Tries of a failing sector after the first.
    #[serde(default = "retries")]
    pub retries: u32,
}

fn one() -> u32 {
    1
}

fn retries() -> u32 {
    Order::RETRIES
}

impl Treatment {
    /// Overwriting by that method, once, fully read back.
    pub fn by(method: &str) -> Self {
        Self { way: None, method: method.into(), rounds: 1, blank: false, verify: Verification::default(), retries: retries() }
    }
}

/// The need of a lot, and how each class of media in it is treated. A class that is left out is treated as it suits it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Policy {
    /// How sensitive is what they held?
    pub sensitivity: Sensitivity,
    /// Will they be used again?
    pub reuse: bool,
    /// Do they leave the organisation's control?
    pub leaves: bool,
    /// Magnetic drives.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub magnetic: Option<Treatment>,
    /// Solid state drives.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub solid_state: Option<Treatment>,
    /// USB sticks and memory cards.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removable_flash: Option<Treatment>,
    /// Embedded flash.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub embedded_flash: Option<Treatment>,
    /// Images, loop devices, drives of virtual machines.
    #[serde(default, rename = "virtual", skip_serializing_if = "Option::is_none")]
    pub virtual_drives: Option<Treatment>,
    /// Drives whose class is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unknown: Option<Treatment>,
}

/// What is wrong with a policy.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PolicyError {
    /// Not TOML, an unknown key, or a wrong value; the text names the line.
    #[error("{0}")]
    File(String),
    /// It names a method that there is not.
    #[error("there is no method `{name}`; nearest: {nearest}")]
    NoMethod {
        /// What it names.
        name: String,
        /// Names like it.
        nearest: String,
    },
    /// It names a way that no drive can carry out.
    #[error("{} is nothing that Jurex carries out", .0.name())]
    NoWay(Technique),
    /// Its name can't be a file's.
    #[error("`{0}` is no name for a policy: use 1 to 40 small letters, digits, `.` and `-`, a letter or digit first")]
    BadName(String),
}

impl Policy {
    /// A policy for `need` that treats each class as it suits it.
    pub fn of_need(need: Need) -> Self {
        Self {
            sensitivity: need.sensitivity,
            reuse: need.reuse,
            leaves: need.leaves,
            magnetic: None,
            solid_state: None,
            removable_flash: None,
            embedded_flash: None,
            virtual_drives: None,
            unknown: None,
        }
    }

    /// Reads a policy.
    ///
    /// # Errors
    /// Not TOML, or a key or value that is not known; the text names the line.
    pub fn from_toml(text: &str) -> Result<Self, PolicyError> {
        toml::from_str(text).map_err(|e| PolicyError::File(e.to_string()))
    }

    /// The policy as TOML.
    pub fn to_toml(&self) -> String {
        toml::to_string(self).expect("a policy holds only words, numbers and truths")
    }

    /// The need.
    pub fn need(&self) -> Need {
        Need { sensitivity: self.sensitivity, reuse: self.reuse, leaves: self.leaves }
    }

    /// Changes the need.
    pub fn set_need(&mut self, need: Need) {
        (self.sensitivity, self.reuse, self.leaves) = (need.sensitivity, need.reuse, need.leaves);
    }

    /// How a class is treated, if the policy says so.
    pub fn treatment(&self, class: MediaClass) -> Option<&Treatment> {
        match class {
            MediaClass::Magnetic => self.magnetic.as_ref(),
            MediaClass::SolidState => self.solid_state.as_ref(),
            MediaClass::RemovableFlash => self.removable_flash.as_ref(),
            MediaClass::EmbeddedFlash => self.embedded_flash.as_ref(),
            MediaClass::Virtual => self.virtual_drives.as_ref(),
            MediaClass::Optical | MediaClass::Unknown => self.unknown.as_ref(),
        }
    }

    /// Where the treatment of a class is kept.
    pub fn treatment_mut(&mut self, class: MediaClass) -> &mut Option<Treatment> {
        match class {
            MediaClass::Magnetic => &mut self.magnetic,
            MediaClass::SolidState => &mut self.solid_state,
            MediaClass::RemovableFlash => &mut self.removable_flash,
            MediaClass::EmbeddedFlash => &mut self.embedded_flash,
            MediaClass::Virtual => &mut self.virtual_drives,
            MediaClass::Optical | MediaClass::Unknown => &mut self.unknown,
        }
    }

    /// The order for `drive`.
    ///
    /// # Errors
    /// The treatment of its class names a method or way that can't be had.
    pub fn order(&self, drive: &Drive, catalogue: &Catalogue, edition: Edition) -> Result<Order, PolicyError> {
        let Some(treatment) = self.treatment(drive.class) else { return Ok(suggested(drive, catalogue, edition)) };
        if let Some(way) = treatment.way.filter(|w| *w != Technique::Overwrite && !w.is_own()) {
            return Err(PolicyError::NoWay(way));
        }
        let method = catalogue.find(&treatment.method).ok_or_else(|| PolicyError::NoMethod {
            name: jurex_pattern::text::printable(treatment.method.as_bytes()),
            nearest: catalogue.nearest(&treatment.method)[..3].join(", "),
        })?;
        Ok(Order {
            rounds: treatment.rounds.max(1),
            blank: treatment.blank,
            verification: treatment.verify,
            retries: treatment.retries,
            edition,
            ..Order::of_method(method)
        })
    }
}

/// A drive of the lot with what is proposed for it.
#[derive(Clone, Debug)]
pub struct Proposal {
    /// Place in the list that was given.
    pub drive: usize,
    /// The way: overwriting, or an erasure of its own.
    pub way: Technique,
    /// How it would be overwritten.
    pub order: Order,
    /// What is required of it.
    pub need: Need,
    /// Its ladder.
    pub ways: Vec<Candidate>,
    /// What that earns.
    pub earns: Outcome,
    /// What to do with it, if that is less than needed.
    pub what_to_do: Option<String>,
}

/// A drive of the lot.
#[derive(Clone, Copy, Debug)]
pub struct LotDrive<'l> {
    /// Itself.
    pub drive: &'l Drive,
    /// What it can do.
    pub answers: &'l Capabilities,
    /// Its speed, where that was sampled.
    pub speed: Option<&'l SpeedSample>,
    /// What a list requires of this very drive; `None`: what the policy requires of all.
    pub need: Option<Need>,
}

/// A proposal for each drive, those that can't reach the need first, else in the order that was given.
///
/// # Errors
/// The policy names a method or way that can't be had.
pub fn propose(
    policy: &Policy,
    lot: &[LotDrive<'_>],
    catalogue: &Catalogue,
    edition: Edition,
) -> Result<Vec<Proposal>, PolicyError> {
    let mut proposals = vec![];
    for (at, of_lot) in lot.iter().enumerate() {
        let order = policy.order(of_lot.drive, catalogue, edition)?;
        let way = policy.treatment(of_lot.drive.class).and_then(|t| t.way);
        proposals.push(propose_one(at, way, order, policy.need(), catalogue, *of_lot));
    }
    proposals.sort_by_key(|p| p.what_to_do.is_none());
    Ok(proposals)
}

/// The proposal of one drive for an order that is already chosen, and for that way; `None`: overwriting where it earns what is
/// needed, else the quickest erasure of the drive's own that does. Where nothing earns enough, what to do is a method that
/// earns enough, if there is one, else another way. `need` is what is required where no list says what is required of the drive.
pub fn propose_one(
    at: usize,
    way: Option<Technique>,
    order: Order,
    need: Need,
    catalogue: &Catalogue,
    of_lot: LotDrive<'_>,
) -> Proposal {
    let LotDrive { drive, answers, speed: sample, need: of_list } = of_lot;
    let need = of_list.unwrap_or(need);
    // Hidden areas are lifted, unless a part of the drive is all that is wanted.
    let lift = order.lift.clone().or_else(|| UnhideOrder::of(drive)).filter(|_| order.range.is_none());
    let order = Order { lift, ..order };
    let earned_by = |ways: &[Candidate], technique| {
        ways.iter().find(|w| w.technique == technique && w.is_ready()).map_or(Outcome::NotSanitized, Candidate::outcome)
    };
    let ways = ladder(drive, answers, &order, sample);
    let needed = need.outcome();
    let way = way.unwrap_or_else(|| way_that_earns(&ways, needed));
    let earned = |ways: &[Candidate]| earned_by(ways, Technique::Overwrite);
    let earns = earned_by(&ways, way);
    let what_to_do = (earns < needed).then(|| {
        let suited = suggested(drive, catalogue, order.edition);
        match earned(&ladder(drive, answers, &suited, sample)) {
            better if better >= needed => {
                format!("This plan gives {earns}: take {} on the whole drive, which gives {better}.", suited.title)
            }
            _ if earned_by(&ways, way_that_earns(&ways, needed)) >= needed => {
                let better = way_that_earns(&ways, needed);
                format!("This plan gives {earns}: take {}, which gives {}.", better.name(), earned_by(&ways, better))
            }
            _ => what_to_do(&ways_without_ready(&ways), needed).unwrap_or_default(),
        }
    });
    Proposal { drive: at, way, order, need, ways, earns, what_to_do }
}

/// Overwriting, if it earns what is needed; else the first ready way on the ladder that does; else overwriting.
pub fn way_that_earns(ways: &[Candidate], needed: Outcome) -> Technique {
    let enough = |w: &&Candidate| w.is_ready() && w.outcome() >= needed;
    let overwriting = ways.iter().filter(enough).find(|w| w.technique == Technique::Overwrite);
    overwriting.or_else(|| ways.iter().find(enough)).map_or(Technique::Overwrite, |w| w.technique)
}

/// The ladder without a ready way that was just found to earn too little.
fn ways_without_ready(ways: &[Candidate]) -> Vec<Candidate> {
    ways.iter().filter(|w| !w.is_ready()).cloned().collect()
}

/// Whether `name` can be a policy's.
///
/// # Errors
/// It can't.
pub fn check_name(name: &str) -> Result<(), PolicyError> {
    jurex_pattern::method::check_name(name).map_err(|_| PolicyError::BadName(jurex_pattern::text::printable(name.as_bytes())))
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::native::NativeErase;
    use jurex_device::testing::test_drive;

    const TEXT: &str =
        "sensitivity = \"moderate\"\nreuse = true\nleaves = true\n\n[magnetic]\nmethod = \"random\"\nverify = \"sampled\"\n";

    #[test]
    fn drives_that_cannot_reach_the_need_come_first_with_what_to_do() {
        let policy = Policy::from_toml(TEXT).unwrap();
        let (disk, stick) = (test_drive(MediaClass::Magnetic, 9999), test_drive(MediaClass::RemovableFlash, 999));
        let none = Capabilities::default();
        let able = Capabilities { own_erases: vec![NativeErase::SanitizeOverwrite], ..Capabilities::default() };
        let of = |drive, answers| LotDrive { drive, answers, speed: None, need: None };
        let lot = [of(&disk, &able), of(&stick, &none), of(&disk, &none)];
        let said = |policy: &Policy| {
            let proposals = propose(policy, &lot, &Catalogue::default(), Edition::Rev2).unwrap();
            let line = |p: &Proposal| {
                format!("{}: {}, {} {}", p.drive, p.order.title, p.earns, p.what_to_do.clone().unwrap_or_default())
            };
            proposals.iter().map(line).collect::<Vec<_>>().join("\n")
        };
        let mut low = policy.clone();
        low.set_need(Need { leaves: false, ..policy.need() });
        low.removable_flash = Some(Treatment::by("zeros"));
        insta::assert_snapshot!(format!("leaves:\n{}\nstays:\n{}", said(&policy), said(&low)));
    }

    #[test]
    fn what_a_list_requires_of_a_drive_holds_for_that_drive_and_for_no_other() {
        let policy = Policy::from_toml(TEXT).unwrap();
        let disk = test_drive(MediaClass::Magnetic, 9999);
        let able = Capabilities { own_erases: vec![NativeErase::SanitizeOverwrite], ..Capabilities::default() };
        let need = |leaves| Some(Need { leaves, ..policy.need() });
        let of = |need| LotDrive { drive: &disk, answers: &able, speed: None, need };
        let stays = Policy { leaves: false, ..policy.clone() };
        let lot = [of(None), of(need(true)), of(need(false))];
        let proposals = propose(&stays, &lot, &Catalogue::default(), Edition::Rev2).unwrap();
        let said: Vec<(Outcome, Technique)> = proposals.iter().map(|p| (p.need.outcome(), p.way)).collect();
        let (clear, purge) = ((Outcome::Clear, Technique::Overwrite), (Outcome::Purge, Technique::SanitizeOverwrite));
        assert_eq!(said, [clear, purge, clear]);
    }

    #[test]
    fn a_policy_survives_its_file_and_a_mistake_in_it_names_key_and_line() {
        let policy = Policy::from_toml(TEXT).unwrap();
        assert_eq!(Policy::from_toml(&policy.to_toml()).as_ref(), Ok(&policy));
        let wrong = Policy::from_toml(&format!("{TEXT}spead = 3\n")).unwrap_err().to_string();
        assert!(wrong.contains("line 8") && wrong.contains("spead"), "{wrong}");
        let drive = test_drive(MediaClass::Magnetic, 99);
        let order = |t: Treatment| {
            let policy = Policy { magnetic: Some(t), ..policy.clone() };
            policy.order(&drive, &Catalogue::default(), Edition::Rev2).map(|_| ())
        };
        assert!(
            matches!(order(Treatment::by("rando")), Err(PolicyError::NoMethod { nearest, .. }) if nearest.starts_with("random"))
        );
        let native = Treatment { way: Some(Technique::Degauss), ..Treatment::by("zeros") };
        assert_eq!(order(native), Err(PolicyError::NoWay(Technique::Degauss)));
        assert!(check_name("../x").is_err() && check_name("wednesday").is_ok());
    }
}
