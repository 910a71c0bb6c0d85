//! From arguments to an order.

use crate::bench::Seen;
use crate::cli::OrderArgs;
use crate::exit::Failure;
use jurex_core::evidence::Stated;
use jurex_core::method::{Catalogue, Method};
use jurex_core::notation::{NotationError, Program};
use jurex_core::plan::{Course, Lift, Order, OwnOrder, PlanError, SizeCheck, Verification};
use jurex_core::rules::{Edition, Technique};
use jurex_core::units::Sectors;

/// The method of that name, or an error that offers the nearest ones.
pub(super) fn find<'c>(catalogue: &'c Catalogue, name: &str) -> Result<&'c Method, Failure> {
    catalogue.find(name).ok_or_else(|| {
        let nearest = catalogue.nearest(name);
        let shown = jurex_core::text::printable(name.as_bytes());
        Failure::Use(format!("there is no method `{shown}`; the nearest are {}. Nothing was written", nearest[..3].join(", ")))
    })
}

/// The course that the arguments ask for: passes, or an erasure of the drive's own by `--way`. `by` is who states what is
/// stated.
pub(super) fn course(
    asked: &OrderArgs,
    seen: &Seen,
    catalogue: &Catalogue,
    (edition, marks): (Edition, bool),
    base: Option<Order>,
    by: &str,
) -> Result<Course, Failure> {
    let Some(technique) = own_way(asked)? else {
        if asked.then.is_some() || !asked.stated.is_empty() {
            let why = "--then and --stated belong to an erasure of the drive's own: name it with --way";
            return Err(Failure::Use(format!("{why}. Nothing was written")));
        }
        let order = order(asked, seen, catalogue, edition, base)?;
        let marks = leaves_mark(asked, marks && order.range.is_none(), seen);
        return Ok(Course::Overwrite(Order { marks, ..order }));
    };
    if asked.from.is_some() || asked.partition.is_some() || asked.rounds.is_some() || asked.blank {
        let why = "what the drive does itself is of the whole drive, once: leave out ranges, rounds and blank passes";
        return Err(Failure::Use(format!("{why}. Nothing was written")));
    }
    let edition = asked.rules.unwrap_or(edition);
    let then = asked.then.as_deref().map(parse).transpose()?;
    let then = then.map(|program| Order { edition, ..Order::of_program("passes of one's own", program) });
    let how_much = match asked.verify.unwrap_or_default() {
        Verification::Read(how_much, _) => Some(how_much),
        Verification::None => None,
    };
    let stated = Stated { conditions: asked.stated.clone(), by: if asked.stated.is_empty() { "" } else { by }.into() };
    let lift = lift(asked, seen);
    let own = OwnOrder::new(technique, &seen.drive, &seen.answers);
    let size_check = size_check(asked);
    let marks = leaves_mark(asked, marks, seen);
    Ok(Course::Own(OwnOrder { lift, size_check, marks, searches: asked.leftovers, how_much, then, stated, edition, ..own }))
}

/// What is asked for; where nothing is, what the settings say of drives on which there is room.
fn leaves_mark(asked: &OrderArgs, usual: bool, seen: &Seen) -> bool {
    asked.mark.unwrap_or(usual && jurex_core::mark::places(seen.drive.geometry).is_some())
}

/// Whether and how hidden areas are lifted first.
fn lift(asked: &OrderArgs, seen: &Seen) -> Option<Lift> {
    Lift::of(&seen.drive).filter(|_| !asked.leave_hidden)?;
    Some(Lift { permanent: asked.keep_lifted, configuration: asked.restore_configuration })
}

fn size_check(asked: &OrderArgs) -> SizeCheck {
    match asked.size_check {
        None => SizeCheck::default(),
        Some(true) => SizeCheck::Yes,
        Some(false) => SizeCheck::No,
    }
}

