//! What the help says of each step.

use crate::lane::Step;

/// What a step is for, for its help page.
pub(super) fn step(step: Step) -> [&'static str; 3] {
    match step {
        Step::Look => [
            "Is that the right drive?",
            "Compare the card with the paper label on the drive itself. Nothing is written in this step.",
            "A guarded drive can't be erased: the sentence names what uses it, and there is no way around it.",
        ],
        Step::Plan => [
            "What level is needed, and how do we reach it?",
            "Three answers give the required level (SP 800-88). Each technique says what it gives on this very drive.",
            "Clear protects against simple recovery; Purge against a laboratory; Destroy ends the drive's use.",
        ],
        Step::Arm => [
            "Last look.",
            "Read the label on the drive itself, not this screen, and type or scan what is asked for.",
            "After a right answer five seconds pass before anything is written. Any key stops them.",
        ],
        Step::Erase => [
            "Is it going well?",
            "The drive lies flat, its first sector left. Each pass is written over what was there; a cross marks a faulty place.",
            "Leaving this screen stops nothing. A stopped drive is Not sanitized.",
        ],
        Step::Prove => [
            "Is it really gone?",
            "Every sector is read past all caches and compared with what was written (SP 800-88 Rev. 1, 4.7).",
            "What was not read back is not verified.",
        ],
        Step::Certify => [
            "Can I sign for it?",
            "The certificate's outcome follows from the evidence; no field can change it.",
            "Empty fields print as lines to fill in by hand.",
        ],
        Step::Release => [
            "Where does this drive go?",
            "What is said here of the drive is noted in the ledger, with your name; the certificate's claim stays that of before.",
            "The outcome of a destruction follows from what is stated of it, by the rules: a hole, a bend or a cut only damages.",
        ],
    }
}
