//! Which drives there are: told at once, and at every change.

use crate::bench::{Bench, Seen};
use crate::tui::message::Message;
use crossbeam_channel::Sender;
use jurex_linux::{System, Watch};
use std::thread;
use std::time::Duration;

/// Tells the drives at once, each again as it answers, and every change from then on.
pub(super) fn look_for_drives(bench: Box<dyn FnOnce() -> Bench + Send>, sender: Sender<Message>) {
    thread::spawn(move || match bench() {
        bench @ Bench::Simulated(_) => {
            let _ = sender.send(Message::Drives(1, bench.drives()));
        }
        Bench::Machine(system) => {
            let mut watch = Watch::new(&system);
            for listing in 1.. {
                list(listing, &system, &sender);
                while !watch.wait(POLL) {}
            }
        }
    });
}

/// How long the watch waits for the kernel's word before it looks for itself.
const POLL: Duration = Duration::from_millis(900);
/// How long a drive may take to answer before nobody waits for it any more.
const ANSWER_PATIENCE: Duration = Duration::from_secs(30);

fn list(listing: u64, system: &System, sender: &Sender<Message>) {
    let mut first = true;
    let (system_of_seen, sender, system) = (system.clone(), sender.clone(), system.clone());
    // A drive that hangs must not hide what happens to the others: the next change is looked at meanwhile.
    thread::spawn(move || {
        system.drives_as_they_answer(ANSWER_PATIENCE, &mut |found| {
            let seen = found.into_iter().map(|f| Seen::of_machine(&system_of_seen, f));
            if std::mem::replace(&mut first, false) {
                let _ = sender.send(Message::Drives(listing, seen.collect()));
            } else {
                for seen in seen {
                    let _ = sender.send(Message::Answered(listing, Box::new(seen)));
                }
            }
        });
    });
}
