//! What keys are shut with.

use zeroize::Zeroizing;

/// What a private key is shut with. Never printed.
#[derive(Clone, PartialEq, Eq)]
pub struct Passphrase(Zeroizing<String>);

impl Passphrase {
    /// As it was typed, or stands in a file: a line end at its end is not of it.
    pub fn new(text: &str) -> Self {
        Self(Zeroizing::new(text.trim_end_matches(['\r', '\n']).into()))
    }

    pub(crate) fn text(&self) -> &str {
        &self.0
    }

    /// Whether it has no sign.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl std::fmt::Debug for Passphrase {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("..")
    }
}
