//! The way to a drive's own commands.

use super::MediumError;
use crate::native::command::{Answer, Command};

/// A way to a drive's own commands, beside its sectors. Real and simulated drives answer the same bytes.
pub trait Port {
    /// Sends one command and waits for its end, or until its patience is over.
    ///
    /// # Errors
    /// It could not be sent: nothing has reached the drive. What became of a command that was sent and not answered is
    /// [`Answer::Lost`].
    fn send(&mut self, command: &Command) -> Result<Answer, MediumError>;

    /// Sends several, one right after another. The first that does not end well ends them; its answer is the last.
    ///
    /// # Errors
    /// One could not be sent.
    fn send_together(&mut self, commands: &[Command]) -> Result<Vec<Answer>, MediumError> {
        one_by_one(commands, |command| self.send(command))
    }

    /// Lets the system see the drive's capacity anew, after it was changed.
    ///
    /// # Errors
    /// The system does not look.
    fn rescan(&mut self) -> Result<(), MediumError>;
}

/// Sends each by `send` as soon as the one before has ended well.
///
/// # Errors
/// One could not be sent.
pub fn one_by_one(
    commands: &[Command],
    mut send: impl FnMut(&Command) -> Result<Answer, MediumError>,
) -> Result<Vec<Answer>, MediumError> {
    let mut answers: Vec<Answer> = vec![];
    for command in commands {
        answers.push(send(command)?);
        if !answers.last().is_some_and(Answer::is_good) {
            break;
        }
    }
    Ok(answers)
}
