//! The byte viewer's part of the state: going about in raw sectors, and searching. Reads only.

pub(crate) mod view;

use crate::action::Action;
use crate::lane::LaneId;
use crate::lane::bytes::{BytesView, DUMP_ROW, MAP_ROW, PAGE_SECTORS, Prompt};
use crate::message::Effect;
use crate::state::State;
use jurex_device::bytes::{Needle, Search};
use jurex_look::field::Field;
use jurex_station::bench::ReadError;

impl State {
    pub(crate) fn page(&mut self, lane: LaneId, first: u64, page: Result<Vec<u8>, ReadError>) {
        if let Some(view) = self.view_of(lane).filter(|v| v.first == first) {
            view.page = Some(page);
        }
    }

    pub(crate) fn searching(&mut self, lane: LaneId, at: u64) {
        if let Some(view) = self.view_of(lane).filter(|v| v.searching.is_some()) {
            view.searching = Some(at);
        }
    }

    pub(crate) fn searched(&mut self, lane: LaneId, found: Result<Search, ReadError>) -> Vec<Effect> {
        let Some(logical) = self.lanes.get(lane).map(|l| u64::from(l.seen.drive.geometry.logical)) else { return vec![] };
        let Some(view) = self.view_of(lane) else { return vec![] };
        view.searching = None;
        match found {
            Ok(Search::Found(byte)) => {
                view.said = Some(format!("Found at byte {} of sector {}.", byte % logical, byte / logical));
                view.scroll = (byte % logical) as usize / DUMP_ROW * DUMP_ROW;
                view.go_to(byte / logical).into_iter().map(|first| Effect::ReadPage(lane, first)).collect()
            }
            Ok(Search::NotFound) => {
                view.said = Some("Not found from there to the drive's end.".into());
                vec![]
            }
            Ok(Search::BrokenOff) => {
                view.said = Some("The search was broken off.".into());
                vec![]
            }
            Err(why) => {
                view.said = Some(format!("The search met an error: {why}."));
                vec![]
            }
        }
    }

    fn view_of(&mut self, lane: LaneId) -> Option<&mut BytesView> {
        self.lanes.get_mut(lane)?.look.bytes.as_mut()
    }

    /// Opens the byte viewer at the next find of the last search.
    pub(crate) fn see_find(&mut self) -> Vec<Effect> {
        let (Some(id), Some(lane)) = (self.selected, self.lane_mut()) else { return vec![] };
        let Some((said, at)) = lane.readings.see_next() else { return vec![] };
        let view = lane.look.bytes.get_or_insert_default();
        (view.scroll, view.said) = (0, Some(said));
        view.go_to(at.0).into_iter().map(|first| Effect::ReadPage(id, first)).collect()
    }

    /// Does what was asked for in the byte viewer.
    pub(crate) fn perform_on_bytes(&mut self, action: Action) -> Vec<Effect> {
        let (Some(index), Some(lane)) = (self.selected, self.lane_mut()) else { return vec![] };
        let geometry = lane.seen.drive.geometry;
        let starts: Vec<u64> = lane.look.contents.iter().flat_map(|c| &c.regions).map(|r| r.at.first.0).collect();
        let Some(view) = lane.look.bytes.as_mut() else { return vec![] };
        view.said = None;
        let last = geometry.sectors.saturating_sub(1);
        let target = match action {
            Action::LeaveBytes => {
                lane.look.bytes = None;
                return vec![Effect::BreakOffSearch(index)];
            }
            Action::Take => return take_prompt(view, index, geometry.sectors, u64::from(geometry.logical)),
            Action::Back => {
                view.prompt = None;
                return vec![];
            }
            Action::SeeFind => return self.see_find(),
            Action::SectorBefore => view.cursor.saturating_sub(1),
            Action::SectorAfter => view.cursor + 1,
            Action::RowBefore => view.cursor.saturating_sub(MAP_ROW),
            Action::RowAfter => view.cursor + MAP_ROW,
            Action::PageBefore => view.cursor.saturating_sub(PAGE_SECTORS),
            Action::PageAfter => view.cursor + PAGE_SECTORS,
            Action::First => 0,
            Action::Last => last,
            Action::NextPartition => starts.iter().copied().find(|s| *s > view.cursor).or(starts.first().copied()).unwrap_or(0),
            Action::BytesUp => {
                view.scroll = view.scroll.saturating_sub(DUMP_ROW);
                return vec![];
            }
            Action::BytesDown => {
                view.scroll = (view.scroll + DUMP_ROW).min(geometry.logical as usize - DUMP_ROW);
                return vec![];
            }
            Action::GoToSector => {
                view.prompt = Some(Prompt::Sector(Field::default()));
                return vec![];
            }
            Action::Search => {
                view.prompt = Some(Prompt::Search(Field::default()));
                return vec![];
            }
            Action::SearchOn => return search_on(view, index, u64::from(geometry.logical)),
            _ => return vec![],
        };
        view.scroll = 0;
        view.go_to(target.min(last)).into_iter().map(|first| Effect::ReadPage(index, first)).collect()
    }
}

/// Searches again from the sector after the chosen one.
fn search_on(view: &mut BytesView, lane: LaneId, logical: u64) -> Vec<Effect> {
    let Some(needle) = view.needle.clone() else {
        view.said = Some("Nothing was searched for yet: / asks what.".into());
        return vec![];
    };
    let from = (view.cursor + 1).saturating_mul(logical);
    view.searching = Some(from);
    vec![Effect::Search(lane, needle, from)]
}

/// Does what was typed: goes to a sector, or begins a search.
fn take_prompt(view: &mut BytesView, lane: LaneId, sectors: u64, logical: u64) -> Vec<Effect> {
    match view.prompt.take() {
        Some(Prompt::Sector(field)) => jump(view, lane, sectors, field.value()),
        Some(Prompt::Search(field)) => {
            view.needle = Needle::parse(field.value());
            let Some(needle) = view.needle.clone() else { return vec![] };
            let from = view.cursor.saturating_mul(logical);
            view.searching = Some(from);
            vec![Effect::Search(lane, needle, from)]
        }
        None => vec![],
    }
}

fn jump(view: &mut BytesView, lane: LaneId, sectors: u64, text: &str) -> Vec<Effect> {
    match text.trim().parse::<u64>() {
        Ok(sector) if sector < sectors => {
            view.scroll = 0;
            view.go_to(sector).into_iter().map(|first| Effect::ReadPage(lane, first)).collect()
        }
        _ => {
            let last = sectors.saturating_sub(1);
            view.said = Some(format!("\"{}\" is no sector of this drive; its last one is {last}.", text.trim()));
            vec![]
        }
    }
}
