//! Where a drive is, what was done to it, and what is still open: computed from its jobs and from what was noted of it.

use super::{Act, Release, in_force};
use jiff::Timestamp;
use jurex_sanitize::record::JobId;
use jurex_sanitize::rules::Outcome;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A job on the drive.
#[derive(Clone, Debug, PartialEq)]
pub struct JobSeen {
    /// Its name.
    pub job: JobId,
    /// When it began.
    pub began: Timestamp,
    /// When it ended and what its record claims; `None`: it has no record.
    pub ended: Option<(Timestamp, Outcome)>,
}

/// Where it is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum Whereabouts {
    /// It has come in.
    CameIn {
        /// From whom.
        from: String,
    },
    /// At a bench.
    AtBench {
        /// Which; empty: that of its newest job.
        bench: String,
    },
    /// On a shelf or in a box.
    Stored {
        /// Which.
        place: String,
    },
    /// At a service that is to destroy it.
    AtService {
        /// Which.
        service: String,
        /// The batch.
        batch: String,
    },
    /// It went back.
    Returned {
        /// To whom.
        to: String,
    },
    /// It was handed over.
    HandedOver {
        /// To whom.
        to: String,
    },
    /// It is destroyed.
    Destroyed,
}

impl Whereabouts {
    /// In a few words, as an answer to where it is.
    pub fn sentence(&self) -> String {
        let named = |what: &str, name: &str| if name.is_empty() { what.to_string() } else { format!("{what} {name}") };
        match self {
            Whereabouts::CameIn { from } => {
                named("came in", &if from.is_empty() { String::new() } else { format!("from {from}") })
            }
            Whereabouts::AtBench { bench } => {
                if bench.is_empty() {
                    "at the bench".into()
                } else {
                    format!("at {bench}")
                }
            }
            Whereabouts::Stored { place } => named("stored:", place),
            Whereabouts::AtService { service, batch } => format!("at {service} with batch {batch}, to be destroyed"),
            Whereabouts::Returned { to } => named("returned to", to),
            Whereabouts::HandedOver { to } => named("handed over to", to),
            Whereabouts::Destroyed => "destroyed".into(),
        }
    }

    fn of(release: &Release) -> Option<Self> {
        // A drive that is only damaged is where it was.
        if release.outcome() == Some(Outcome::NotSanitized) {
            return None;
        }
        Some(match &release.act {
            Act::Received { from } => Whereabouts::CameIn { from: from.clone() },
            Act::AtBench { bench } => Whereabouts::AtBench { bench: bench.clone() },
            Act::Stored { place } => Whereabouts::Stored { place: place.clone() },
            Act::SentOut { service, batch } => Whereabouts::AtService { service: service.clone(), batch: batch.clone() },
            Act::Returned { to } => Whereabouts::Returned { to: to.clone() },
            Act::HandedOver { to } => Whereabouts::HandedOver { to: to.clone() },
            Act::Destroyed(_) => Whereabouts::Destroyed,
            Act::Marked(_)
            | Act::Blank
            | Act::Discarded(_)
            | Act::Prepared(_)
            | Act::TablesCleared(_)
            | Act::Withdrawn { .. } => return None,
        })
    }
}

/// What was done to what it held.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Treated {
    /// Nothing.
    Never,
    /// A job has begun and has no record.
    Begun(JobId),
    /// Its newest job, with what its record claims.
    Job(JobId, Outcome),
    /// It was destroyed, with what that earned.
    Destroyed(Outcome),
}

/// Something about a drive that somebody must still see to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum OpenItem {
    /// It is not sanitized, and nobody has decided what becomes of it.
    Undecided,
    /// It came in and was never erased.
    NeverErased,
    /// It was erased and has no end: it is said nowhere where it is.
    NoEnd,
    /// It is at a service whose certificate has not come back.
    AtService,
}

impl OpenItem {
    /// Every kind, the most urgent first.
    pub const ALL: [OpenItem; 4] = [OpenItem::Undecided, OpenItem::NeverErased, OpenItem::NoEnd, OpenItem::AtService];

