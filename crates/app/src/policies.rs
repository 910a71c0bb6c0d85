//! Policies saved by name: one TOML file each, beside the configuration.

use crate::files::replace;
use jurex_core::policy::{Policy, check_name};
use std::path::Path;

/// The names of the saved policies, sorted.
pub(crate) fn names(folder: &Path) -> Vec<String> {
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
pub(crate) fn read(folder: &Path, name: &str) -> Result<Policy, String> {
    let path = if name.contains('/') || name.ends_with(".toml") { name.into() } else { folder.join(format!("{name}.toml")) };
    let text = std::fs::read_to_string(&path).map_err(|e| {
        let known = names(folder);
        let others = if known.is_empty() { "none is saved".into() } else { format!("saved are {}", known.join(", ")) };
        format!("cannot read the policy {}: {e}; {others}", path.display())
    })?;
    Policy::from_toml(&text).map_err(|e| format!("the policy {} is wrong: {e}", path.display()))
}

/// Saves a policy by that name, over an earlier one.
///
/// # Errors
/// The name can't be one, or the file can't be written; an earlier one is then as it was.
pub(crate) fn save(folder: &Path, name: &str, policy: &Policy) -> Result<(), String> {
    check_name(name).map_err(|e| e.to_string())?;
    let path = folder.join(format!("{name}.toml"));
    replace(&path, &policy.to_toml()).map_err(|e| format!("cannot write {}: {e}", path.display()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_core::need::{Need, Sensitivity};

    #[test]
    fn a_saved_policy_is_found_by_its_name_and_a_missing_one_names_the_others() {
        let dir = tempfile::tempdir().unwrap();
        let policy = Policy::of_need(Need { sensitivity: Sensitivity::Low, reuse: true, leaves: false });
        save(dir.path(), "stations", &policy).unwrap();
        assert!(save(dir.path(), "../out", &policy).is_err());
        assert_eq!((names(dir.path()), read(dir.path(), "stations")), (vec!["stations".to_string()], Ok(policy)));
        assert!(read(dir.path(), "station").unwrap_err().contains("saved are stations"));
        std::fs::write(dir.path().join("odd.toml"), "sensitivity = \"low\"\nreuse = true\nleaves = true\nspeed = 3\n").unwrap();
        let said = read(dir.path(), "odd").unwrap_err();
        assert!(said.contains("line 4") && said.contains("speed") && said.contains("odd.toml"), "{said}");
    }
}
