//! Policies saved by name: one TOML file each, beside the configuration.

use crate::disk::replace;
use crate::exit::Failure;
use jurex_sanitize::policy::{Policy, PolicyError, check_name};
use std::path::{Path, PathBuf};

/// Why a policy could not be read or saved.
#[derive(Debug, thiserror::Error)]
pub enum PolicyFileError {
    #[error("cannot read the policy {}: {source}; {}", file.display(), saved(.known))]
    Read { file: PathBuf, known: Vec<String>, source: std::io::Error },
    #[error("the policy {} is wrong: {source}", file.display())]
    Wrong { file: PathBuf, source: PolicyError },
    #[error(transparent)]
    Name(#[from] PolicyError),
    #[error("cannot write {}: {source}", file.display())]
    Write { file: PathBuf, source: std::io::Error },
}

fn saved(known: &[String]) -> String {
    if known.is_empty() { "none is saved".into() } else { format!("saved are {}", known.join(", ")) }
}

impl From<PolicyFileError> for Failure {
    fn from(e: PolicyFileError) -> Self {
        Failure::Use(e.to_string())
    }
}

/// The names of the saved policies, sorted.
pub fn names(folder: &Path) -> Vec<String> {
    let Ok(entries) = std::fs::read_dir(folder) else { return vec![] };
    let name = |e: std::fs::DirEntry| e.file_name().to_str()?.strip_suffix(".toml").map(str::to_string);
    let mut names: Vec<String> = entries.flatten().filter_map(name).filter(|n| check_name(n).is_ok()).collect();
    names.sort();
    names
}

/// The policy of that name, or in that file.
///
/// # Errors
/// There is none, or it is wrong; the text names file, key and line.
pub fn read(folder: &Path, name: &str) -> Result<Policy, PolicyFileError> {
    let file: PathBuf =
        if name.contains('/') || name.ends_with(".toml") { name.into() } else { folder.join(format!("{name}.toml")) };
    match crate::disk::read_small(&file, 4 << 20) {
        Ok(text) => Policy::from_toml(&text).map_err(|source| PolicyFileError::Wrong { file, source }),
        Err(source) => Err(PolicyFileError::Read { file, known: names(folder), source }),
    }
}

/// Saves a policy by that name, over an earlier one.
///
/// # Errors
/// The name can't be one, or the file can't be written; an earlier one is then as it was.
pub fn save(folder: &Path, name: &str, policy: &Policy) -> Result<(), PolicyFileError> {
    check_name(name)?;
    let file = folder.join(format!("{name}.toml"));
    replace(&file, &policy.to_toml()).map_err(|source| PolicyFileError::Write { file, source })
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_sanitize::need::{Need, Sensitivity};

    #[test]
    fn a_saved_policy_is_found_by_its_name_and_a_missing_one_names_the_others() {
        let dir = tempfile::tempdir().unwrap();
        let policy = Policy::of_need(Need { sensitivity: Sensitivity::Low, reuse: true, leaves: false });
        save(dir.path(), "stations", &policy).unwrap();
        assert!(save(dir.path(), "../out", &policy).is_err());
        assert_eq!((names(dir.path()), read(dir.path(), "stations").unwrap()), (vec!["stations".to_string()], policy));
        assert!(read(dir.path(), "station").unwrap_err().to_string().contains("saved are stations"));
        std::fs::write(dir.path().join("odd.toml"), "sensitivity = \"low\"\nreuse = true\nleaves = true\nspeed = 3\n").unwrap();
        let said = read(dir.path(), "odd").unwrap_err().to_string();
        assert!(said.contains("line 4") && said.contains("speed") && said.contains("odd.toml"), "{said}");
    }
}