/// What the arguments ask for; what they leave open is as in `base`. `None` for the base: passes must be named.
pub(super) fn order(
    asked: &OrderArgs,
    seen: &Seen,
    catalogue: &Catalogue,
    edition: Edition,
    base: Option<Order>,
) -> Result<Order, Failure> {
    let mut order = match (&asked.method, &asked.passes, base) {
        (Some(name), _, _) => Order::of_method(find(catalogue, name)?),
        (None, Some(notation), _) => Order::of_program("passes of one's own", parse(notation)?),
        (None, None, Some(base)) => base,
        (None, None, None) => {
            return Err(Failure::Use("name a method with --method, or passes with --passes; nothing was written".into()));
        }
    };
    order.edition = asked.rules.unwrap_or(edition);
    order.retries = asked.retries.unwrap_or(order.retries);
    order.rounds = asked.rounds.unwrap_or(order.rounds);
    order.blank |= asked.blank;
    order.faults_allowed = asked.faults.unwrap_or(order.faults_allowed);
    if let Some(verification) = asked.verify {
        if verification == Verification::None && asked.passes.is_some() && order.program.asks_read_back() {
            return Err(PlanError::Contradiction.into());
        }
        order.verification = verification;
    }
    order.range = range(asked, seen)?;
    order.size_check = size_check(asked);
    order.searches |= asked.leftovers;
    // A part of a drive is a part of it, whatever it hides.
    order.lift = lift(asked, seen).filter(|_| order.range.is_none());
    Ok(order)
}

/// Whether an order of a list can be carried out on some drive: its method and its passes are known, and it needs no secret, which only a
/// person can give.
pub(super) fn check_listed(asked: &OrderArgs, catalogue: &Catalogue) -> Result<(), String> {
    let method = asked.method.as_deref().map(|name| find(catalogue, name)).transpose();
    let passes = [&asked.passes, &asked.then].into_iter().flatten().try_for_each(|p| parse(p).map(drop));
    method.map(drop).and(passes).map_err(|e| e.to_string())?;
    match own_way(asked).map_err(|e| e.to_string())? {
        Some(way @ Technique::TcgRevert) => {
            Err(format!("{} needs the PSID from the label, which a list does not hold", way.name()))
        }
        Some(way @ Technique::TcgKeyChange) => Err(format!("{} needs a password, which a list does not hold", way.name())),
        _ => Ok(()),
    }
}

/// The erasure of the drive's own that `--way` names; `None`: passes are laid.
fn own_way(asked: &OrderArgs) -> Result<Option<Technique>, Failure> {
    let Some(name) = &asked.way else { return Ok(None) };
    match Technique::ALL.into_iter().find(|t| t.slug() == *name) {
        Some(Technique::Overwrite) => {
            Err(Failure::Use("the way `overwrite` needs its passes: name --method or --passes. Nothing was written".into()))
        }
        Some(technique) if technique.is_physical() => {
            Err(Failure::Use(format!("{} is done by hand; Jurex writes nothing for it", technique.name())))
        }
        Some(technique) if technique.is_own() => Ok(Some(technique)),
        Some(technique) => Err(Failure::Use(format!("{} alone earns nothing; nothing was written", technique.name()))),
        None => {
            let known: Vec<String> = Technique::ALL.into_iter().map(|t| t.slug()).collect();
            let shown = jurex_core::text::printable(name.as_bytes());
            Err(Failure::Use(format!("there is no way `{shown}`; the ways are {}. Nothing was written", known.join(", "))))
        }
    }
}

fn range(asked: &OrderArgs, seen: &Seen) -> Result<Option<Sectors>, Failure> {
    if let (Some(from), Some(to)) = (asked.from, asked.to) {
        let backwards = || Failure::Use(format!("the range from {from} to {to} holds no sector. Nothing was written"));
        return Sectors::from_to(from, to).ok_or_else(backwards).map(Some);
    }
    let Some(number) = asked.partition else { return Ok(None) };
    Ok(Some(seen.look().0.partition(number)?.at))
}

/// Parses the notation; a mistake is shown under its column.
fn parse(notation: &str) -> Result<Program, Failure> {
    notation.parse().map_err(|e: NotationError| {
        let shown: String = notation.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
        let mark = format!("{}^", " ".repeat(e.column - 1));
        Failure::Use(format!("the passes are wrong, {e}:\n  {shown}\n  {mark}\nNothing was written"))
    })
}
