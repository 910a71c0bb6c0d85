//! The manual has a page for every command, and the completions know every command.

use std::process::Command;

#[test]
fn every_command_has_a_page_and_is_completed() {
    let folder = tempfile::tempdir().unwrap();
    let run = |to: &std::path::Path| Command::new(env!("CARGO_BIN_EXE_jurex-xtask")).arg(to).output().unwrap();
    let done = run(folder.path());
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let completions = ["jurex.bash", "_jurex", "jurex.fish"];
    let completions = completions.map(|name| std::fs::read_to_string(folder.path().join("completions").join(name)).unwrap());
    for command in jurex::arguments().get_subcommands() {
        let page = folder.path().join(format!("man/jurex-{}.1", command.get_name()));
        let text = std::fs::read_to_string(&page).unwrap_or_else(|e| panic!("{}: {e}", page.display()));
        assert!(text.contains(".SH NAME"), "{text}");
        assert!(completions.iter().all(|c| c.contains(command.get_name())), "{} is not completed", command.get_name());
    }
    let refused = run(std::path::Path::new("/dev/null/pages"));
    assert!(!refused.status.success() && String::from_utf8_lossy(&refused.stderr).contains("cannot write into"));
}
