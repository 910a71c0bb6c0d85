//! Holds a job while its drive is too hot, where the drive tells its temperature.

use crate::bench::DriveSnapshot;
use crossbeam_channel::{Receiver, Sender, bounded};
use jurex_engine::{Control, JobControl};
use std::thread;
use std::time::Duration;

/// How often the drive is asked.
const ASK_EVERY: Duration = Duration::from_secs(30);
/// It goes on once it is so many degrees below the limit.
const COOLER_BY: i16 = 4;

/// A person's wishes, and the drive's temperature beside them.
pub struct ThermalControl<'c> {
    person: &'c mut dyn JobControl,
    heat: Option<Heat>,
    /// Whether the job is held by a person: cooling down does not let it go on then.
    held_by_person: bool,
}

/// What a thread beside the job learns of the temperature. It ends when its sender's other end is gone.
struct Heat {
    told: Receiver<i16>,
    limit: i16,
    too_hot: bool,
}

impl<'c> ThermalControl<'c> {
    /// The person's wishes alone.
    pub fn person(&mut self) -> &mut dyn JobControl {
        self.person
    }

    /// Watches the drive, if there is a limit.
    pub fn new(person: &'c mut dyn JobControl, seen: &DriveSnapshot, limit: Option<i16>) -> Self {
        let heat = limit.map(|limit| {
            let (tell, told) = bounded(1);
            let seen = seen.clone();
            thread::spawn(move || ask(&seen, &tell));
            Heat { told, limit, too_hot: false }
        });
        Self { person, heat, held_by_person: false }
    }
}

/// Asks until nobody listens, or the drive does not tell. A drive that hangs holds up nobody: this is its own thread.
fn ask(seen: &DriveSnapshot, tell: &Sender<i16>) {
    while let Some(celsius) = seen.celsius() {
        if tell.send(celsius).is_err() {
            return;
        }
        thread::sleep(ASK_EVERY);
    }
}

impl Heat {
    /// The wish that follows from what was told last.
    fn wish(&mut self, celsius: i16) -> Option<Control> {
        match self.too_hot {
            false if celsius > self.limit => {
                self.too_hot = true;
                Some(Control::CoolDown(celsius))
            }
            true if celsius <= self.limit - COOLER_BY => {
                self.too_hot = false;
                Some(Control::GoOn)
            }
            _ => None,
        }
    }
}

impl JobControl for ThermalControl<'_> {
    fn poll(&mut self) -> Option<Control> {
        if let Some(wish) = self.person.poll() {
            self.held_by_person = wish == Control::Hold;
            return Some(wish);
        }
        let heat = self.heat.as_mut()?;
        let celsius = heat.told.try_recv().ok()?;
        heat.wish(celsius).filter(|w| *w != Control::GoOn || !self.held_by_person)
    }

    fn wait(&mut self) -> Option<Control> {
        let cooling = self.heat.as_ref().is_some_and(|h| h.too_hot);
        if !cooling || self.held_by_person {
            let wish = self.person.wait();
            self.held_by_person = wish == Some(Control::Hold) || (wish.is_none() && self.held_by_person);
            return wish;
        }
        thread::sleep(Duration::from_millis(200));
        self.poll()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Nobody;
    impl JobControl for Nobody {
        fn poll(&mut self) -> Option<Control> {
            None
        }
        fn wait(&mut self) -> Option<Control> {
            None
        }
    }

    #[test]
    fn above_the_limit_it_holds_and_well_below_it_goes_on_unless_a_person_holds_it() {
        let (tell, told) = bounded(1);
        let mut nobody = Nobody;
        let heat = Some(Heat { told, limit: 60, too_hot: false });
        let mut control = ThermalControl { person: &mut nobody, heat, held_by_person: false };
        let at = |celsius: i16, control: &mut ThermalControl<'_>| {
            tell.send(celsius).unwrap();
            control.poll()
        };
        assert_eq!(at(60, &mut control), None);
        assert_eq!(at(61, &mut control), Some(Control::CoolDown(61)));
        assert_eq!(at(58, &mut control), None, "it swings around the limit");
        assert_eq!(at(56, &mut control), Some(Control::GoOn));
        assert_eq!(at(70, &mut control), Some(Control::CoolDown(70)));
        control.held_by_person = true;
        assert_eq!(at(20, &mut control), None);
    }
}
