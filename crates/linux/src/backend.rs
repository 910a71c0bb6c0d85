//! Who carries out a job's requests on a real drive: the kernel's queue (io_uring), or, where it is refused, a few threads.

use crate::medium::LinuxMedium;
use crate::ring::Ring;
use crate::threads::{Threads, settings};
use jurex_device::medium::Medium;
use jurex_engine::{Backend, RequestSetting, Sequential};

/// How requests are carried out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Carrying {
    /// By the kernel's queue, where it can be had; else by threads.
    AsCan,
    /// By threads.
    Threads,
}

/// The backend for an open drive.
pub fn backend(medium: LinuxMedium, carrying: Carrying) -> Box<dyn Backend> {
    let settings = settings(&medium);
    if settings.is_empty() {
        // Physical sectors of a size that no setting suits: one whole sector at a time.
        let chunk = medium.geometry().physical as usize;
        return Box::new(Sequential::in_chunks(Box::new(medium), chunk));
    }
    if carrying == Carrying::Threads {
        return threads(medium, settings);
    }
    match Ring::new(medium, settings.clone()) {
        Ok(ring) => Box::new(ring),
        Err((medium, why)) => {
            tracing::info!("no queue of the kernel for {}: {why}; threads do the work", medium.geometry().bytes());
            threads(*medium, settings)
        }
    }
}

fn threads(medium: LinuxMedium, settings: Vec<RequestSetting>) -> Box<dyn Backend> {
    Box::new(Threads::new(medium, settings))
}
