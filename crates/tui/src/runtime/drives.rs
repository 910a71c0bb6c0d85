//! Which drives there are: told at once, and at every change.

use crate::message::Message;
use crossbeam_channel::{Receiver, Sender};
use jurex_device::guard::Blocker;
use jurex_device::media::Drive;
use jurex_linux::{DriveWatch, System};
use jurex_station::bench::{Bench, DriveSnapshot};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::{Duration, Instant};

/// Tells the drives at once, each again as it answers, and every change from then on.
/// What comes by `only` takes the place of the list of drives that alone may be erased.
pub(super) fn look_for_drives(bench: Box<dyn FnOnce() -> Bench + Send>, only: Receiver<Vec<String>>, sender: Sender<Message>) {
    thread::spawn(move || match bench() {
        bench @ Bench::Simulated(_) => watch_simulated(&bench, &sender),
        Bench::Machine(mut system) => {
            let mut watch = DriveWatch::new(&system);
            let at_work = Arc::new(AtomicBool::new(false));
            for listing in 1.. {
                let listed = Instant::now();
                list(listing, &system, &sender, &at_work);
                // How far a drive is with an erasure of its own, no event tells.
                let due = || at_work.load(Ordering::Relaxed) && listed.elapsed() > ASK_AGAIN;
                while !watch.wait(POLL) && only.is_empty() && !due() {}
                if let Some(names) = only.try_iter().last() {
                    system = system.only(&names);
                }
            }
        }
    });
}

/// Tells the simulated drives, and again whenever one has lost its power, or has it back, or is in another state.
fn watch_simulated(bench: &Bench, sender: &Sender<Message>) {
    let mut told: Option<Vec<(Drive, Vec<Blocker>, bool)>> = None;
    for listing in 1.. {
        let drives = bench.drives();
        let now = drives.iter().map(|s| (s.drive.clone(), s.hindrances.clone(), s.answers.security_frozen)).collect();
        if told.as_ref() != Some(&now) {
            told = Some(now);
            let answers = drives.iter().map(|s| Message::Answered(listing, Box::new(s.clone()))).collect::<Vec<_>>();
            let messages = std::iter::once(Message::Drives(listing, drives)).chain(answers);
            if messages.map(|m| sender.send(m)).any(|sent| sent.is_err()) {
                return;
            }
        }
        thread::sleep(SIMULATED);
    }
}

/// How often the simulated bench is looked at.
const SIMULATED: Duration = Duration::from_millis(300);
/// How long the watch waits for the kernel's word before it looks for itself.
const POLL: Duration = Duration::from_millis(900);
/// A drive that erases itself is asked again after so long.
const ASK_AGAIN: Duration = Duration::from_secs(5);
/// How long a drive may take to answer before nobody waits for it any more.
const ANSWER_PATIENCE: Duration = Duration::from_secs(30);

fn list(listing: u64, system: &System, sender: &Sender<Message>, at_work: &Arc<AtomicBool>) {
    let mut first = true;
    at_work.store(false, Ordering::Relaxed);
    let at_work = at_work.clone();
    let (system_of_seen, sender, system) = (system.clone(), sender.clone(), system.clone());
    // A drive that hangs must not hide what happens to the others: the next change is looked at meanwhile.
    thread::spawn(move || {
        system.drives_as_they_answer(ANSWER_PATIENCE, &mut |found| {
            let seen = found.into_iter().map(|f| DriveSnapshot::of_machine(&system_of_seen, f));
            if std::mem::replace(&mut first, false) {
                let _ = sender.send(Message::Drives(listing, seen.collect()));
            } else {
                for seen in seen {
                    at_work.fetch_or(seen.erases_itself(), Ordering::Relaxed);
                    let _ = sender.send(Message::Answered(listing, Box::new(seen)));
                }
            }
        });
    });
}
