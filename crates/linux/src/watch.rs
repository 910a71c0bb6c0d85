//! Notices when drives come, go, or are taken into use: by the kernel's uevents, and by looking now and then where no
//! event came.

use crate::sysfs::{entries, name, text};
use crate::system::System;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::net::netlink::{self, SocketAddrNetlink};
use rustix::net::{AddressFamily, RecvFlags, SocketFlags, SocketType, bind, recv, socket_with};
use std::fs;
use std::os::fd::OwnedFd;
use std::time::Duration;

/// Watches the system's drives.
pub struct DriveWatch {
    system: System,
    events: Option<OwnedFd>,
    seen: String,
}

impl DriveWatch {
    /// Begins to watch. Without the right to hear uevents it looks each time it is asked.
    pub fn new(system: &System) -> Self {
        let mut watch = Self { system: system.clone(), events: listen().ok(), seen: String::new() };
        watch.seen = watch.fingerprint();
        watch
    }

    /// Waits up to `patience` for a change of the drives or of their use; gives whether there was one.
    pub fn wait(&mut self, patience: Duration) -> bool {
        match &self.events {
            Some(events) => hear(events, patience),
            None => std::thread::sleep(patience),
        }
        let now = self.fingerprint();
        std::mem::replace(&mut self.seen, now) != self.seen
    }

    /// Everything whose change is worth a new look, as one text: devices with their sizes, mounts, swaps.
    fn fingerprint(&self) -> String {
        let block = self.system.sys.join("block");
        let mut all = String::new();
        for dir in entries(&block) {
            let attached = fs::read_to_string(dir.join("loop/backing_file")).unwrap_or_default();
            let holders = entries(&dir.join("holders")).len();
            // The kernel numbers disks in the order of their coming: another one under the same name has another number.
            let [size, number] = ["size", "diskseq"].map(|what| text(&dir, what).unwrap_or_default());
            all += &format!("{} {size} {number} {holders} {attached}\n", name(&dir));
        }
        all += &fs::read_to_string(self.system.proc.join("self/mountinfo")).unwrap_or_default();
        all += &fs::read_to_string(self.system.proc.join("swaps")).unwrap_or_default();
        all
    }
}

fn listen() -> rustix::io::Result<OwnedFd> {
    let flags = SocketFlags::CLOEXEC | SocketFlags::NONBLOCK;
    let socket = socket_with(AddressFamily::NETLINK, SocketType::DGRAM, flags, Some(netlink::KOBJECT_UEVENT))?;
    // Group 1 is the kernel's own events.
    bind(&socket, &SocketAddrNetlink::new(0, 1))?;
    Ok(socket)
}

/// Waits for an event and takes all that are there. Their content does not matter: sysfs is looked at afterwards.
fn hear(events: &OwnedFd, patience: Duration) {
    let longest = Timespec { tv_sec: patience.as_secs() as i64, tv_nsec: patience.subsec_nanos().into() };
    let _ = poll(&mut [PollFd::new(events, PollFlags::IN)], Some(&longest));
    let mut event = [0u8; 8192];
    while recv(events, &mut event[..], RecvFlags::empty()).is_ok_and(|(n, _)| n > 0) {}
}
