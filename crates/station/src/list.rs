//! A list of drives that a person has made and approved: the label check for those that are erased while nobody is there.

use crate::disk;
use crate::exit::Failure;
use crate::order::{self, OrderArgs, order_of};
use jurex_pattern::method::Catalogue;
use jurex_pattern::text::{printable, shown_path};
use jurex_sanitize::work_order::{OrderLine, Orders};
use std::path::Path;

/// A list is no larger than this, in mebibytes.
const MAX_MIB: u64 = 4;

/// A line of the list with its plan understood.
#[derive(Debug)]
pub struct ListedJob {
    pub line: OrderLine,
    pub order: OrderArgs,
}

/// The list, every plan of it understood before anything is done.
pub fn read(path: &Path, catalogue: &Catalogue) -> Result<(Vec<ListedJob>, Vec<String>), Failure> {
    let file = shown_path(path);
    let unreadable = |why| Failure::Use(format!("cannot read the list {file}: {why}. Nothing was written"));
    let bytes = disk::read_plain(path, MAX_MIB).map_err(unreadable)?;
    let orders = Orders::from_csv(&bytes).map_err(|e| Failure::Use(format!("{file}: {e}")))?;
    let mut wrong = vec![];
    let mut listed = vec![];
    for line in orders.orders {
        match understood(&line, catalogue) {
            Ok(order) => listed.push(ListedJob { line, order }),
            Err(why) => wrong.push(format!("line {}: {why}", line.by.line)),
        }
    }
    if wrong.is_empty() {
        return Ok((listed, orders.unused));
    }
    Err(Failure::Use(format!("{file}: nothing of the list is carried out: {}", wrong.join("; "))))
}

/// The plan of a line, as it would be understood after `jurex erase DRIVE`.
fn understood(line: &OrderLine, catalogue: &Catalogue) -> Result<OrderArgs, String> {
    let shown = printable(line.plan.as_bytes());
    let words = shlex::split(&line.plan).ok_or_else(|| format!("`{shown}` has a quotation mark without its other"))?;
    let order = order_of(words).map_err(|why| format!("`{shown}` is no plan: {why}"))?;
    if order.from.is_some() || order.partition.is_some() {
        return Err(format!("`{shown}` is of a part of a drive: a list is of whole drives"));
    }
    if order.method.is_none() && order.passes.is_none() && order.way.is_none() {
        return Err(format!("`{shown}` names no method, no passes and no way"));
    }
    order::check_listed(&order, catalogue)?;
    Ok(order)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_sanitize::work_order::Approval;

    fn line(plan: &str) -> OrderLine {
        let by = Approval { sha256: String::new(), line: 2, approved_by: "Tomasz Averill".into() };
        OrderLine { serial: "FM0500T3XW8D".into(), plan: plan.into(), sectors: None, namespace: None, by }
    }

    #[test]
    fn a_plan_is_understood_as_after_erase_and_what_a_list_can_t_mean_is_refused() {
        let understood = |line: &OrderLine| super::understood(line, &Catalogue::default());
        assert_eq!(understood(&line("--passes '00 | random?' --verify none")).unwrap().passes.unwrap(), "00 | random?");
        for (plan, says) in [
            ("--method zeros --partition 1", "part of a drive"),
            ("--method zeros --from 0 --to 9", "part of a drive"),
            ("--verify full", "names no method"),
            ("--passes '00", "quotation mark"),
            ("--method zeros --label-check 123456", "no plan"),
            ("--resume", "no plan"),
            ("--method nothing-like-it", "no method"),
            ("--passes '00 | zz'", "passes are wrong"),
            ("/dev/sda --method zeros", "no plan"),
            ("--way tcg-revert", "PSID"),
        ] {
            let said = understood(&line(plan)).unwrap_err();
            assert!(said.contains(says), "{plan}: {said}");
        }
    }
}
