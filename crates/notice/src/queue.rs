//! The queue: a folder with one file for each notice that has not gone out, by each of its ways.

use crate::{Channel, NotSent, Notice, NoticeKind, Ways};
use jiff::{Timestamp, ToSpan};
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};

/// A notice that waits.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Waiting {
    /// How it is to go out.
    pub way: Channel,
    /// How often that was tried.
    pub tries: u32,
    /// When it is tried next.
    pub next: Timestamp,
    /// Why it did not go out the last time.
    pub why: Option<String>,
    /// The notice.
    pub notice: Notice,
}

/// Where notices wait, and how they go out.
#[derive(Clone, Debug)]
pub struct Outbox {
    folder: PathBuf,
    ways: Ways,
}

/// More than so many that wait are not kept: the oldest go first, for the newest tell more.
const MOST: usize = 500;
/// The longest time between two tries.
const LONGEST: i64 = 3600;

impl Outbox {
    /// By these ways; what waits lies in that folder.
    pub fn new(folder: &Path, ways: Ways) -> Self {
        Self { folder: folder.into(), ways }
    }

    /// Whether notices of that kind are sent at all.
    pub fn wants(&self, kind: NoticeKind) -> bool {
        self.ways.wants(kind)
    }

    /// Puts a notice into the queue, once for each way.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn put(&self, notice: &Notice) -> std::io::Result<()> {
        if !self.wants(notice.kind) {
            return Ok(());
        }
        std::fs::DirBuilder::new().recursive(true).mode(0o700).create(&self.folder)?;
        for way in self.ways.all() {
            let waiting = Waiting { way, tries: 0, next: notice.made, why: None, notice: notice.clone() };
            let mut file = tempfile::Builder::new().prefix(".jurex-").tempfile_in(&self.folder)?;
            file.write_all(serde_json::to_string(&waiting)?.as_bytes())?;
            let stamp = notice.made.as_nanosecond();
            let free = (0u32..).map(|n| self.folder.join(format!("{stamp:020}-{n}-{}.json", way.word()))).find(|p| !p.exists());
            file.persist_noclobber(free.expect("a number is free")).map_err(|e| e.error)?;
        }
        let all = self.files();
        all.iter().take(all.len().saturating_sub(MOST)).for_each(|old| drop(std::fs::remove_file(old)));
        Ok(())
    }

    /// Files of notices, the oldest first.
    fn files(&self) -> Vec<PathBuf> {
        let inside = std::fs::read_dir(&self.folder).into_iter().flatten().flatten().map(|f| f.path());
        let mut files: Vec<PathBuf> = inside.filter(|p| p.extension().is_some_and(|e| e == "json")).collect();
        files.sort();
        files
    }

    /// What waits, the oldest first. What can't be read is left out.
    pub fn waiting(&self) -> Vec<Waiting> {
        self.files().iter().filter_map(|f| serde_json::from_str(&std::fs::read_to_string(f).ok()?).ok()).collect()
    }

    /// Sends what is due now. Gives how many went out. What did not waits for twice as long as the last time, an hour at most.
    pub fn send_due(&self, now: Timestamp) -> usize {
        let mut sent = 0;
        for file in self.files() {
            // Whoever else sends from this folder now: one of the two has the file.
            let Ok(taken) = std::fs::File::open(&file) else { continue };
            if taken.try_lock().is_err() {
                continue;
            }
            let Some(mut waiting) = std::fs::read_to_string(&file).ok().and_then(|t| serde_json::from_str::<Waiting>(&t).ok())
            else {
                continue;
            };
            if waiting.next > now {
                continue;
            }
            match self.ways.send(waiting.way, &waiting.notice) {
                Ok(()) => {
                    let _ = std::fs::remove_file(&file);
                    sent += 1;
                }
                Err(why) => {
                    waiting.tries += 1;
                    let seconds = 60i64.saturating_mul(1 << (waiting.tries - 1).min(20)).min(LONGEST);
                    (waiting.next, waiting.why) = (now + seconds.seconds(), Some(why.to_string()));
                    // Where it can't be written it is tried again at once the next time: no harm.
                    let _ = serde_json::to_string(&waiting).map(|text| self.replace(&file, &text));
                }
            }
        }
        sent
    }

    fn replace(&self, file: &Path, text: &str) -> std::io::Result<()> {
        let mut new = tempfile::Builder::new().prefix(".jurex-").tempfile_in(&self.folder)?;
        new.write_all(text.as_bytes())?;
        new.persist(file).map(drop).map_err(|e| e.error)
    }

    /// Sends a notice by every way at once, without the queue.
    pub fn try_now(&self, notice: &Notice) -> Vec<(Channel, Result<(), NotSent>)> {
        self.ways.all().into_iter().map(|way| (way, self.ways.send(way, notice))).collect()
    }

    /// What did not go out, in a sentence; `None`: nothing waits that was tried.
    pub fn trouble(&self) -> Option<String> {
        let waiting = self.waiting();
        let last = waiting.iter().rev().find(|w| w.tries > 0)?;
        let n = waiting.iter().filter(|w| w.tries > 0).count();
        let notices = if n == 1 { "1 notice has".into() } else { format!("{n} notices have") };
        Some(format!(
            "{notices} not gone out, and will be tried again: {} ({})",
            last.why.as_deref().unwrap_or("no reason"),
            last.way.word()
        ))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Webhook;

    fn notice(n: i64) -> Notice {
        let made = Timestamp::from_second(1_000_000 + n).unwrap();
        let text = "A job has ended.".to_string();
        Notice {
            kind: NoticeKind::Job,
            made,
            bench: "Bench 2".into(),
            subject: format!("{n}"),
            text,
            facts: serde_json::Value::Null,
        }
    }

    #[test]
    fn what_does_not_go_out_waits_longer_and_longer_and_says_why() {
        let dir = tempfile::tempdir().unwrap();
        // Nobody listens there.
        let webhook = Webhook { url: "http://127.0.0.1:9/x".into(), secret_file: None, trust: None };
        let ways = Ways { on: vec![NoticeKind::Job], webhook: Some(webhook), mail: None };
        let outbox = Outbox::new(&dir.path().join("notices"), ways);
        assert_eq!(outbox.trouble(), None);
        outbox.put(&notice(0)).unwrap();
        outbox.put(&Notice { kind: NoticeKind::Person, ..notice(1) }).unwrap();
        assert_eq!(outbox.waiting().len(), 1, "only what is wanted");
        let mut now = notice(0).made;
        let mut waits = vec![];
        for _ in 0..9 {
            assert_eq!(outbox.send_due(now), 0);
            let next = outbox.waiting()[0].next;
            assert_eq!((outbox.send_due(now), outbox.waiting()[0].next), (0, next), "not tried before its time");
            waits.push(next.as_second() - now.as_second());
            now = next;
        }
        assert_eq!(waits, [60, 120, 240, 480, 960, 1920, 3600, 3600, 3600]);
        let said = outbox.trouble().unwrap();
        assert!(said.contains("1 notice has not gone out") && said.contains("127.0.0.1") && said.contains("webhook"), "{said}");
        std::fs::write(dir.path().join("notices/junk.json"), "junk").unwrap();
        assert_eq!((outbox.waiting().len(), outbox.send_due(now)), (1, 0));
    }

    #[test]
    fn of_too_many_the_oldest_go() {
        let dir = tempfile::tempdir().unwrap();
        let webhook = Webhook { url: "https://x".into(), secret_file: None, trust: None };
        let outbox = Outbox::new(dir.path(), Ways { webhook: Some(webhook), ..Ways::default() });
        (0..MOST as i64 + 3).for_each(|n| outbox.put(&notice(n)).unwrap());
        let waiting = outbox.waiting();
        assert_eq!((waiting.len(), waiting[0].notice.subject.as_str()), (MOST, "3"));
    }

    #[test]
    fn a_way_that_is_not_secure_is_not_taken() {
        let send =
            |url: &str| Webhook { url: url.into(), secret_file: None, trust: None }.send(&notice(0)).unwrap_err().to_string();
        for url in ["http://example.org/x", "ftp://x", "", "http://localhost.example.org/"] {
            assert!(send(url).contains("is not https"), "{url}");
        }
    }
}
