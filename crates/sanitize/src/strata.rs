//! Jurex's drawing of a drive as values: layers over the drive's sectors, lowest first, drawn to scale by the terminal
//! and by the report. The drive lies flat; what was there is at the bottom, each pass on top of it, proof above its pass.

use crate::contents::Contents;
use crate::evidence::{Evidence, NativeEvidence, PassEvidence, ReadBack};
use jurex_device::media::{Drive, Geometry, HiddenAreas};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;

/// What a span of a layer shows. Words, shapes and colours belong to whoever draws it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SpanKind {
    /// What was there before.
    Former,
    /// Sectors that the drive hid from the host.
    Hidden,
    /// The drive is at work on its own erasure; where, nobody knows.
    AtWork,
    /// Erased by the drive itself, by its own word.
    Own,
    /// Bytes laid by a pass.
    Laid,
    /// Read back and right.
    Proved,
    /// Something that a person could still use.
    Left,
    /// Wrong, unreadable or unwritable.
    Fault,
}

/// Sectors of one kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Span {
    /// Where.
    pub at: Sectors,
    /// What.
    pub kind: SpanKind,
    /// Words on it, where there are any.
    pub text: Option<String>,
}

/// One layer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StrataLayer {
    /// What the layer is.
    pub title: String,
    /// Its spans; faults come last, so that they are drawn over the rest.
    pub spans: Vec<Span>,
}

/// The whole drawing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Strata {
    /// Every sector of the drive.
    pub whole: Sectors,
    /// Capacity in bytes, for the scale.
    pub bytes: u64,
    /// Layers, the lowest first.
    pub layers: Vec<StrataLayer>,
}

/// Passes that are drawn one by one; of more, the finished ones fold into one layer.
const DRAWN_PASSES: usize = 6;

impl Strata {
    /// The drive before a pass has begun.
    pub fn before(whole: Sectors, bytes: u64, contents: &Contents) -> Self {
        let former = |r: &crate::contents::Region| Span { at: r.at, kind: SpanKind::Former, text: Some(r.called()) };
        let layer = StrataLayer { title: "before".into(), spans: contents.regions.iter().map(former).collect() };
        Self { whole, bytes, layers: vec![layer] }
    }

    /// A drive that nothing was done to yet, with what it hides at its end.
    pub fn of_drive(drive: &Drive, contents: &Contents) -> Self {
        let hidden = if let HiddenAreas::Hidden { sectors } = drive.hidden { sectors } else { 0 };
        let geometry = Geometry { sectors: drive.geometry.sectors.saturating_add(hidden), ..drive.geometry };
        let mut strata = Self::before(geometry.whole(), geometry.bytes(), contents);
        strata.hide(Sectors::new(drive.geometry.sectors, hidden));
        strata
    }

    /// What lies there was hidden from the host.
    fn hide(&mut self, at: Sectors) {
        if at.count > 0 {
            self.layers[0].spans.push(Span { at, kind: SpanKind::Hidden, text: Some("hidden".into()) });
        }
    }

    /// The drive with what `evidence` shows of each stage and pass.
    pub fn of(evidence: &Evidence, contents: &Contents) -> Self {
        let geometry = evidence.geometry();
        let mut strata = match evidence.lift() {
            None => Self::of_drive(evidence.drive(), contents),
            Some(_) => Self::before(geometry.whole(), geometry.bytes(), contents),
        };
        if let Some(lift) = evidence.lift() {
            let first = lift.before.sectors;
            strata.hide(Sectors::new(first, geometry.sectors.saturating_sub(first)));
        }
        if let Some(own) = evidence.own() {
            strata.layers.extend(own_layer(own, geometry.whole()));
            strata.layers.extend(evidence.own_check().map(|check| proof(&check.read_back)));
        }
        let passes = evidence.passes();
        let folded = if passes.len() > DRAWN_PASSES { passes.len() - DRAWN_PASSES + 1 } else { 0 };
        if folded > 0 {
            strata.layers.push(fold(&passes[..folded]));
        }
        for (i, pass) in passes.iter().enumerate().skip(folded) {
            strata.layers.push(laid(&format!("{} {}", i + 1, pass.pattern), pass));
            strata.layers.extend(evidence.reading_of(i).map(proof));
        }
        strata
    }
}

impl Strata {
    /// With what a search has found on top: `usable` is the share of what a person could use, in equal parts of the drive.
    #[must_use]
    pub fn with_left(mut self, usable: &[Option<f64>]) -> Self {
        let parts = usable.len().max(1) as u128;
        let edge = |n: usize| self.whole.first.0 + (u128::from(self.whole.count) * n as u128 / parts) as u64;
        let part = |n: usize| Sectors::new(edge(n), edge(n + 1) - edge(n));
        let found = usable.iter().enumerate().filter(|(_, share)| share.is_some_and(|s| s > 0.0));
        let spans = found.map(|(n, _)| Span { at: part(n), kind: SpanKind::Left, text: None }).collect();
        self.layers.push(StrataLayer { title: "left".into(), spans });
        self
    }
}

fn spans(set: &RangeSet, kind: SpanKind) -> impl Iterator<Item = Span> {
    set.iter().map(move |at| Span { at: *at, kind, text: None })
}

