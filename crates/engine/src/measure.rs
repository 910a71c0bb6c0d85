//! Is the drive as large as it says? What is laid, and read, to find out. No I/O here: acts are given out, and what was met is
//! taken.
//!
//! Sectors all over the drive, a *stride* apart, are tagged with their own address, then a whole stride at its end, then one at
//! its start; then all but the last are read. Whatever period the addresses of a counterfeit begin again with, the stride at the
//! end then comes to lie on a tagged sector: if the period is a stride or more, on one of those a stride apart; if it is less,
//! on itself. A drive that keeps what was written in a buffer of its own has forgotten the first tags by then, unless the
//! buffer is larger than a stride.
//!
//! Where a tag is met at another address than its own, the distance is a multiple of the period. Which one is found as the
//! order of an element is: the distance is divided by each of its prime factors as long as the first sector is still met
//! there.

use jurex_device::media::Geometry;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::evidence::{MAX_EXAMPLES, SameSector, SizeEvidence};
use jurex_sanitize::plan::ProbeLayout;
use jurex_sanitize::probe_tag::ProbeTag;
use std::collections::{BTreeSet, VecDeque};
use std::sync::Arc;

/// Places that are tried at once where the end of what holds is searched.
const FAN: u64 = 64;
/// Places in a row that fail before nothing more is tried.
const FAILING: u64 = 32;

/// What to do next.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum ProbeAct {
    /// Lay tags of the first or of the second round on these sectors.
    Lay(Vec<Sectors>, TagRound),
    /// Flush every cache.
    Flush,
    /// Read these sectors.
    Read(Vec<Sectors>),
}

/// Which tags.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum TagRound {
    First,
    Second,
}

/// What is being found out.
#[derive(Clone, Debug)]
enum SizeQuestion {
    /// Whether every tag is where it was laid.
    Whole,
    /// At which of these addresses the first sector is met.
    Period { distance: u64, candidates: Vec<Candidate> },
    /// Between which sectors what holds ends: `holds` is known to hold, `ends` not to; what was tried and held is in `held`.
    End { holds: Option<u64>, ends: u64, before: u64, held: BTreeSet<u64> },
    /// Nothing more.
    Answered,
}

/// The distance divided `power` times by a prime.
#[derive(Clone, Copy, Debug)]
struct Candidate {
    prime: u64,
    power: u32,
    at: u64,
    is_first: bool,
}

/// A size check under way.
#[derive(Debug)]
pub(super) struct Measuring {
    layout: ProbeLayout,
    tags: [Arc<Pattern>; 2],
    acts: VecDeque<ProbeAct>,
    question: SizeQuestion,
    found: SizeEvidence,
    /// Greatest common divisor of all distances between where a tag was laid and where it was met.
    distance: u64,
    /// The first sector that did not hold its tag, and of those a stride apart the last one that did.
    first_false: Option<u64>,
    last_held: Option<u64>,
    /// What could not be written: that no tag is on it says nothing of the drive's size.
    unwritten: RangeSet,
    /// Places in a row that failed.
    failing: u64,
}

impl Measuring {
    /// With tags laid as `tags`, a keystream.
    pub(super) fn new(geometry: Geometry, tags: &Pattern, session: u32) -> Self {
        let layout = ProbeLayout::of(geometry);
        let (apart, last, first) = (layout.apart(), layout.last(), layout.first());
        let lay = |places| [ProbeAct::Lay(places, TagRound::First), ProbeAct::Flush];
        let mut acts: VecDeque<ProbeAct> =
            [lay(apart.clone()), lay(vec![last]), lay(vec![first])].into_iter().flatten().collect();
        // In another order than they were written in, and what was written last at the end.
        acts.push_back(ProbeAct::Read(apart.iter().rev().copied().collect()));
        acts.push_back(ProbeAct::Read(vec![last]));
        let tagged = apart.iter().map(|s| s.count).sum::<u64>() + last.count;
        let found =
            SizeEvidence { session, told: layout.told, sector_bytes: geometry.logical, tagged, ..SizeEvidence::default() };
        let tags = [Arc::new(tags.clone()), Arc::new(tags.complement())];
        Self {
            layout,
            tags,
            acts,
            question: SizeQuestion::Whole,
            found,
            distance: 0,
            first_false: None,
            last_held: None,
            unwritten: RangeSet::new(),
            failing: 0,
        }
    }

