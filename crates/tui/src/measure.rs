//! A full bench for the benchmark of drawing: many drives, each with a job well under way.

use super::app::App;
use super::lane::Step;
use super::lane::stage::{LaneStage, Log};
use super::message::Message;
use jiff::Timestamp;
use jurex_device::medium::Access;
use jurex_engine::{Activity, Event, Progress};
use jurex_look::theme::{Depth, Theme};
use jurex_pattern::notation::NoEntropy;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::Session;
use jurex_sanitize::plan::{Order, Plan};
use jurex_sim::Pacing;
use jurex_station::bench::{Bench, DriveSnapshot};
use jurex_station::config::{Config, ThemeName};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use std::time::{Duration, Instant};

/// Draws a bench of so many drives, all at work, so many times, and gives how long each picture took.
///
/// # Panics
/// If the simulated bench can't be planned: a defect.
pub fn frames(lanes: usize, size: (u16, u16), pictures: usize) -> Vec<Duration> {
    let mut app = App::new(Theme::new(ThemeName::Dark, Depth::True), Config::demo());
    app.state.size = size;
    let drives = many(lanes);
    let contents = drives.first().map(|seen| seen.look().0);
    app.update(Message::Drives(1, drives));
    for lane in app.state.lanes.iter_mut() {
        lane.look.contents.clone_from(&contents);
        let (plan, log) = under_way(&lane.seen.drive);
        lane.stage.plan(plan, None);
        lane.stage.arm();
        lane.stage.begin(None);
        if let LaneStage::Working(work) = &mut lane.stage {
            work.log = log;
        }
        lane.enter(Step::Erase);
    }
    let mut terminal = Terminal::new(TestBackend::new(size.0, size.1)).expect("a test terminal can't fail");
    let mut picture = |n: usize| {
        app.update(Message::Tick(Duration::from_millis(33 * n as u64), "14:32".into()));
        app.state.selected = app.state.lanes.at(n % lanes.max(1));
        let begun = Instant::now();
        terminal.draw(|frame| app.draw(frame)).expect("a test terminal can't fail");
        begun.elapsed()
    };
    (0..pictures).map(&mut picture).collect()
}

/// So many drives, copies of the simulated bench's that may be erased, each with a name of its own.
pub(super) fn many(count: usize) -> Vec<DriveSnapshot> {
    let bays = Bench::simulated(Pacing::Unpaced).drives();
    let copy = |i: usize| {
        let mut seen = bays[1 + i % (bays.len() - 1)].clone();
        seen.drive.path = format!("sim:{}", i + 1);
        seen.drive.unit.serial = Some(format!("SERIAL{i:06}"));
        seen
    };
    (0..count).map(copy).collect()
}

/// Two of three passes laid and read back, in small stretches with a pace, and some faults.
fn under_way(drive: &jurex_device::media::Drive) -> (Plan, Log) {
    let order = Order::of_program("three", "00? | FF? | 55?".parse().expect("three passes parse"));
    let plan = Plan::new(drive, &order, &mut NoEntropy).expect("the whole drive can be planned");
    let mut progress = Progress::of_plan(&plan);
    let time = Timestamp::UNIX_EPOCH;
    progress.apply(&Event::Opened { session: Box::new(Session::new(drive.clone(), Access::DIRECT, time)) });
    let (whole, parts) = (plan.range(), 500);
    for pass in 0..2 {
        let pattern = plan.passes()[pass as usize].pattern.clone();
        progress.apply(&Event::PassStarted { pass, of: 3, pattern, complement_of_before: false, time });
        for activity in [Activity::Laying, Activity::ReadingBack] {
            if activity == Activity::ReadingBack {
                progress.apply(&Event::PassLaid { pass, flush_error: None });
                progress.apply(&Event::ReadBackStarted { pass, time, sampling: None });
            }
            for n in 0..parts {
                // Every tenth stretch is left out, so that there are gaps to draw.
                let at = Sectors::new(whole.count / parts * n, whole.count / parts);
                if n % 10 != 9 {
                    progress.apply(&Event::Advanced { pass, activity, at, took: Duration::from_millis(20 + n / 20) });
                }
            }
        }
    }
    (plan, Log::of(progress))
}