fn laid(title: &str, pass: &PassEvidence) -> StrataLayer {
    StrataLayer {
        title: title.into(),
        spans: spans(&pass.laid, SpanKind::Laid).chain(spans(&pass.unwritable, SpanKind::Fault)).collect(),
    }
}

/// The drive's own erasure: one layer, since no drive tells where it is at work.
fn own_layer(own: &NativeEvidence, whole: Sectors) -> Option<StrataLayer> {
    let kind = match (own.completed, own.sent) {
        (true, _) => SpanKind::Own,
        (false, 0) => return None,
        (false, _) => SpanKind::AtWork,
    };
    Some(StrataLayer { title: "itself".into(), spans: vec![Span { at: whole, kind, text: None }] })
}

fn fold(passes: &[PassEvidence]) -> StrataLayer {
    let mut faults = RangeSet::new();
    passes.iter().for_each(|p| faults.extend(&p.unwritable));
    let last = &passes[passes.len() - 1];
    let title = format!("passes 1-{}", passes.len());
    StrataLayer { title, spans: spans(&last.laid, SpanKind::Laid).chain(spans(&faults, SpanKind::Fault)).collect() }
}

fn proof(read: &ReadBack) -> StrataLayer {
    let faults = spans(&read.wrong, SpanKind::Fault).chain(spans(&read.unreadable, SpanKind::Fault));
    StrataLayer { title: "proof".into(), spans: spans(&read.read, SpanKind::Proved).chain(faults).collect() }
}

impl StrataLayer {
    /// The layer as `columns` cells over `whole`: what covers most of each cell, except that a fault anywhere in a cell
    /// shows. The number is the covered share in eighths, 1 to 8.
    pub fn cells(&self, whole: Sectors, columns: usize) -> Vec<Option<(SpanKind, u8)>> {
        (0..columns).map(|c| self.cell(whole, columns, c)).collect()
    }

    fn cell(&self, whole: Sectors, columns: usize, column: usize) -> Option<(SpanKind, u8)> {
        // Eighths of a sector keep cells exact on drives with fewer sectors than columns.
        let at = |c: usize| whole.first.0 as u128 * 8 + (c as u128 * whole.count as u128 * 8) / columns as u128;
        let (from, to) = (at(column), at(column + 1));
        let overlap = |s: &Span| {
            let (a, b) = (s.at.first.0 as u128 * 8, s.at.end() as u128 * 8);
            b.min(to).saturating_sub(a.max(from))
        };
        let covered = |kind: SpanKind| self.spans.iter().filter(|s| s.kind == kind).map(overlap).sum::<u128>();
        // One alone matters as much as many.
        if let Some(kind) = [SpanKind::Fault, SpanKind::Left].into_iter().find(|k| covered(*k) > 0) {
            return Some((kind, 8));
        }
        let (kind, most) =
            [SpanKind::Proved, SpanKind::Laid, SpanKind::Own, SpanKind::AtWork, SpanKind::Hidden, SpanKind::Former]
                .map(|k| (k, covered(k)))
                .into_iter()
                .max_by_key(|(_, n)| *n)?;
        let width = (to - from).max(1);
        (most > 0).then(|| (kind, ((most * 8).div_ceil(width)).clamp(1, 8) as u8))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::faultless;
    use jurex_device::media::MediaClass;
    use jurex_pattern::pattern::Pattern;

    #[test]
    fn what_is_left_anywhere_shows_in_its_cell() {
        let mut usable = vec![Some(0.0); 120];
        (usable[0], usable[59], usable[119]) = (Some(0.001), None, Some(1.0));
        let strata = Strata::before(Sectors::new(0, 100_000), 51_200_000, &Contents::default()).with_left(&usable);
        let layer = strata.layers.last().unwrap();
        let cells = layer.cells(strata.whole, 40);
        assert_eq!((layer.title.as_str(), layer.spans.len()), ("left", 2));
        assert_eq!(cells.iter().enumerate().filter(|(_, c)| c.is_some()).map(|(n, _)| n).collect::<Vec<_>>(), [0, 39]);
    }

    #[test]
    fn many_passes_fold_and_their_faults_still_show() {
        let zeros = Pattern::bytes([0]).unwrap();
        let mut evidence = faultless(MediaClass::Magnetic, &vec![zeros; 9]);
        evidence.overwrite_mut().unwrap().passes[2].unwritable.insert(Sectors::new(500, 1));
        let strata = Strata::of(&evidence, &Contents::default());
        let titles: Vec<&str> = strata.layers.iter().map(|l| l.title.as_str()).collect();
        assert_eq!(titles, ["before", "passes 1-4", "5 00", "6 00", "7 00", "8 00", "9 00", "proof"]);
        let cells = strata.layers[1].cells(strata.whole, 10);
        assert_eq!(cells[5], Some((SpanKind::Fault, 8)), "one bad sector of a hundred shows in its cell");
        assert_eq!(cells[4], Some((SpanKind::Laid, 8)));
    }

    #[test]
    fn a_cell_tells_how_full_it_is() {
        let layer = StrataLayer {
            title: String::new(),
            spans: vec![Span { at: Sectors::new(0, 150), kind: SpanKind::Laid, text: None }],
        };
        let cells = layer.cells(Sectors::new(0, 400), 4);
        assert_eq!(cells, [Some((SpanKind::Laid, 8)), Some((SpanKind::Laid, 4)), None, None]);
    }
}