    /// The tags of a round.
    pub(super) fn tags(&self, round: TagRound) -> &Arc<Pattern> {
        &self.tags[usize::from(round == TagRound::Second)]
    }

    /// What was found so far.
    pub(super) fn found(&self) -> &SizeEvidence {
        &self.found
    }

    /// What to do next; `None`: the question is answered as far as it can be.
    pub(super) fn next(&mut self) -> Option<ProbeAct> {
        while self.acts.is_empty() && !matches!(self.question, SizeQuestion::Answered) {
            self.decide();
        }
        self.acts.pop_front()
    }

    /// Takes what the sectors from `first` on told.
    pub(super) fn note(&mut self, first: Lba, met: &[ProbeTag]) {
        self.failing = 0;
        for (lba, tag) in (first.0..).zip(met) {
            match &mut self.question {
                SizeQuestion::Whole => self.note_tag(lba, *tag),
                SizeQuestion::Period { candidates, .. } => {
                    let is_first = *tag == ProbeTag::Of { lba: Lba(0), second: true };
                    candidates.iter_mut().filter(|c| c.at == lba).for_each(|c| c.is_first = is_first);
                }
                SizeQuestion::End { ends, held, .. } => match tag {
                    ProbeTag::Of { lba: of, .. } if of.0 == lba => {
                        held.insert(lba);
                    }
                    _ => *ends = (*ends).min(lba),
                },
                SizeQuestion::Answered => {}
            }
        }
    }

    fn note_tag(&mut self, lba: u64, tag: ProbeTag) {
        match tag {
            _ if self.unwritten.contains(Lba(lba)) => {
                self.found.failed += 1;
                return;
            }
            ProbeTag::Of { lba: of, .. } if of.0 == lba => {
                self.found.own += 1;
                if lba < self.layout.last().first.0 {
                    self.last_held = self.last_held.max(Some(lba));
                }
                return;
            }
            ProbeTag::Of { lba: of, .. } => {
                self.found.of_others += 1;
                self.distance = gcd(self.distance, of.0.abs_diff(lba));
                if self.found.same.len() < MAX_EXAMPLES {
                    self.found.same.push(SameSector { written: of, read: Lba(lba) });
                }
            }
            ProbeTag::Blank | ProbeTag::None => {
                self.found.lost += 1;
                self.found.blank += u64::from(tag == ProbeTag::Blank);
            }
        }
        self.first_false = Some(self.first_false.map_or(lba, |f| f.min(lba)));
    }

    /// Tags were laid.
    pub(super) fn laid(&mut self) {
        self.failing = 0;
    }

    /// These sectors could not be written.
    pub(super) fn not_laid(&mut self, at: Sectors) {
        self.unwritten.insert(at);
        self.give_up_if_failing();
    }

    /// These could not be read.
    pub(super) fn not_read(&mut self, at: Sectors) {
        if matches!(self.question, SizeQuestion::Whole) {
            self.found.failed += at.count;
        }
        self.give_up_if_failing();
    }

    /// A drive that fails everywhere takes its time for each place, and tells nothing.
    fn give_up_if_failing(&mut self) {
        self.failing += 1;
        if self.failing > FAILING {
            self.acts.clear();
            self.question = SizeQuestion::Answered;
        }
    }

    /// Whether nothing more is asked.
    pub(super) fn is_answered(&self) -> bool {
        matches!(self.question, SizeQuestion::Answered) && self.acts.is_empty()
    }

    /// Everything that was asked is answered: what follows from it?
    fn decide(&mut self) {
        match std::mem::replace(&mut self.question, SizeQuestion::Answered) {
            SizeQuestion::Whole => self.ask_period(),
            SizeQuestion::Period { distance, candidates } => self.period_told(distance, &candidates),
            SizeQuestion::End { holds, ends, before, held } => {
                let last = held.range(..ends).next_back().copied().max(holds);
                // Nothing that was tried could be read: it is known to end there, and no nearer.
                if held.is_empty() && ends == before {
                    self.found.ends_before = Some(Lba(ends));
                } else {
                    self.search_end(last, ends);
                }
            }
            SizeQuestion::Answered => {}
        }
    }

