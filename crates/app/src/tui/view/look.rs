//! Look: is that the right drive?

use super::parts::Column;
use super::strata;
use crate::tui::state::{App, Lane};
use crate::tui::theme::Role;
use jurex_core::strata::Strata;
use jurex_core::units::{counted, size};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(crate) fn draw(app: &App, lane: &Lane, area: Rect, buffer: &mut Buffer) {
    let mut column = Column::new(area, buffer, app.theme);
    let drive = &lane.seen.drive;
    let said = |v: &Option<String>| v.clone().unwrap_or_else(|| "not told by the drive".into());
    column.question("Is that the right drive?");
    column.heading("As its label should read");
    column.fact("maker", &said(&drive.identity.maker));
    column.fact_in("model", &said(&drive.identity.model), Role::Strong);
    column.fact_in("serial", &said(&drive.identity.serial), Role::Strong);
    column.fact("capacity", &format!("{}, {}", drive.size(), counted(drive.geometry.sectors, "sector")));
    column.fact("firmware", &said(&drive.identity.firmware));
    column.gap();
    column.heading("How it is attached");
    column.fact("path", &format!("{} ({})", drive.path, drive.bus));
    column.fact("sectors", &drive.geometry.sector_sizes());
    column.fact("class of media", &format!("{}, because {}", drive.class, drive.class_basis));
    column.fact("hidden areas", &drive.hidden.sentence());
    if drive.simulated {
        column.fact("simulated", "A scale model: a thousandth of the printed capacity, every sector of it really there.");
    }
    column.gap();
    contents(app, lane, &mut column);
    column.gap();
    column.heading("May it be erased?");
    match &lane.verdict {
        Ok(_) => column.sentence("Yes: nothing uses it. Its label is checked again before anything is written.", Role::Text),
        Err(refusal) => column.sentence(&format!("⊘ No: {refusal}. There is no way around this."), Role::Strong),
    }
}

fn contents(app: &App, lane: &Lane, column: &mut Column<'_>) {
    column.heading("What is on it");
    let Some(contents) = &lane.contents else { return column.sentence("Looking …", Role::Faint) };
    let geometry = lane.seen.drive.geometry;
    column.sentence(&contents.sentence(), Role::Text);
    if !contents.regions.is_empty() {
        let drawing = Strata::before(geometry.whole(), geometry.bytes(), contents);
        let place = column.take(strata::rows(&drawing));
        strata::draw(&drawing, app.theme, place, column.buffer());
        for region in contents.regions.iter().take(usize::from(column.left().saturating_sub(5))) {
            column.fact(&region.called(), &format!("{}, {}", size(geometry.bytes_of(region.at.count)), region.at));
        }
    }
    if let Some(note) = &contents.note {
        column.sentence(note, Role::Strong);
    }
}
