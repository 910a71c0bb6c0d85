//! People who are elsewhere: what they are told, and the sending of it beside everything else.

use super::Runtime;
use crate::lane::LaneId;
use crate::message::{FromLedger, Message};
use crossbeam_channel::Sender;
use jurex_disposition::lot::LotTally;
use jurex_engine::Event;
use jurex_notice::Outbox;
use jurex_station::notices;
use std::thread;
use std::time::Duration;

impl Runtime {
    /// Tells people who are elsewhere of what has happened.
    pub(super) fn tell_people(&mut self, message: &Message) {
        let Some(outbox) = &self.outbox else { return };
        let bench = &self.app.state.config.bench;
        let drive = |lane: LaneId| self.app.state.lanes[lane].seen.drive.clone();
        let notice = match message {
            Message::Job(lane, event @ Event::Held { celsius: Some(_) }) => {
                notices::of_person(&drive(*lane), &event.sentence().unwrap_or_default(), bench)
            }
            Message::NotStarted(lane, why) => notices::of_person(&drive(*lane), why, bench),
            Message::Ledger(FromLedger::Lots(lots)) => {
                let done = lots.iter().find_map(|now| {
                    let tally = LotTally::of(&now.items(&[]));
                    let is_new = tally.expected > 0 && tally.is_complete() && !self.lots_told.contains(&now.lot.name);
                    is_new.then(|| (now.lot.name.clone(), tally.sentence()))
                });
                let Some((lot, sentence)) = done else { return };
                self.lots_told.push(lot.clone());
                // Those that were done before this program began were told by another.
                if self.rung == 0 {
                    return;
                }
                notices::of_lot(&lot, &sentence, bench)
            }
            _ => return,
        };
        if let Err(e) = outbox.put(&notice) {
            tracing::error!("a notice could not be kept, and is not sent: {e}");
        }
    }
}

/// Sends notices beside everything else, for as long as the program runs.
pub(super) fn send_notices(outbox: Outbox, sender: Sender<Message>) {
    const EVERY: Duration = Duration::from_secs(5);
    thread::spawn(move || {
        while sender.send(Message::Notices(outbox.trouble())).is_ok() {
            outbox.send_due(jurex_station::clock::wall());
            thread::sleep(EVERY);
        }
    });
}