    /// Where every sector was met at another's address, and none was lost, the first sector gets another tag, and is looked for at the distance that was met and at its parts.
    fn ask_period(&mut self) {
        let (distance, stride) = (self.distance, self.layout.stride);
        if self.found.lost > 0 || distance == 0 {
            return self.ask_end();
        }
        let candidates = candidates(distance);
        let first = Sectors::new(0, 1);
        self.acts.extend([ProbeAct::Lay(vec![first], TagRound::Second), ProbeAct::Flush]);
        // If the period is a stride or more, a whole one can follow it that does not come to lie on it.
        if distance >= stride && stride > 1 {
            self.acts.extend([ProbeAct::Lay(vec![Sectors::new(1, stride - 1)], TagRound::First), ProbeAct::Flush]);
        }
        self.acts.push_back(ProbeAct::Read(candidates.iter().map(|c| Sectors::new(c.at, 1)).collect()));
        self.question = SizeQuestion::Period { distance, candidates };
    }

    fn period_told(&mut self, distance: u64, candidates: &[Candidate]) {
        if !candidates.iter().any(|c| c.at == distance && c.is_first) {
            return self.ask_end();
        }
        let mut period = distance;
        for c in candidates.iter().filter(|c| c.is_first) {
            // Of each prime the highest power counts; they come in order.
            let is_highest = !candidates.iter().any(|d| d.prime == c.prime && d.power > c.power && d.is_first);
            period /= if is_highest { c.prime.pow(c.power) } else { 1 };
        }
        self.found.begins_again_at = Some(Lba(period));
    }

    /// Where what holds ends is searched between two of the sectors that are a stride apart.
    fn ask_end(&mut self) {
        let Some(ends) = self.first_false else { return };
        if !self.last_held.is_some_and(|held| (ends..).contains(&held)) {
            self.search_end(self.last_held, ends);
        }
    }

    fn search_end(&mut self, holds: Option<u64>, ends: u64) {
        let from = holds.map_or(0, |h| h + 1);
        let between = ends.saturating_sub(from);
        if between == 0 {
            self.found.ends_before = Some(Lba(ends));
            return;
        }
        let places = FAN.min(between);
        let probes: Vec<Sectors> = (0..places).map(|n| Sectors::new(from + between * n / places, 1)).collect();
        self.acts.extend([ProbeAct::Lay(probes.clone(), TagRound::First), ProbeAct::Flush]);
        // What does not hold is written over by this, wherever it went.
        self.acts.extend([ProbeAct::Lay(vec![self.layout.last()], TagRound::First), ProbeAct::Flush]);
        self.acts.push_back(ProbeAct::Read(probes.into_iter().rev().collect()));
        self.question = SizeQuestion::End { holds, ends, before: ends, held: BTreeSet::new() };
    }
}

/// The distance itself, and what is left of it when it is divided by each of its primes, once and again.
fn candidates(distance: u64) -> Vec<Candidate> {
    let mut all = vec![Candidate { prime: 1, power: 0, at: distance, is_first: false }];
    for prime in primes(distance) {
        let mut at = distance;
        let mut power = 0;
        while at.is_multiple_of(prime) {
            at /= prime;
            power += 1;
            all.push(Candidate { prime, power, at, is_first: false });
        }
    }
    all
}

fn primes(mut n: u64) -> Vec<u64> {
    let mut found = vec![];
    let mut prime = 2u64;
    while prime.pow(2) <= n {
        if n.is_multiple_of(prime) {
            found.push(prime);
            while n.is_multiple_of(prime) {
                n /= prime;
            }
        }
        prime += 1;
    }
    found.extend((n > 1).then_some(n));
    found
}

