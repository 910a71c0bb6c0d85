//! What must be on disk before a drive is changed by its own commands, as a type.

use super::checkpoint::Checkpoint;
use super::run::{CheckpointStore, KeepError};
use jurex_device::native::command::Command;
use std::sync::Arc;

/// Proof that the job's place was kept: whatever happens from here on, someone who comes later knows what was begun, and with
/// which password. Only keeping a checkpoint makes one, and each command that changes a drive uses one up.
#[derive(Debug)]
pub struct CheckpointSaved(());

impl CheckpointSaved {
    /// Keeps `checkpoint`.
    ///
    /// # Errors
    /// It is not kept; then there is no proof.
    pub fn of(store: &mut dyn CheckpointStore, checkpoint: &Checkpoint) -> Result<Self, KeepError> {
        store.keep(checkpoint).map(|()| Self(()))
    }
}

/// Commands that change a drive, to be sent one right after another with nothing between. The first that does not end well
/// ends them.
#[derive(Clone, Debug)]
pub struct Change(Arc<[Command]>);

impl Change {
    pub(super) fn new(_: CheckpointSaved, commands: Vec<Command>) -> Self {
        Self(commands.into())
    }

    /// The commands, at least one.
    pub fn commands(&self) -> &[Command] {
        &self.0
    }
}
