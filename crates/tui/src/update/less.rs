//! What the world tells of less than a drive.

use crate::file_erase::{FilesStage, Less};
use crate::message::{AskLess, Effect, FromLess, LessOver};
use crate::state::State;
use jurex_look::field::Field;

/// A number of names has no more digits.
const DIGITS: usize = 12;

impl State {
    pub(super) fn take_less(&mut self, told: FromLess) -> Vec<Effect> {
        let less = &mut self.less;
        match told {
            FromLess::Volumes(volumes, cut_short) => {
                less.cut_short = cut_short;
                less.volumes = volumes;
            }
            FromLess::Listed(folder, Ok(listed)) => drop(less.open.insert(folder, listed)),
            FromLess::Listed(folder, Err(why)) => {
                less.problem = Some(format!("{} can't be read: {why}.", jurex_pattern::text::shown_path(&folder)));
            }
            FromLess::Sums(sums) => less.sums.extend(sums),
            FromLess::Surveyed(Ok(surveyed)) if matches!(less.stage, FilesStage::Looking) => {
                less.stage = FilesStage::Files { surveyed, typed: Field::default().taking(DIGITS) };
            }
            FromLess::Free(path, Ok(plan)) if matches!(less.stage, FilesStage::Looking) => {
                less.stage = FilesStage::Free { path, plan }
            }
            FromLess::Surveyed(Err(why)) | FromLess::Free(_, Err(why)) => {
                (less.stage, less.problem) = (FilesStage::Choosing, Some(why));
            }
            // It was left meanwhile.
            FromLess::Surveyed(Ok(_)) | FromLess::Free(..) => {}
            FromLess::Progress(now) => {
                if let FilesStage::Working { progress, .. } = &mut less.stage {
                    *progress = now;
                }
            }
            FromLess::Over(over) => return self.less_is_over(over),
        }
        vec![]
    }

    fn less_is_over(&mut self, over: Result<LessOver, String>) -> Vec<Effect> {
        match over {
            Ok((record, written)) => {
                self.notice = Some(format!("{}: it is over (F9).", record.asked.job));
                // What was erased is not there any more, and the tree is looked at anew.
                self.less = Less {
                    with_names: self.less.with_names,
                    stage: FilesStage::Over { results: record.results(), record, written },
                    ..Less::default()
                };
            }
            Err(why) => (self.less.stage, self.less.problem) = (FilesStage::Choosing, Some(why)),
        }
        vec![Effect::Less(AskLess::Volumes)]
    }
}
