//! How a record is printed: in whose house style, and with what proof that it stands in a ledger.

use crate::branding::House;
use jurex_disposition::proof::VerificationRecord;

/// All that a paper shows beside its record.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Print {
    /// Whose paper it is, and how it looks.
    pub house: House,
    /// That the record stands in a ledger.
    pub standing: Option<LedgerEntry>,
    /// Every second verification of what the job has left, the oldest first.
    pub verifications: Vec<VerificationRecord>,
}

/// That a record stands in a ledger, as it is printed and attached.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LedgerEntry {
    /// The proof, to be attached.
    pub proof: String,
    /// The record's number in the ledger, from 1.
    pub entry: u64,
    /// Entries of the ledger at the head by which it is proved.
    pub entries: u64,
    /// That head, in hexadecimal digits.
    pub head: String,
    /// The id of the key that signed the head.
    pub key_id: String,
}
