//! What happened to a drive.

use jurex_disposition::release::DriveStatus;
use jurex_look::column::Column;

/// All that happened to a drive, the newest first.
pub(crate) fn story(standing: &DriveStatus, column: &mut Column<'_>) {
    column.heading("What happened to it");
    for (when, what) in standing.story.iter().rev() {
        column.event(&when.strftime("%Y-%m-%d %H:%M").to_string(), what);
    }
}
