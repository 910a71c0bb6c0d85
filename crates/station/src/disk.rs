//! Files that are read with a bound, and replaced as a whole: nothing but plain files, and no half ones.

use std::io::Write;
use std::path::{Path, PathBuf};

/// # Errors
/// It is something else, larger, or can't be read.
pub fn read_plain(file: &Path, most_mib: u64) -> std::io::Result<Vec<u8>> {
    let told = std::fs::metadata(file)?;
    if !told.is_file() {
        return Err(std::io::Error::other("it is no plain file"));
    }
    if told.len() > most_mib << 20 {
        return Err(std::io::Error::other(format!("it is larger than {most_mib} MiB")));
    }
    std::fs::read(file)
}

/// The most bytes of a file that holds a key, a head, a passphrase or the like.
pub const FEW_LINES: u64 = 64 << 10;

/// The text of a plain file of no more bytes than that: nothing else is waited for, nor swallowed whole.
///
/// # Errors
/// It is no plain file, is longer, or can't be read.
pub fn read_small(path: &Path, most: u64) -> std::io::Result<String> {
    let bytes = read_bounded(path, most)?;
    String::from_utf8(bytes).map_err(|_| std::io::Error::new(std::io::ErrorKind::InvalidData, "it is no text"))
}

/// The bytes of a plain file of no more than that.
///
/// # Errors
/// It is no plain file, is longer, or can't be read.
pub fn read_bounded(path: &Path, most: u64) -> std::io::Result<Vec<u8>> {
    use std::io::Read;
    use std::os::unix::fs::OpenOptionsExt;
    let wrong = |what: &str| std::io::Error::new(std::io::ErrorKind::InvalidInput, what.to_string());
    // A pipe would keep this waiting; what is not a plain file is not even read.
    let flags = rustix::fs::OFlags::NONBLOCK.bits() as i32;
    let file = std::fs::OpenOptions::new().read(true).custom_flags(flags).open(path)?;
    if !file.metadata()?.is_file() {
        return Err(wrong("it is no plain file"));
    }
    let mut bytes = vec![];
    file.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most {
        return Err(wrong(&format!("it has more than {}", jurex_pattern::units::si_size(most))));
    }
    Ok(bytes)
}

/// Where what is written under a path may take the place of what is there: a plain file, or nothing. A device node, a pipe or a folder is
/// never replaced; a link leads to the file that it names, and stays.
///
/// # Errors
/// Something else is there.
pub fn replaceable(path: &Path) -> std::io::Result<PathBuf> {
    let real = match std::fs::symlink_metadata(path) {
        Ok(status) if status.is_symlink() => path.canonicalize()?,
        Ok(_) => path.to_path_buf(),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(path.to_path_buf()),
        Err(e) => return Err(e),
    };
    if std::fs::symlink_metadata(&real)?.is_file() {
        return Ok(real);
    }
    let said = format!("{} is no plain file, and is left as it is", jurex_pattern::text::shown_path(&real));
    Err(std::io::Error::new(std::io::ErrorKind::InvalidInput, said))
}

/// Writes a file as a whole or not at all.
pub fn replace(path: &Path, text: &str) -> std::io::Result<()> {
    let path = replaceable(path)?;
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder)?;
    let mut file = tempfile::NamedTempFile::new_in(folder)?;
    file.write_all(text.as_bytes())?;
    file.as_file().sync_all()?;
    file.persist(path)?;
    Ok(())
}

pub fn write_new(folder: &Path, target: &Path, bytes: &[u8]) -> std::io::Result<()> {
    let mut file = tempfile::Builder::new().prefix(".jurex-").tempfile_in(folder)?;
    file.write_all(bytes)?;
    file.as_file().sync_all()?;
    // Temporary files are private; a certificate is meant to be read.
    let readable = std::os::unix::fs::PermissionsExt::from_mode(0o644);
    file.as_file().set_permissions(readable)?;
    file.persist_noclobber(target)?;
    Ok(())
}
