//! The switch of sown changes: it is put into each crate in which something was sown. `MUTANT` is the number of the one that is on; with
//! `MUTANT_SEEN` (a folder) none is, and it is noted which test comes by which.
#![allow(warnings, clippy::all)]
use std::cell::RefCell;
use std::collections::HashSet;
use std::io::Write as _;
use std::sync::OnceLock;

thread_local!(static SEEN: RefCell<HashSet<u32>> = RefCell::new(HashSet::new()));

/// Whether this change is switched on (`MUTANT`); with `MUTANT_SEEN` it is only noted which test came by here.
#[inline(never)]
pub fn on(id: u32) -> bool {
    static SWITCH: OnceLock<(u32, Option<String>)> = OnceLock::new();
    let (active, seen) = SWITCH.get_or_init(|| {
        (std::env::var("MUTANT").ok().and_then(|m| m.parse().ok()).unwrap_or(0), std::env::var("MUTANT_SEEN").ok())
    });
    if let Some(dir) = seen {
        let new = SEEN.try_with(|s| s.try_borrow_mut().map(|mut s| s.insert(id)).unwrap_or(false)).unwrap_or(false);
        if new {
            let name = std::thread::current().name().unwrap_or("?").replace("::", "+");
            let name = if name == "main" { "?".to_string() } else { name };
            if let Ok(mut file) = std::fs::OpenOptions::new().create(true).append(true).open(format!("{dir}/{name}")) {
                let _ = file.write_all(format!("{id}\n").as_bytes());
            }
        }
        return false;
    }
    *active == id
}

macro_rules! cmp {
    ($op:tt; $($id:literal $other:tt;)+ ($l:expr),($r:expr)) => {
        match (&($l), &($r)) { (l, r) => { $(if crate::sown::on($id) { *l $other *r } else)+ { *l $op *r } } }
    };
}
macro_rules! bin {
    ($op:tt; $($id:literal $other:tt;)+ ($l:expr),($r:expr)) => {
        match ($l, $r) { (l, r) => { $(if crate::sown::on($id) { l $other r } else)+ { l $op r } } }
    };
}
macro_rules! short {
    ($op:tt; $($id:literal $other:tt;)+ ($l:expr),($r:expr)) => {
        match $l { l => { $(if crate::sown::on($id) { l $other $r } else)+ { l $op $r } } }
    };
}
macro_rules! assign {
    ($op:tt; $($id:literal $other:tt;)+ ($l:expr),($r:expr)) => {
        { $(if crate::sown::on($id) { $l $other $r } else)+ { $l $op $r } }
    };
}
macro_rules! not {
    ($id:literal; $e:expr) => { match $e { e => if crate::sown::on($id) { e } else { !e } } };
}
macro_rules! guard {
    ($($id:literal $value:literal;)+ $e:expr) => { $(if crate::sown::on($id) { $value } else)+ { $e } };
}
pub(crate) use {assign, bin, cmp, guard, not, short};
