//! Signals that ask the program to stop.

use crate::exit::Failure;
use jurex_engine::{Control, JobControl};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Stops the job at the first interrupt or termination signal; copies of it stop together.
#[derive(Clone)]
pub struct StopOnSignal {
    asked: Arc<AtomicBool>,
}

impl StopOnSignal {
    pub fn install() -> Result<Self, Failure> {
        use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
        let asked = Arc::new(AtomicBool::new(false));
        for signal in [SIGINT, SIGTERM, SIGHUP] {
            let failed = |e| Failure::Use(format!("cannot watch for signals: {e}. Nothing was written"));
            signal_hook::flag::register(signal, asked.clone()).map_err(failed)?;
        }
        Ok(Self { asked })
    }
}

impl StopOnSignal {
    /// Asks for it as a signal would.
    pub fn ask(&self) {
        self.asked.store(true, Ordering::Relaxed);
    }

    /// Whether a signal has come.
    pub fn is_asked(&self) -> bool {
        self.asked.load(Ordering::Relaxed)
    }
}

impl JobControl for StopOnSignal {
    fn poll(&mut self) -> Option<Control> {
        self.is_asked().then_some(Control::Stop)
    }

    fn wait(&mut self) -> Option<Control> {
        std::thread::sleep(std::time::Duration::from_millis(100));
        self.poll()
    }
}
