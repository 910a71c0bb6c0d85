//! Less than a drive, on threads of its own.

use super::Runtime;
use crate::file_erase::WorkProgress;
use crate::message::{AskLess, FromLess, LessOver, Message};
use crossbeam_channel::Sender;
use jurex_file_erase::FileEraseRecord;
use jurex_station::app_paths::AppPaths;
use jurex_station::exit::Failure;
use jurex_station::file_erase::{self, made_up, notes};
use jurex_station::files::write_less;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::{Duration, Instant};

/// Work tells how far it has come no oftener than this.
const PAUSE: Duration = Duration::from_millis(100);

/// Sends progress, at most so often, and hears whether to go on.
struct FilesTeller {
    sender: Sender<Message>,
    stops: Arc<AtomicBool>,
    told: Option<Instant>,
}

impl FilesTeller {
    fn tell(&mut self, progress: impl FnOnce() -> WorkProgress) -> bool {
        if self.told.is_none_or(|at| at.elapsed() >= PAUSE) {
            self.told = Some(Instant::now());
            let _ = self.sender.send(Message::Less(Box::new(FromLess::Progress(progress()))));
        }
        !self.stops.load(Ordering::Relaxed)
    }
}

impl Runtime {
    /// Does what is asked; what comes of it is a message.
    pub(super) fn ask_less(&mut self, asked: AskLess) {
        let places = self.places.clone();
        let (sender, out) = (self.sender.clone(), self.out.clone());
        let told = |sender: &Sender<Message>, told| drop(sender.send(Message::Less(Box::new(told))));
        match asked {
            AskLess::Stop => self.less_stops.store(true, Ordering::Relaxed),
            AskLess::Volumes => drop(thread::spawn(move || {
                let cut_short = notes::unfinished(&places.less()).len();
                match made_up::volumes(&places) {
                    Ok(volumes) => told(&sender, FromLess::Volumes(volumes, cut_short)),
                    Err(why) => drop(sender.send(Message::Said(why.to_string()))),
                }
            })),
            AskLess::List(folder) => drop(thread::spawn(move || {
                let listed = made_up::list(&places, &folder).map_err(|e| e.to_string());
                let inside = listed.iter().flatten().filter(|l| l.kind == jurex_file_erase::NodeKind::Folder);
                let inside: Vec<PathBuf> = inside.map(|l| l.path.clone()).collect();
                told(&sender, FromLess::Listed(folder, listed));
                told(&sender, FromLess::Sums(file_erase::sums(&inside)));
            })),
            AskLess::Survey(paths) => drop(thread::spawn(move || {
                let surveyed = file_erase::survey(&paths, (&places, &out), &mut |_| true);
                told(&sender, FromLess::Surveyed(surveyed.map(Arc::new).map_err(|e| e.to_string())));
            })),
            AskLess::PlanFree(path) => drop(thread::spawn(move || {
                let plan = made_up::no_free_space(&places).and_then(|()| file_erase::plan_free(&path, None));
                told(&sender, FromLess::Free(path, plan.map_err(|e| e.to_string())));
            })),
            AskLess::Erase(surveyed, wish) => self.work_on_less(move |places, teller| {
                let tree = &surveyed.tree;
                file_erase::erase(tree, &wish, places, &mut |p| teller.tell(|| WorkProgress::Files(p.clone())))
            }),
            AskLess::Fill(wish) => self.work_on_less(move |places, teller| {
                file_erase::fill(&wish, places, &mut |p| teller.tell(|| WorkProgress::Free(p.clone())))
            }),
            AskLess::GoOn => {
                let by = self.app.state.config.technician.clone();
                self.work_on_less(move |places, teller| {
                    let none = || Failure::Use("nothing is left to resume".into());
                    let next = notes::unfinished(&places.less()).into_iter().next().ok_or_else(none)?;
                    file_erase::go_on(next, &by, places, &mut |p| teller.tell(|| WorkProgress::Files(p.clone())))
                });
            }
        }
    }

    fn work_on_less(
        &mut self,
        work: impl FnOnce(&AppPaths, &mut FilesTeller) -> Result<FileEraseRecord, Failure> + Send + 'static,
    ) {
        let places = self.places.clone();
        self.less_stops = Arc::default();
        let mut teller = FilesTeller { sender: self.sender.clone(), stops: self.less_stops.clone(), told: None };
        let (seal, out) = (self.seal.clone(), self.out.clone());
        self.writers.push(thread::spawn(move || {
            let over: Result<LessOver, String> = work(&places, &mut teller).map_err(|e| e.to_string()).map(|record| {
                let written = write_less(&out, &record, &seal).map_err(|e| e.to_string());
                (Box::new(record), written)
            });
            let _ = teller.sender.send(Message::Less(Box::new(FromLess::Over(over))));
        }));
    }
}
