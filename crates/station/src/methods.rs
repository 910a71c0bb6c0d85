//! Methods of one's own in `config.toml`, and in files that go from bench to bench.

use crate::config::{self, ConfigError};
use crate::exit::Failure;
use jurex_pattern::method::{Catalogue, Method, MethodError, from_toml, to_toml};
use std::io::Write;
use std::path::{Path, PathBuf};
use toml_edit::{ArrayOfTables, DocumentMut, Item};

/// Why methods could not be taken in or written to a file.
#[derive(Debug, thiserror::Error)]
pub enum MethodFileError {
    #[error("cannot read {}: {source}", file.display())]
    Read { file: PathBuf, source: std::io::Error },
    #[error("{}: {source}", file.display())]
    Wrong { file: PathBuf, source: MethodError },
    #[error("{}: {source}; nothing was taken", file.display())]
    NotTaken { file: PathBuf, source: MethodError },
    #[error("{} is there already, and nothing is overwritten silently", .0.display())]
    IsThere(PathBuf),
    #[error("cannot write {}: {source}", file.display())]
    Write { file: PathBuf, source: std::io::Error },
    #[error(transparent)]
    Config(#[from] ConfigError),
}

/// Writes the catalogue's own methods into the configuration file; everything else in it stays as it is, comments too.
///
/// # Errors
/// The file can't be read or written, or is not TOML; it is then as it was before.
pub fn save(catalogue: &Catalogue, config: &Path) -> Result<(), ConfigError> {
    config::edit(config, "", |document| {
        let own: Vec<&Method> = catalogue.own().collect();
        let written: DocumentMut = to_toml(&own).parse().map_err(ConfigError::Methods)?;
        document.remove("method");
        let tables = written.get("method").and_then(Item::as_array_of_tables).filter(|_| !own.is_empty());
        if let Some(tables) = tables {
            document.insert("method", Item::ArrayOfTables(at_the_end(tables)));
        }
        Ok(())
    })
}

/// The tables with no place of their own, so that they are written after everything else.
fn at_the_end(tables: &ArrayOfTables) -> ArrayOfTables {
    tables
        .iter()
        .cloned()
        .map(|mut table| {
            table.set_position(None);
            table
        })
        .collect()
}

/// Takes the methods of a file into the catalogue and the configuration: all of them, or none. Gives their names.
///
/// # Errors
/// The file can't be read or is wrong, or a name is taken.
pub fn import(catalogue: &Catalogue, file: &Path, config: &Path) -> Result<(Catalogue, Vec<String>), MethodFileError> {
    let named = || PathBuf::from(file);
    let text = crate::disk::read_small(file, 4 << 20).map_err(|source| MethodFileError::Read { file: named(), source })?;
    let new = from_toml(&text).map_err(|source| MethodFileError::Wrong { file: named(), source })?;
    let mut with = catalogue.clone();
    let added = new.iter().try_for_each(|m| with.add(m.clone()));
    added.map_err(|source| MethodFileError::NotTaken { file: named(), source })?;
    save(&with, config)?;
    Ok((with, new.into_iter().map(|m| m.name).collect()))
}

/// Writes methods to a new file.
///
/// # Errors
/// There is such a file already, or it can't be written.
pub fn export(methods: &[&Method], file: &Path) -> Result<(), MethodFileError> {
    let failed = |source: std::io::Error| match source.kind() {
        std::io::ErrorKind::AlreadyExists => MethodFileError::IsThere(file.into()),
        _ => MethodFileError::Write { file: file.into(), source },
    };
    let mut out = std::fs::OpenOptions::new().write(true).create_new(true).open(file).map_err(failed)?;
    out.write_all(to_toml(methods).as_bytes()).map_err(failed)
}

impl From<MethodFileError> for Failure {
    fn from(e: MethodFileError) -> Self {
        Failure::Use(e.to_string())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::Config;

    fn quay() -> Method {
        from_toml("[[method]]\nname = \"quay-two\"\ntitle = \"Quay\"\npasses = \"00 | random?\"\n").unwrap().remove(0)
    }

    #[test]
    fn saving_keeps_the_rest_of_the_file_with_its_comments() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("config.toml");
        std::fs::write(&path, "# the bench by the window\nbench = \"2\"\n\n[technician]\nname = \"Ines\"\n").unwrap();
        let mut catalogue = Catalogue::default();
        catalogue.add(quay()).unwrap();
        save(&catalogue, &path).unwrap();
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(text.starts_with("# the bench by the window\nbench"), "{text}");
        let config = Config::read(&path).unwrap();
        assert_eq!((config.methods, config.technician.name.as_str()), (vec![quay()], "Ines"));
        catalogue.remove("quay-two");
        save(&catalogue, &path).unwrap();
        assert!(Config::read(&path).unwrap().methods.is_empty());
    }

    #[test]
    fn what_goes_out_comes_in_again_once_and_never_over_a_file_that_is_there() {
        let dir = tempfile::tempdir().unwrap();
        let (file, config) = (dir.path().join("own.toml"), dir.path().join("config.toml"));
        export(&[&quay()], &file).unwrap();
        assert!(export(&[&quay()], &file).unwrap_err().to_string().contains("already"));
        let (with, names) = import(&Catalogue::default(), &file, &config).unwrap();
        assert_eq!((names, Config::read(&config).unwrap().methods.len()), (vec!["quay-two".to_string()], 1));
        assert!(import(&with, &file, &config).unwrap_err().to_string().contains("nothing was taken"));
    }
}
