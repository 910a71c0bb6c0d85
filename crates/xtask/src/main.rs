//! Writes the manual's pages and the completions of shells into a folder, from the program's own arguments: `jurex-xtask FOLDER`.
#![forbid(unsafe_code)]

mod manual;

use clap_complete::Shell;
use std::path::Path;
use std::process::ExitCode;

fn write(folder: &Path) -> std::io::Result<()> {
    let completions = folder.join("completions");
    manual::write(&folder.join("man"))?;
    std::fs::create_dir_all(&completions)?;
    for shell in [Shell::Bash, Shell::Zsh, Shell::Fish] {
        clap_complete::generate_to(shell, &mut jurex::arguments(), "jurex", &completions)?;
    }
    Ok(())
}

fn main() -> ExitCode {
    let Some(folder) = std::env::args_os().nth(1) else {
        eprintln!("jurex-xtask: name the folder to write into");
        return ExitCode::FAILURE;
    };
    match write(Path::new(&folder)) {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("jurex-xtask: cannot write into {}: {e}", Path::new(&folder).display());
            ExitCode::FAILURE
        }
    }
}
