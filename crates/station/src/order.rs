//! The words of an order, on the command line and in a list, and what they mean on a drive.

use crate::bench::DriveSnapshot;
use crate::exit::Failure;
use clap::builder::{PossibleValuesParser, TypedValueParser};
use clap::{Args, Parser};
use jurex_device::technique::Wants;
use jurex_pattern::method::{Catalogue, Method};
use jurex_pattern::notation::{NotationError, Program};
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::Stated;
use jurex_sanitize::plan::{Course, NativeOrder, Order, PlanError, SizeCheck, UnhideOrder, Verification};
use jurex_sanitize::rules::{Condition, Edition, Technique};

/// What is to be written to a drive, how often, where, and what is read back. Options that had another name keep it as an alias.
#[derive(Debug, Args)]
pub struct OrderArgs {
    /// A method of the library or of your own (see `jurex methods`)
    #[arg(long, value_name = "NAME", conflicts_with_all = ["passes", "way"])]
    pub method: Option<String>,
    /// Passes of your own, for example '00 | ~ | random?'
    #[arg(long, value_name = "NOTATION", conflicts_with = "way")]
    pub passes: Option<String>,
    /// A technique that the drive carries out itself, as `jurex plan` names it: sanitize-block, security-erase-enhanced …
    #[arg(long = "technique", alias = "way", value_name = "NAME")]
    pub way: Option<String>,
    /// With --technique: passes that are written after the drive has erased itself, for example '00'
    #[arg(long, value_name = "NOTATION", requires = "way")]
    pub then: Option<String>,
    /// With --technique: what you attest about the drive, by name on the certificate: encrypted-from-start, key-strength,
    /// keys-not-escrowed, module-trusted, maker-confirms
    #[arg(long = "attest", alias = "stated", value_name = "NAMES", requires = "way", value_delimiter = ',', value_parser = condition())]
    pub stated: Vec<Condition>,
    /// Hidden areas stay hidden (then it is never the whole drive)
    #[arg(long)]
    pub leave_hidden: bool,
    /// Hidden areas stay accessible for good, not only until the drive's next power-on
    #[arg(long = "keep-accessible", alias = "keep-lifted", conflicts_with = "leave_hidden")]
    pub keep_lifted: bool,
    /// A device configuration overlay is taken off too: that restores every setting that the drive had from its maker
    #[arg(long, conflicts_with = "leave_hidden")]
    pub restore_configuration: bool,
    /// Whether it is checked first that the drive is as large as it claims (default: yes for removable flash, no for all else)
    #[arg(long, value_name = "yes|no", value_parser = yes_no())]
    pub size_check: Option<bool>,
    /// Search it for residual data before and after, a sample for a minute at most: the record names both counts
    #[arg(long = "residual-data", alias = "leftovers")]
    pub leftovers: bool,
    /// Whether an erasure tag is left in the drive's first and last sectors after the verification: a page of plain text that says what
    /// was done (default: the configuration's `mark`, else no)
    #[arg(long = "erasure-tag", alias = "mark", value_name = "yes|no", value_parser = yes_no())]
    pub mark: Option<bool>,
    /// How often the passes are run through (1, unless a policy says otherwise)
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=500))]
    pub rounds: Option<u32>,
    /// One more pass of zeros at the end
    #[arg(long)]
    pub blank: bool,
    /// What is read back and compared (full, unless a policy says otherwise)
    #[arg(long, value_parser = verification())]
    pub verify: Option<Verification>,
    /// First sector of a range (a range never sanitizes the drive)
    #[arg(long, value_name = "LBA", requires = "to")]
    pub from: Option<u64>,
    /// Last sector of a range
    #[arg(long, value_name = "LBA", requires = "from")]
    pub to: Option<u64>,
    /// A partition instead of the drive, by its place in `jurex look` (a partition never sanitizes the drive)
    #[arg(long, value_name = "N", conflicts_with_all = ["from", "to"])]
    pub partition: Option<usize>,
    /// How often a failing sector is tried again (2, unless a policy says otherwise)
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(0..=100))]
    pub retries: Option<u32>,
    /// After more bad places than this a dying drive is given up (10 000)
    #[arg(long, value_name = "N")]
    pub faults: Option<u64>,
    /// Erase it although the plan gives less than its list or lot requires (its certificate names both)
    #[arg(long)]
    pub accept_less: bool,
    /// The edition that outcomes are judged by: rev1 or rev2 (default: the configuration's, else rev2)
    #[arg(long, value_name = "EDITION", value_parser = edition())]
    pub rules: Option<Edition>,
}

fn verification() -> impl TypedValueParser<Value = Verification> {
    PossibleValuesParser::new(Verification::ALL.map(Verification::name)).try_map(|name| name.parse::<Verification>())
}

fn condition() -> impl TypedValueParser<Value = Condition> {
    let named = |name: String| Condition::STATED.into_iter().find(|c| c.slug() == name).ok_or("no such statement");
    PossibleValuesParser::new(Condition::STATED.map(Condition::slug)).try_map(named)
}

