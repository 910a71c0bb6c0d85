//! Where Jurex keeps its things: data, configuration and log, by the XDG rules or all in `JUREX_HOME`.

use crate::exit::Failure;
use etcetera::base_strategy::{BaseStrategy, Xdg};
use std::path::{Path, PathBuf};

/// The folder of the bench's service, as its unit names it.
const SERVICE_HOME: &str = "/var/lib/jurex";

/// The folders.
#[derive(Clone, Debug)]
pub struct AppPaths {
    data: PathBuf,
    config: PathBuf,
    state: PathBuf,
    /// The folder of made-up files, of a demonstration alone.
    made_up: Option<PathBuf>,
}

impl AppPaths {
    /// The folders of this user.
    pub fn find() -> Result<Self, Failure> {
        if let Some(home) = std::env::var_os("JUREX_HOME").filter(|h| !h.is_empty()) {
            return Ok(Self::all_in(&PathBuf::from(home)));
        }
        let own = Self::of_user()?;
        Ok(if rustix::process::geteuid().is_root() { own.or_the_service_s(Path::new(SERVICE_HOME)) } else { own })
    }

    /// Where the bench's service keeps a ledger, that is used in place of one's own, as long as one has none: past work would stand in two.
    fn or_the_service_s(self, service: &Path) -> Self {
        let of_service = Self::all_in(service);
        if of_service.ledger().exists() && !self.ledger().exists() { of_service } else { self }
    }

    /// That there are two ledgers, in a sentence: root's own, and that of the bench's service.
    pub fn two_ledgers(&self) -> Option<String> {
        self.two_with(&Self::all_in(Path::new(SERVICE_HOME)))
    }

    fn two_with(&self, of_service: &Self) -> Option<String> {
        let (own, other) = (self.ledger(), of_service.ledger());
        let given = std::env::var_os("JUREX_HOME").is_some_and(|home| !home.is_empty());
        (own != other && !given && own.exists() && other.exists()).then(|| {
            format!(
                "there are two ledgers on this machine, {} (used now) and {} of the bench's service: JUREX_HOME={SERVICE_HOME} uses that",
                own.display(),
                other.display()
            )
        })
    }

    /// The folders of this user, whatever else there is.
    fn of_user() -> Result<Self, Failure> {
        let no_home = "cannot tell this user's home folder: set JUREX_HOME to a folder for Jurex's files";
        let xdg = Xdg::new().map_err(|_| Failure::Use(no_home.into()))?;
        let own = |base: PathBuf| base.join("jurex");
        Ok(Self {
            data: own(xdg.data_dir()),
            config: own(xdg.config_dir()),
            state: own(xdg.state_dir().unwrap_or_else(|| xdg.data_dir())),
            made_up: None,
        })
    }

    /// Everything in one folder.
    pub fn all_in(home: &Path) -> Self {
        Self { data: home.into(), config: home.into(), state: home.into(), made_up: None }
    }

    /// The folders of the demonstration: beside those of real work, with a folder of made-up files in them.
    pub fn demo(&self) -> Self {
        let home = self.data.join("demo");
        Self { made_up: Some(home.join("made-up")), ..Self::all_in(&home) }
    }

    /// The folder of made-up files, outside of which a demonstration lists and erases nothing; real work has none.
    pub fn made_up_files(&self) -> Option<&Path> {
        self.made_up.as_deref()
    }

    /// The ledger of real work.
    pub fn ledger(&self) -> PathBuf {
        self.data.join("ledger.sqlite3")
    }

    /// The ledger of the demonstration: nothing simulated stands among real evidence.
    pub fn demo_ledger(&self) -> PathBuf {
        self.data.join("demo").join("ledger.sqlite3")
    }

    /// The newest head of the ledger, kept apart from it.
    pub fn newest_head(&self) -> PathBuf {
        self.state.join("ledger-head")
    }

    /// Notices that have not gone out.
    pub fn notices(&self) -> PathBuf {
        self.data.join("notices")
    }

    /// How the organisation's papers look.
    pub fn certificate_file(&self) -> PathBuf {
        self.config.join("certificate.toml")
    }

    /// Says that somebody was greeted at a first start, of the demonstration or of the bench.
    pub fn greeted(&self, demo: bool) -> PathBuf {
        if demo { self.data.join("demo").join("greeted") } else { self.data.join("greeted") }
    }

    /// The demonstration's settings.
    pub fn demo_settings(&self) -> PathBuf {
        self.data.join("demo").join("config.toml")
    }

    /// The ledger for drives that are simulated or not.
    pub fn ledger_for(&self, simulated: bool) -> PathBuf {
        if simulated { self.demo_ledger() } else { self.ledger() }
    }

    /// The configuration file.
    pub fn config_file(&self) -> PathBuf {
        self.config.join("config.toml")
    }

    /// The folder of keys.
    pub fn keys(&self) -> PathBuf {
        self.data.join("keys")
    }

    /// The folder of papers, where everything is kept in one place.
    pub fn certificates(&self) -> PathBuf {
        self.data.join("certificates")
    }

    /// The folder of work on less than a drive: notes of what is under way, and records.
    pub fn less(&self) -> PathBuf {
        self.data.join("files")
    }

    /// The folder of saved policies.
    pub fn policies(&self) -> PathBuf {
        self.config.join("policies")
    }

    /// Files that are never erased as images: ledgers with their logs, configuration, log, and whatever else lies in the
    /// folders of keys and policies.
    pub fn own_files(&self) -> Vec<PathBuf> {
        let mut files =
            vec![self.config_file(), self.certificate_file(), self.newest_head(), self.log_folder().join("jurex.log")];
        for ledger in [self.ledger(), self.demo_ledger()] {
            files.extend(["", "-wal", "-shm"].map(|end| {
                let mut name = ledger.clone().into_os_string();
                name.push(end);
                PathBuf::from(name)
            }));
        }
        let inside = |folder: PathBuf| std::fs::read_dir(folder).into_iter().flatten().flatten().map(|e| e.path());
        files.extend(inside(self.policies()).chain(inside(self.keys())).chain(inside(self.less())));
        files
    }

    /// The folder of the log.
    pub fn log_folder(&self) -> PathBuf {
        self.state.clone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn root_uses_the_service_s_ledger_until_there_are_two_and_is_told_of_two() {
        let dir = tempfile::tempdir().unwrap();
        let [own, service] = ["own", "service"].map(|name| dir.path().join(name));
        let paths = || AppPaths::all_in(&own).or_the_service_s(&service);
        assert_eq!(paths().ledger(), own.join("ledger.sqlite3"), "no service");
        std::fs::create_dir_all(&service).unwrap();
        std::fs::write(service.join("ledger.sqlite3"), "").unwrap();
        assert_eq!(paths().ledger(), service.join("ledger.sqlite3"));
        assert_eq!(AppPaths::all_in(&own).two_with(&AppPaths::all_in(&service)), None);
        std::fs::create_dir_all(&own).unwrap();
        std::fs::write(own.join("ledger.sqlite3"), "").unwrap();
        assert_eq!(paths().ledger(), own.join("ledger.sqlite3"), "what is there already is not left");
        let said = AppPaths::all_in(&own).two_with(&AppPaths::all_in(&service)).unwrap();
        assert!(said.contains("two ledgers") && said.contains("service"), "{said}");
    }
}
