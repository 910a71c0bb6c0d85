//! `jurex free MOUNTPOINT`: fills the free space of a file system in use, and tells what it holds then.

use super::files::{Desk, ShownProgress, parse};
use super::{say, say_json};
use crate::cli::FreeArgs;
use jurex_linux::files::{FillPhase, FillProgress};
use jurex_pattern::text::printable;
use jurex_pattern::units::{counted, si_size};
use jurex_station::exit::Failure;
use jurex_station::file_erase::{self, FreeWish, NO_SANITIZATION};
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &FreeArgs) -> Result<ExitCode, Failure> {
    let program = parse(&asked.passes)?;
    let planned = file_erase::plan_free(&asked.mountpoint, asked.reserve)?;
    if asked.plan {
        if asked.papers.json {
            let doubts: Vec<String> = planned.ground.doubts().iter().map(|d| d.sentence()).collect();
            say_json(&json!({
                "ground": planned.ground,
                "hope": planned.ground.hope(),
                "doubts": doubts,
                "free": planned.free.to_string(),
                "reserve": planned.reserve.to_string(),
            }));
        } else {
            say(&format!("To be filled: free space of {}", printable(planned.ground.called().as_bytes())));
            say(&format!("  free     {}, of which {} are left to others", si_size(planned.free), si_size(planned.reserve)));
            planned.ground.doubts().iter().for_each(|d| say(&format!("           {}", d.sentence())));
            say(&format!("  {NO_SANITIZATION}"));
        }
        return Ok(ExitCode::SUCCESS);
    }
    let desk = Desk::set_up(&asked.papers)?;
    let wish = FreeWish {
        path: asked.mountpoint.clone(),
        program,
        notation: asked.passes.clone(),
        reserve: planned.reserve,
        by: desk.by.clone(),
    };
    let mut shown = ShownProgress::new(&desk)?;
    let record = file_erase::fill(&wish, &desk.places, &mut |p| {
        let at = phase_word(p);
        shown.show(file_erase::share_of_fill(p), p.bytes, &at)
    })?;
    shown.bar.finish_and_clear();
    desk.close(&record)
}

fn phase_word(p: &FillProgress) -> String {
    match p.phase {
        FillPhase::Taking => "taking free space".into(),
        FillPhase::Laying => format!("writing, {} left to others", si_size(p.free_now)),
        FillPhase::Entries => counted(p.entries, "small file"),
        FillPhase::Looking => "reading on the device".into(),
    }
}