    /// As a heading.
    pub fn heading(self) -> &'static str {
        match self {
            OpenItem::Undecided => "Not sanitized: decide what happens next",
            OpenItem::NeverErased => "Came in, and never erased",
            OpenItem::NoEnd => "Erased; destination not recorded",
            OpenItem::AtService => "At a service, its certificate not back",
        }
    }
}

/// How a drive stands.
#[derive(Clone, Debug, PartialEq)]
pub struct DriveStatus {
    /// Where it is.
    pub place: Whereabouts,
    /// Since when.
    pub since: Timestamp,
    /// Who said so; empty: a job of that time shows it.
    pub by: String,
    /// What was done to what it held.
    pub treated: Treated,
    /// All that happened, the oldest first: when, and what.
    pub story: Vec<(Timestamp, String)>,
}

impl DriveStatus {
    /// From its jobs and what was noted of it, each in the order of the ledger; `None`: nothing is known of it.
    pub fn of(jobs: &[JobSeen], releases: &[Release]) -> Option<Self> {
        let mut stands: Option<Self> = None;
        let mut happened: Vec<(Timestamp, StoryStep<'_>)> = vec![];
        for job in jobs {
            happened.push((job.began, StoryStep::Began(&job.job)));
            happened.extend(job.ended.map(|(when, outcome)| (when, StoryStep::Ended(&job.job, outcome))));
        }
        let standing = in_force(releases);
        let stands_still = |release: &Release| standing.iter().any(|s| std::ptr::eq(*s, release));
        happened
            .extend(releases.iter().map(|r| (r.made, if stands_still(r) { StoryStep::Act(r) } else { StoryStep::Withdrawn(r) })));
        // Of one time in this order: a job's end comes before what was noted of it.
        happened.sort_by_key(|(when, _)| *when);
        for (when, step) in happened {
            let at_bench = || Self {
                place: Whereabouts::AtBench { bench: String::new() },
                since: when,
                by: String::new(),
                treated: Treated::Never,
                story: vec![],
            };
            let now = stands.get_or_insert_with(at_bench);
            step.take(when, now);
        }
        stands
    }

    /// What is still to be seen to.
    pub fn matter(&self) -> Option<OpenItem> {
        match (&self.place, &self.treated) {
            (Whereabouts::AtService { .. }, _) => Some(OpenItem::AtService),
            (_, Treated::Destroyed(Outcome::NotSanitized)) => Some(OpenItem::Undecided),
            (Whereabouts::Destroyed, _) => None,
            (Whereabouts::CameIn { .. } | Whereabouts::AtBench { .. } | Whereabouts::Stored { .. }, Treated::Never) => {
                Some(OpenItem::NeverErased)
            }
            // Handed away as it is: somebody has decided that, and the ledger says so.
            (Whereabouts::Returned { .. } | Whereabouts::HandedOver { .. }, _) => None,
            (_, Treated::Begun(_) | Treated::Job(_, Outcome::NotSanitized)) => Some(OpenItem::Undecided),
            (Whereabouts::Stored { .. }, _) => None,
            (Whereabouts::CameIn { .. } | Whereabouts::AtBench { .. }, _) => Some(OpenItem::NoEnd),
        }
    }

    /// What was done to what it held, in a few words.
    pub fn treated_said(&self) -> String {
        match &self.treated {
            Treated::Never => "never erased here".into(),
            Treated::Begun(job) => format!("job {job} was begun and has no record: Not sanitized"),
            Treated::Job(job, outcome) => format!("{outcome} by job {job}"),
            Treated::Destroyed(Outcome::NotSanitized) => "damaged, not destroyed: Not sanitized".into(),
            Treated::Destroyed(outcome) => format!("{outcome}, as it is stated"),
        }
    }
}

/// One step of a drive's story.
enum StoryStep<'s> {
    Began(&'s JobId),
    Ended(&'s JobId, Outcome),
    Act(&'s Release),
    /// What was said, and withdrawn since.
    Withdrawn(&'s Release),
}

impl StoryStep<'_> {
    fn take(&self, when: Timestamp, now: &mut DriveStatus) {
        match self {
            StoryStep::Began(job) => {
                // Wherever it was said to be: it is here, and what it was before says nothing of what it holds now.
                let left = !matches!(now.place, Whereabouts::AtBench { .. });
                if left || now.story.is_empty() {
                    (now.place, now.since, now.by) = (Whereabouts::AtBench { bench: String::new() }, when, String::new());
                }
                now.treated = Treated::Begun((*job).clone());
                now.story.push((when, format!("Job {job} began.")));
            }
            StoryStep::Ended(job, outcome) => {
                // An earlier job that was cut short and went on may end after a later one has begun.
                now.treated = Treated::Job((*job).clone(), *outcome);
                now.story.push((when, format!("Job {job} ended: {outcome}.")));
            }
            StoryStep::Act(release) => {
                if let Some(place) = Whereabouts::of(release) {
                    (now.place, now.since, now.by) = (place, when, release.by.clone());
                }
                if let Act::Received { .. } = release.act
                    && !now.story.is_empty()
                {
                    // It comes back from outside: nobody knows what was written to it there.
                    now.treated = Treated::Never;
                }
                if let Some(outcome) = release.outcome() {
                    let before = if let Treated::Job(_, before) = now.treated { before } else { Outcome::NotSanitized };
                    // What a drill has left is as well erased as it was before.
                    if outcome >= before {
                        now.treated = Treated::Destroyed(outcome);
                    }
                }
                now.story.push((when, format!("{} ({})", release.act.sentence(), release.by)));
            }
            StoryStep::Withdrawn(release) => {
                now.story.push((when, format!("Withdrawn since: {} ({})", release.act.sentence(), release.by)));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::about;
    use super::super::{Circumstances, Destruction, How};
    use super::*;
    use jurex_device::media::MediaClass;
    use jurex_sanitize::rules::Edition;

    fn at(minute: i64) -> Timestamp {
        Timestamp::from_second(minute * 60).unwrap()
    }

    fn noted(minute: i64, act: Act) -> Release {
        Release::new(Circumstances { made: at(minute), ..about(MediaClass::Magnetic) }, act, Edition::Rev2).unwrap()
    }

    fn job(n: u8, began: i64, ended: Option<(i64, Outcome)>) -> JobSeen {
        JobSeen { job: JobId::new("261126", [n; 4]), began: at(began), ended: ended.map(|(m, o)| (at(m), o)) }
    }

    fn stored() -> Act {
        Act::Stored { place: "shelf 3".into() }
    }

    fn destroyed(how: How) -> Act {
        Act::Destroyed(Destruction { particle_mm: how.leaves_pieces().then_some(2.0), ..Destruction::by(how) })
    }

    #[test]
    fn where_it_is_and_what_is_open_follow_from_what_happened_last() {
        use OpenItem::*;
        use Outcome::{Clear, NotSanitized};
        let received = || Act::Received { from: "Skerry Point".into() };
        let sent = || Act::SentOut { service: "Gannet Metals".into(), batch: "7".into() };
        let returned = || Act::Returned { to: "Skerry Point".into() };
        let clear = || job(1, 10, Some((20, Clear)));
        let failed = || job(1, 10, Some((20, NotSanitized)));
        for (jobs, acts, place, matter) in [
            (vec![], vec![(1, received())], "came in from Skerry Point", Some(NeverErased)),
            (vec![], vec![(1, received()), (2, stored())], "stored: shelf 3", Some(NeverErased)),
            (vec![clear()], vec![(1, received())], "at the bench", Some(NoEnd)),
            (vec![clear()], vec![(30, stored())], "stored: shelf 3", None),
            (vec![clear()], vec![(30, Act::Blank)], "at the bench", Some(NoEnd)),
            (vec![clear()], vec![(30, returned())], "returned to Skerry Point", None),
            (vec![failed()], vec![], "at the bench", Some(Undecided)),
            (vec![failed()], vec![(30, stored())], "stored: shelf 3", Some(Undecided)),
            (vec![job(1, 10, None)], vec![(30, stored())], "stored: shelf 3", Some(Undecided)),
            (vec![failed()], vec![(30, destroyed(How::Drilled))], "at the bench", Some(Undecided)),
            (vec![clear()], vec![(30, destroyed(How::Drilled))], "at the bench", Some(NoEnd)),
            (vec![clear()], vec![(30, destroyed(How::Drilled)), (40, stored())], "stored: shelf 3", None),
            (vec![failed()], vec![(30, destroyed(How::Disintegrated))], "destroyed", None),
            (vec![failed()], vec![(30, sent())], "at Gannet Metals with batch 7, to be destroyed", Some(AtService)),
            (vec![failed()], vec![(30, sent()), (40, destroyed(How::Melted))], "destroyed", None),
            // Back from a shelf, and at work again: it has no end any more.
            (vec![clear(), job(2, 40, None)], vec![(30, stored())], "at the bench", Some(Undecided)),
            // Returned, and come in again: whatever was done before says nothing of what it holds now.
            (vec![clear()], vec![(30, returned()), (40, received())], "came in from Skerry Point", Some(NeverErased)),
        ] {
            let releases: Vec<Release> = acts.into_iter().map(|(m, act)| noted(m, act)).collect();
            let stands = DriveStatus::of(&jobs, &releases).unwrap();
            assert_eq!((stands.place.sentence().as_str(), stands.matter()), (place, matter), "{:#?}", stands.story);
        }
        assert_eq!(DriveStatus::of(&[], &[]), None);
    }

    #[test]
    fn what_is_withdrawn_counts_for_nothing_and_stays_to_be_read() {
        let failed = [job(1, 10, Some((20, Outcome::NotSanitized)))];
        let destroyed = noted(30, destroyed(How::Disintegrated));
        let withdraw = |minute, of: &Release| {
            noted(minute, Act::Withdrawn { statement: of.digest(), why: "it lies on shelf 3, and another was torn up".into() })
        };
        let first = withdraw(40, &destroyed);
        let all = [destroyed.clone(), first.clone()];
        let stands = DriveStatus::of(&failed, &all).unwrap();
        assert_eq!((stands.place.sentence().as_str(), stands.matter()), ("at the bench", Some(OpenItem::Undecided)));
        let story: Vec<&str> = stands.story.iter().map(|(_, s)| s.as_str()).collect();
        assert!(story[2].starts_with("Withdrawn since: It was disintegrated") && story[3].contains("shelf 3"), "{story:?}");
        // What withdraws can be withdrawn too; another drive's statement is not touched by it.
        let again = [destroyed.clone(), first.clone(), withdraw(50, &first)];
        assert_eq!(DriveStatus::of(&failed, &again).unwrap().place, Whereabouts::Destroyed);
        let other = [destroyed, noted(40, Act::Withdrawn { statement: "0".repeat(64), why: "x".into() })];
        assert_eq!(DriveStatus::of(&failed, &other).unwrap().place, Whereabouts::Destroyed);
    }

    #[test]
    fn its_story_is_told_in_order() {
        let stands = DriveStatus::of(&[job(1, 10, Some((20, Outcome::Clear)))], &[noted(30, stored())]).unwrap();
        let story: Vec<&str> = stands.story.iter().map(|(_, s)| s.as_str()).collect();
        assert!(story[0].ends_with("began.") && story[1].ends_with("ended: Clear."), "{story:?}");
        assert_eq!(story[2], "It was put away: shelf 3. (Ines)");
        assert_eq!(
            (stands.since, stands.by.as_str(), stands.treated_said().split(" by").next()),
            (at(30), "Ines", Some("Clear"))
        );
    }
}