fn gcd(a: u64, b: u64) -> u64 {
    if b == 0 { a } else { gcd(b, a % b) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_sanitize::evidence::SizeFinding;
    use proptest::prelude::*;
    use std::collections::HashMap;

    /// What a drive does with addresses that it does not have.
    #[derive(Clone, Copy, Debug)]
    enum Beyond {
        /// It has them all.
        Honest,
        BeginsAgain,
        Drops,
        /// They all come to lie on the last sectors that it has: so many.
        Repeats(u64),
    }

    /// A drive that holds fewer sectors than it says, with a buffer that keeps the last ones that were written.
    struct Counterfeit {
        holds: u64,
        beyond: Beyond,
        cells: HashMap<u64, (u64, TagRound)>,
        buffer: VecDeque<(u64, (u64, TagRound))>,
        remembers: usize,
    }

    impl Counterfeit {
        fn real(&self, lba: u64) -> Option<u64> {
            match self.beyond {
                _ if lba < self.holds => Some(lba),
                Beyond::Honest => Some(lba),
                Beyond::BeginsAgain => Some(lba % self.holds),
                Beyond::Drops => None,
                Beyond::Repeats(ring) => Some(self.holds - ring + lba % ring),
            }
        }
        fn write(&mut self, lba: u64, round: TagRound) {
            if let Some(real) = self.real(lba) {
                self.cells.insert(real, (lba, round));
            }
            self.buffer.push_back((lba, (lba, round)));
            while self.buffer.len() > self.remembers {
                self.buffer.pop_front();
            }
        }
        fn read(&self, lba: u64) -> ProbeTag {
            let buffered = self.buffer.iter().rev().find(|(at, _)| *at == lba).map(|(_, held)| *held);
            let held = buffered.or_else(|| self.cells.get(&self.real(lba)?).copied());
            held.map_or(ProbeTag::Blank, |(lba, round)| ProbeTag::Of { lba: Lba(lba), second: round == TagRound::Second })
        }
    }

    fn measure(told: u64, physical: u32, drive: &mut Counterfeit) -> SizeEvidence {
        let geometry = Geometry { logical: 512, physical, sectors: told };
        let mut measuring = Measuring::new(geometry, &Pattern::random([1; 16]), 0);
        let mut acts = 0;
        while let Some(act) = measuring.next() {
            acts += 1;
            assert!(acts < 1000, "it has an end");
            match act {
                ProbeAct::Lay(places, round) => {
                    places.iter().flat_map(|s| s.first.0..s.end()).for_each(|lba| drive.write(lba, round));
                    measuring.laid();
                }
                ProbeAct::Flush => {}
                ProbeAct::Read(places) => places.iter().for_each(|s| {
                    let met: Vec<ProbeTag> = (s.first.0..s.end()).map(|lba| drive.read(lba)).collect();
                    measuring.note(s.first, &met);
                }),
            }
        }
        check_soundness(measuring.found(), told);
        measuring.found().clone()
    }

    fn check_soundness(of: &SizeEvidence, told: u64) {
        assert!(of.tagged <= told && of.own + of.of_others + of.lost + of.failed <= of.tagged, "{of:?}");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(600))]
        #[test]
        fn whatever_a_drive_does_beyond_its_end_is_found_and_the_end_named(
            told in 2u64..30_000,
            share in 0.0f64..1.0,
            way in 0u8..4,
            ring in 1u64..40,
            physical in prop::sample::select(vec![512u32, 4096]),
            remembers in 0u64..300,
        ) {
            let holds = 1 + ((told - 1) as f64 * share) as u64;
            let unit = u64::from(physical / 512);
            // A buffer as large as the drive hides all of it.
            let remembers = if told < 4 * unit { 0 } else { remembers };
            prop_assume!(holds < told);
            let stride = ProbeLayout::of(Geometry { logical: 512, physical, sectors: told }).stride;
            let ring = ring.min(holds).min(stride);
            let beyond = [Beyond::Honest, Beyond::BeginsAgain, Beyond::Drops, Beyond::Repeats(ring)][usize::from(way)];
            // It remembers less than a stride, or nothing of it could be found.
            let remembers = remembers.min(stride - 1) as usize;
            let mut drive = Counterfeit { holds, beyond, cells: HashMap::new(), buffer: VecDeque::new(), remembers };
            let found = measure(told, physical, &mut drive);
            match beyond {
                Beyond::Honest => prop_assert_eq!(found.finding(), SizeFinding::AsTold),
                Beyond::BeginsAgain => {
                    prop_assert!(found.is_false(), "{:?}", found);
                    // A buffer that answers in place of so few sectors hides which of them they are.
                    if holds >= stride || remembers == 0 {
                        prop_assert_eq!(found.finding(), SizeFinding::BeginsAgain { after: holds }, "{:?}", found);
                    }
                }
                Beyond::Drops => {
                    prop_assert!(found.is_false(), "{:?}", found);
                    // Of less than a physical sector a buffer that holds the start answers for the rest of it.
                    if holds >= unit || remembers == 0 {
                        prop_assert_eq!(found.finding(), SizeFinding::Drops { from: holds }, "{:?}", found);
                    }
                }
                Beyond::Repeats(_) => {
                    prop_assert!(found.is_false(), "{:?}", found);
                    // The sectors of the ring were written over: what holds ends before them.
                    if let Some(end) = found.holds().filter(|_| holds >= unit || remembers == 0) {
                        prop_assert!((holds - ring..=holds).contains(&end), "{:?}", found);
                    }
                    prop_assert!(told < 64 * unit || !matches!(found.finding(), SizeFinding::NotProved | SizeFinding::AsTold));
                }
            }
        }
    }

    /// Every drive of so many sectors that holds fewer, without a buffer: a period or an end in each place of a stride.
    #[test]
    fn the_end_of_what_holds_is_found_to_the_sector_wherever_in_a_stride_it_lies() {
        for (told, holds) in [(6400, 1..301), (6400, 6290..6400), (640, 1..640), (130, 1..130), (64_000, 32_000..32_100)] {
            for holds in holds {
                for (beyond, expected) in [
                    (Beyond::Drops, SizeFinding::Drops { from: holds }),
                    (Beyond::BeginsAgain, SizeFinding::BeginsAgain { after: holds }),
                ] {
                    let mut drive = Counterfeit { holds, beyond, cells: HashMap::new(), buffer: VecDeque::new(), remembers: 0 };
                    assert_eq!(measure(told, 512, &mut drive).finding(), expected, "{told} told");
                }
            }
        }
    }

    fn measuring(told: u64) -> Measuring {
        Measuring::new(Geometry { logical: 512, physical: 512, sectors: told }, &Pattern::random([1; 16]), 0)
    }

    fn of(lba: u64, second: bool) -> [ProbeTag; 1] {
        [ProbeTag::Of { lba: Lba(lba), second }]
    }

    /// Tags all over a drive of 6400 sectors are its own, but for what is said; gives what is asked next.
    fn after_the_whole(met: impl Fn(u64) -> ProbeTag) -> (Measuring, Vec<ProbeAct>) {
        let mut measuring = measuring(6400);
        while !measuring.acts.is_empty() {
            if let Some(ProbeAct::Read(places)) = measuring.next() {
                places.iter().flat_map(|at| at.first.0..at.end()).for_each(|lba| measuring.note(Lba(lba), &[met(lba)]));
            }
        }
        let first = measuring.next();
        let asked = first.into_iter().chain(std::mem::take(&mut measuring.acts)).collect();
        (measuring, asked)
    }

    fn single(lba: impl IntoIterator<Item = u64>) -> Vec<Sectors> {
        lba.into_iter().map(|lba| Sectors::new(lba, 1)).collect()
    }

    #[test]
    fn a_period_is_asked_for_at_the_distance_and_at_its_parts_and_a_buffer_is_written_over_first() {
        let own = |lba| ProbeTag::Of { lba: Lba(lba), second: false };
        let (mut measuring, asked) = after_the_whole(|lba| if lba < 100 { own(lba + 600) } else { own(lba) });
        let parts = [600, 300, 150, 75, 200, 120, 24];
        let expected = [
            ProbeAct::Lay(single([0]), TagRound::Second),
            ProbeAct::Flush,
            ProbeAct::Lay(vec![Sectors::new(1, 99)], TagRound::First),
            ProbeAct::Flush,
            ProbeAct::Read(single(parts)),
        ];
        assert_eq!((asked, measuring.distance), (expected.to_vec(), 600));
        // It is met at 600, 300 and 150; 75 could not be read. Three times in 600 is no matter of 5 alone.
        [600, 300, 150, 120].iter().for_each(|at| measuring.note(Lba(*at), &of(0, true)));
        [200, 24].iter().for_each(|at| measuring.note(Lba(*at), &of(*at, false)));
        assert_eq!((measuring.next(), measuring.found().begins_again_at), (None, Some(Lba(30))), "600 by 4 and by 5");
        // What of a prime was met at a higher power counts, though a read at a lower one failed.
        let (mut measuring, _) = after_the_whole(|lba| if lba < 100 { own(lba + 600) } else { own(lba) });
        [600, 150].iter().for_each(|at| measuring.note(Lba(*at), &of(0, true)));
        assert_eq!((measuring.next(), measuring.found().begins_again_at), (None, Some(Lba(150))));
        // Not met at the distance itself: there is no period, and the end is searched.
        let (mut measuring, _) = after_the_whole(|lba| if lba < 100 { own(lba + 600) } else { own(lba) });
        measuring.note(Lba(300), &of(0, true));
        measuring.next();
        assert_eq!(measuring.found().begins_again_at, None);
        // Less than a stride: nothing can follow the first sector that would not come to lie on it.
        let (_, asked) = after_the_whole(|lba| if lba == 6350 { own(6320) } else { own(lba) });
        assert!(matches!(&asked[2], ProbeAct::Read(places) if places[0] == Sectors::new(30, 1)), "{asked:?}");
        let (_, asked) = after_the_whole(|lba| if lba == 0 { own(100) } else { own(lba) });
        assert!(matches!(&asked[2], ProbeAct::Lay(..)), "a stride itself: {asked:?}");
        // Where a stride is one sector nothing lies between the first and the next.
        let mut small = self::measuring(64);
        while !small.acts.is_empty() {
            if let Some(ProbeAct::Read(places)) = small.next() {
                places
                    .iter()
                    .flat_map(|at| at.first.0..at.end())
                    .for_each(|lba| small.note(Lba(lba), &of((lba + 7) % 64, false)));
            }
        }
        assert!(matches!(small.next(), Some(ProbeAct::Lay(_, TagRound::Second))));
        assert!(matches!((small.next(), small.next()), (Some(ProbeAct::Flush), Some(ProbeAct::Read(_)))));
        // Where any was lost, no period explains it.
        let (_, asked) = after_the_whole(|lba| {
            if lba < 100 {
                own(lba + 600)
            } else if lba > 6000 {
                ProbeTag::None
            } else {
                own(lba)
            }
        });
        assert!(!asked.iter().any(|act| matches!(act, ProbeAct::Lay(_, TagRound::Second))), "{asked:?}");
        assert_eq!(after_the_whole(own).1, []);
    }

    #[test]
    fn where_it_ends_is_searched_in_sixty_four_places_at_once_until_nothing_lies_between() {
        let own = |lba| ProbeTag::Of { lba: Lba(lba), second: false };
        let (mut measuring, asked) = after_the_whole(|lba| if lba < 1000 { own(lba) } else { ProbeTag::Blank });
        let probes: Vec<u64> = (0..64).map(|n| 901 + 99 * n / 64).collect();
        let expected = [
            ProbeAct::Lay(single(probes.clone()), TagRound::First),
            ProbeAct::Flush,
            ProbeAct::Lay(vec![Sectors::new(6300, 100)], TagRound::First),
            ProbeAct::Flush,
            ProbeAct::Read(single(probes.iter().rev().copied())),
        ];
        assert_eq!(asked, expected);
        // Nothing can be read: it is known to end there, and no nearer.
        assert_eq!((measuring.next(), measuring.found().ends_before), (None, Some(Lba(1000))));
        let begun = || after_the_whole(|lba| if lba < 1000 { own(lba) } else { ProbeTag::Blank }).0;
        let asks = |measuring: &mut Measuring| match measuring.next() {
            Some(ProbeAct::Lay(places, _)) => Some((places[0].first.0, places.len())),
            _ => None,
        };
        // Only one place could be read, and did not hold: it ends there or before.
        let mut measuring = begun();
        measuring.note(Lba(950), &[ProbeTag::Blank]);
        assert_eq!(asks(&mut measuring), Some((901, 49)));
        // All that could be read held: it ends after those.
        let mut measuring = begun();
        [901, 950].iter().for_each(|at| measuring.note(Lba(*at), &of(*at, false)));
        assert_eq!(asks(&mut measuring), Some((951, 49)));
        // One that holds beyond one that does not is another matter.
        let mut measuring = begun();
        measuring.note(Lba(990), &of(990, false));
        measuring.note(Lba(940), &[ProbeTag::None]);
        assert_eq!(asks(&mut measuring), Some((901, 39)));
        // Held on both sides of one that did not: there is no end to search for.
        let (_, asked) = after_the_whole(|lba| if lba == 1000 { ProbeTag::Blank } else { own(lba) });
        assert_eq!(asked, []);
        // The last stride, which everything else could come to lie on, is no sign that it holds as far as that.
        let (_, asked) = after_the_whole(|lba| if (1000..6300).contains(&lba) { ProbeTag::Blank } else { own(lba) });
        assert_eq!(asked, expected);
    }

    #[test]
    fn what_was_met_is_counted_with_four_examples_and_what_could_not_be_read_too() {
        let (measuring, _) = after_the_whole(|lba| ProbeTag::Of { lba: Lba(lba + 1), second: false });
        assert_eq!((measuring.found().of_others, measuring.found().same.len()), (163, MAX_EXAMPLES));
        let mut measuring = measuring_of_reads();
        assert!(!measuring.is_answered(), "its last act is being done");
        (0..FAILING).for_each(|n| measuring.not_read(Sectors::new(6300 + n, 2)));
        assert_eq!((measuring.found().failed, measuring.is_answered()), (2 * FAILING, false));
        measuring.not_read(Sectors::new(6399, 1));
        assert!(measuring.is_answered() && measuring.next().is_none());
        // Between those that fail some take their tag: the drive answers.
        let mut measuring = self::measuring(6400);
        (0..3 * FAILING).for_each(|n| {
            measuring.not_laid(Sectors::new(n, 1));
            measuring.laid();
        });
        assert!(!measuring.is_answered() && measuring.next().is_some());
    }

    /// A size check whose last reading is under way.
    fn measuring_of_reads() -> Measuring {
        let mut measuring = measuring(6400);
        while !measuring.acts.is_empty() {
            measuring.next();
        }
        measuring
    }

    #[test]
    fn a_distance_has_its_divisors_by_primes() {
        assert_eq!(
            (primes(1), primes(2), primes(97), primes(360), primes(49)),
            (vec![], vec![2], vec![97], vec![2, 3, 5], vec![7])
        );
        assert_eq!(primes(2 * 1_000_003), [2, 1_000_003]);
        assert_eq!((gcd(0, 7), gcd(7, 0), gcd(12, 18), gcd(600, 1000), gcd(7, 9)), (7, 7, 6, 200, 1));
        assert_eq!(
            candidates(12).iter().map(|c| (c.prime, c.power, c.at)).collect::<Vec<_>>(),
            [(1, 0, 12), (2, 1, 6), (2, 2, 3), (3, 1, 4)]
        );
    }

    #[test]
    fn places_that_fail_here_and_there_end_no_size_check() {
        let geometry = Geometry { logical: 512, physical: 512, sectors: 100_000_000 };
        let mut measuring = Measuring::new(geometry, &Pattern::random([1; 16]), 0);
        let mut failed = 0;
        while let Some(act) = measuring.next() {
            let ProbeAct::Read(places) = act else { continue };
            for at in places {
                if measuring.is_answered() {
                    break;
                }
                failed += 1;
                if failed % 2 == 0 {
                    measuring.not_read(at);
                } else {
                    let own: Vec<ProbeTag> =
                        (at.first.0..at.end()).map(|lba| ProbeTag::Of { lba: Lba(lba), second: false }).collect();
                    measuring.note(at.first, &own);
                }
            }
        }
        assert!(failed > 20 * FAILING, "only failures in a row tell that it does not answer: {failed}");
    }

    #[test]
    fn a_drive_that_fails_everywhere_is_soon_left_alone_and_nothing_is_said_of_its_size() {
        let geometry = Geometry { logical: 512, physical: 512, sectors: 100_000 };
        let mut measuring = Measuring::new(geometry, &Pattern::random([1; 16]), 0);
        let mut tries = 0;
        while let Some(act) = measuring.next() {
            let ProbeAct::Lay(places, _) = act else { continue };
            for at in places {
                if measuring.is_answered() {
                    break;
                }
                tries += 1;
                measuring.not_laid(at);
            }
        }
        assert_eq!((measuring.found().finding(), tries), (SizeFinding::NotProved, FAILING + 1));
    }
}
