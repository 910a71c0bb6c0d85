//! What is said on the terminal: results on one stream, remarks beside them.

/// Prints a line. A result that could not be written is an error at the end ([`output_failed`]); a reader that has gone
/// away (`jurex drives | head -1`) is none of Jurex's business.
pub fn say(text: &str) {
    use std::io::Write;
    if let Err(e) = writeln!(std::io::stdout(), "{text}") {
        let mut failed = OUTPUT_FAILED.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        failed.get_or_insert_with(|| e.to_string());
    }
}

/// Prints a JSON document on one line.
pub fn say_json(value: &serde_json::Value) {
    say(&jurex_pattern::text::safe_json(&value.to_string()));
}

static OUTPUT_FAILED: std::sync::Mutex<Option<String>> = std::sync::Mutex::new(None);

/// Why something that was to be printed was not, if it was not.
pub fn output_failed() -> Option<String> {
    use std::io::Write;
    let told = OUTPUT_FAILED.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone();
    told.or_else(|| std::io::stdout().flush().err().map(|e| e.to_string()))
}

/// The same beside the results, on the error stream: a terminal that is gone must not end a job.
pub fn remark(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stderr(), "{text}");
}