fn edition() -> impl TypedValueParser<Value = Edition> {
    PossibleValuesParser::new(["rev1", "rev2"]).map(|name| if name == "rev1" { Edition::Rev1 } else { Edition::Rev2 })
}

/// `yes` or `no`.
pub fn yes_no() -> impl TypedValueParser<Value = bool> {
    PossibleValuesParser::new(["yes", "no"]).map(|word| word == "yes")
}

/// A plan alone, as it stands in a list.
#[derive(Debug, Parser)]
#[command(no_binary_name = true, disable_help_flag = true)]
struct PlanAlone {
    #[command(flatten)]
    order: OrderArgs,
}

/// The order that these words after `jurex erase DRIVE` give.
///
/// # Errors
/// What is wrong with them, on one line.
pub fn order_of(words: Vec<String>) -> Result<OrderArgs, String> {
    let told = |e: clap::Error| {
        let text = e.render().to_string();
        let first = text.lines().find(|l| !l.trim().is_empty()).unwrap_or_default();
        jurex_pattern::text::printable(first.trim_start_matches("error: ").as_bytes())
    };
    PlanAlone::try_parse_from(words).map(|p| p.order).map_err(told)
}

/// The method of that name, or an error that offers the nearest ones.
pub fn find<'c>(catalogue: &'c Catalogue, name: &str) -> Result<&'c Method, Failure> {
    catalogue.find(name).ok_or_else(|| {
        let nearest = catalogue.nearest(name);
        let shown = jurex_pattern::text::printable(name.as_bytes());
        Failure::Use(format!("there is no method `{shown}`; the nearest are {}. Nothing was written", nearest[..3].join(", ")))
    })
}

/// The course that the arguments ask for: passes, or an erasure of the drive's own by `--technique`. `by` is who states what is
/// stated.
pub fn course(
    asked: &OrderArgs,
    seen: &DriveSnapshot,
    catalogue: &Catalogue,
    (edition, marks): (Edition, bool),
    base: Option<Order>,
    by: &str,
) -> Result<Course, Failure> {
    let Some(technique) = own_way(asked)? else {
        if asked.then.is_some() || !asked.stated.is_empty() {
            let why = "--then and --attest belong to a technique of the drive's own: name it with --technique";
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
    let own = NativeOrder::new(technique, &seen.drive, &seen.answers);
    let size_check = size_check(asked);
    let marks = leaves_mark(asked, marks, seen);
    Ok(Course::Own(NativeOrder { lift, size_check, marks, searches: asked.leftovers, how_much, then, stated, edition, ..own }))
}

/// What is asked for; where nothing is, what the settings say of drives on which there is room.
fn leaves_mark(asked: &OrderArgs, usual: bool, seen: &DriveSnapshot) -> bool {
    asked.mark.unwrap_or(usual && jurex_disposition::erasure_tag::places(seen.drive.geometry).is_some())
}

/// Whether and how hidden areas are lifted first.
fn lift(asked: &OrderArgs, seen: &DriveSnapshot) -> Option<UnhideOrder> {
    UnhideOrder::of(&seen.drive).filter(|_| !asked.leave_hidden)?;
    Some(UnhideOrder { permanent: asked.keep_lifted, configuration: asked.restore_configuration })
}

fn size_check(asked: &OrderArgs) -> SizeCheck {
    match asked.size_check {
        None => SizeCheck::default(),
        Some(true) => SizeCheck::Yes,
        Some(false) => SizeCheck::No,
    }
}

/// What the arguments ask for; what they leave open is as in `base`. `None` for the base: passes must be named.
pub fn order(
    asked: &OrderArgs,
    seen: &DriveSnapshot,
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
pub fn check_listed(asked: &OrderArgs, catalogue: &Catalogue) -> Result<(), String> {
    let method = asked.method.as_deref().map(|name| find(catalogue, name)).transpose();
    let passes = [&asked.passes, &asked.then].into_iter().flatten().try_for_each(|p| parse(p).map(drop));
    method.map(drop).and(passes).map_err(|e| e.to_string())?;
    let Some(way) = own_way(asked).map_err(|e| e.to_string())? else { return Ok(()) };
    match way.descriptor().wants {
        Some(Wants::Psid) => Err(format!("{} needs the PSID from the label, which a list does not hold", way.name())),
        Some(Wants::AdminPassword) => Err(format!("{} needs a password, which a list does not hold", way.name())),
        None => Ok(()),
    }
}

/// The erasure of the drive's own that `--technique` names; `None`: passes are laid.
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
        Some(technique) => Err(Failure::Use(format!("{} alone sanitizes nothing; nothing was written", technique.name()))),
        None => {
            let known: Vec<String> = Technique::ALL.into_iter().map(|t| t.slug()).collect();
            let shown = jurex_pattern::text::printable(name.as_bytes());
            Err(Failure::Use(format!(
                "there is no technique `{shown}`; the techniques are {}. Nothing was written",
                known.join(", ")
            )))
        }
    }
}

fn range(asked: &OrderArgs, seen: &DriveSnapshot) -> Result<Option<Sectors>, Failure> {
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
