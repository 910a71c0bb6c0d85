//! A list of orders: which drives are to be erased, each by what plan, approved beforehand by a person. Where nobody stands at the
//! bench the list is the label check: a drive is erased because its serial stands there whole, never because it is attached.

pub use crate::evidence::Approval;
use crate::plan::{ArmError, ArmedPlan, Plan};
use crate::table::{CsvTable, Mistake, Serials, TableRow};
use jurex_device::guard::Cleared;
use jurex_device::media::{Drive, DriveLabel, Protocol, same_serial};
use jurex_pattern::text::{hex, printable};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;

/// One line of the list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OrderLine {
    /// The serial, whole.
    pub serial: String,
    /// What is to be done, as it is written after `jurex erase DRIVE`.
    pub plan: String,
    /// The number of sectors that the drive must have, where the list says it.
    pub sectors: Option<u64>,
    /// The namespace of the controller that is meant, where the list names one.
    pub namespace: Option<u32>,
    /// Where it stands.
    pub by: Approval,
}

/// A list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Orders {
    /// SHA-256 of its bytes, in hexadecimal.
    pub sha256: String,
    /// Its lines.
    pub orders: Vec<OrderLine>,
    /// Columns that nothing is known of; they were passed over.
    pub unused: Vec<String>,
}

/// Why a list is no list of orders: every mistake. Nothing of it is carried out.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("nothing of the list is carried out: {}", .0.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))]
pub struct BadOrders(pub Vec<Mistake>);

/// Why a drive was not armed by its line.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotByList {
    /// The line is of another drive.
    #[error("line {line} of the list is of serial {listed}, and this drive is another")]
    OtherSerial {
        /// The line.
        line: u64,
        /// Its serial.
        listed: String,
    },
    /// Another size than the line says.
    #[error("line {line} of the list says {listed} sectors, and the drive has {found}")]
    OtherSize {
        /// The line.
        line: u64,
        /// Sectors that it says.
        listed: u64,
        /// Sectors that the drive has.
        found: u64,
    },
    /// A serial alone does not tell this drive from the others that are attached.
    #[error("its serial does not tell it from another drive that is attached ({asks}): a person must look", asks = .0.asks_for())]
    NotTold(DriveLabel),
    /// The guard or the plan has something against it.
    #[error(transparent)]
    Arm(#[from] ArmError),
}

/// Most lines.
const MOST: usize = 10_000;
/// A serial of fewer signs tells too little.
const MIN_SIGNS: usize = 4;

impl Orders {
    /// From the bytes of a CSV file (RFC 4180, UTF-8) whose first row names the columns `serial`, `plan`, `approved by`, and perhaps
    /// `sectors` and `namespace`; cells are parted by commas, semicolons or tabs.
    ///
    /// # Errors
    /// Every mistake, each with its line.
    pub fn from_csv(bytes: &[u8]) -> Result<Self, BadOrders> {
        let one = |line: u64, what: &str| BadOrders(vec![Mistake { line, what: what.into() }]);
        let text = std::str::from_utf8(bytes).map_err(|_| one(1, "it is not UTF-8"))?;
        let table = CsvTable::of(text).map_err(|_| one(1, "it is not readable as CSV"))?;
        let plain = |name: &str| name.chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_ascii_lowercase();
        let mut columns: BTreeMap<String, usize> = BTreeMap::new();
        for (at, name) in table.names().enumerate() {
            if columns.insert(plain(name), at).is_some() {
                return Err(one(1, "two columns have the same name"));
            }
        }
        for needed in ["serial", "plan", "approvedby"] {
            if !columns.contains_key(needed) {
                return Err(one(1, "the first line names the columns, and must have `serial`, `plan` and `approved by`"));
            }
        }
        let known = ["serial", "plan", "approvedby", "sectors", "namespace"];
        let unused =
            table.names().filter(|n| !known.contains(&plain(n).as_str())).map(|n| printable(n.trim().as_bytes())).collect();
        let sha256 = hex::encode(&Sha256::digest(bytes));
        let mut reading = OrderReading { columns, sha256: &sha256, orders: vec![], seen: Serials::default(), mistakes: vec![] };
        for row in table.rows() {
            match row {
                Ok(row) => reading.take(&row),
                Err(mistake) => reading.mistakes.push(mistake),
            }
            if reading.orders.len() > MOST {
                return Err(one(0, "more than 10 000 drives are no list for one bench"));
            }
        }
        let OrderReading { orders, mut mistakes, .. } = reading;
        if orders.is_empty() && mistakes.is_empty() {
            mistakes.push(Mistake { line: 1, what: "there is no drive in the list".into() });
        }
        if mistakes.is_empty() { Ok(Self { sha256, orders, unused }) } else { Err(BadOrders(mistakes)) }
    }
}

impl OrderLine {
    /// Arms the plan of a drive by this line: what a person would read from the label is taken from the list, never from the drive.
    ///
    /// # Errors
    /// The drive is another than the line's, has another size, or is not told from others by its serial; or as [`Plan::arm`].
    pub fn arm(&self, plan: &Plan, cleared: &Cleared) -> Result<ArmedPlan, NotByList> {
        let drive = cleared.drive();
        self.is_of(drive)?;
        // What the list says of the drive, as a person would type it: the serial whole, and the namespace where one is named.
        let typed = match (cleared.label(), self.namespace) {
            (DriveLabel::SerialEnding { .. }, _) => self.serial.clone(),
            (DriveLabel::Namespace { .. }, Some(namespace)) => format!("{}/{namespace}", self.serial),
            (label, _) => return Err(NotByList::NotTold(label.clone())),
        };
        Ok(plan.arm(cleared, &typed)?.by_list(self.by.clone()))
    }

    /// Whether it names that drive: by its serial, whole, and by its namespace, if the line names one.
    pub fn names(&self, drive: &Drive) -> bool {
        let is_namespace = |wanted| matches!(drive.protocol, Protocol::Nvme { namespace } if namespace == wanted);
        self.namespace.is_none_or(is_namespace)
            && drive.unit.serial.as_deref().is_some_and(|serial| same_serial(serial, &self.serial))
    }

    /// Whether the line is of that drive.
    ///
    /// # Errors
    /// It has another serial, or another size.
    pub fn is_of(&self, drive: &Drive) -> Result<(), NotByList> {
        let line = self.by.line;
        if !self.names(drive) {
            return Err(NotByList::OtherSerial { line, listed: self.serial.clone() });
        }
        let found = drive.geometry.sectors;
        match self.sectors.filter(|listed| *listed != found) {
            Some(listed) => Err(NotByList::OtherSize { line, listed, found }),
            None => Ok(()),
        }
    }
}

/// The rows so far.
struct OrderReading<'l> {
    columns: BTreeMap<String, usize>,
    sha256: &'l str,
    orders: Vec<OrderLine>,
    seen: Serials,
    mistakes: Vec<Mistake>,
}

impl OrderReading<'_> {
    fn take(&mut self, row: &TableRow) {
        let (line, before) = (row.line, self.mistakes.len());
        let mut wrong = |what: String| self.mistakes.push(Mistake { line, what });
        row.wrong_count().into_iter().for_each(&mut wrong);
        let cell = |name: &str| row.cell(self.columns.get(name));
        let (serial, plan, approved_by) = (cell("serial"), cell("plan"), cell("approvedby"));
        let signs = serial.chars().count();
        if !(MIN_SIGNS..=80).contains(&signs) || serial.chars().any(char::is_control) {
            wrong(format!("its serial must have {MIN_SIGNS} to 80 signs"));
        } else if serial.chars().all(|c| serial.starts_with(c)) {
            wrong(format!("{} is no drive's own serial: adapters give it to all", printable(serial.as_bytes())));
        }
        if plan.is_empty() {
            wrong("it names no plan, as `--method zeros`".into());
        }
        if approved_by.is_empty() || approved_by.chars().count() > 100 {
            wrong("it does not say who approved it".into());
        }
        let sectors = match cell("sectors").as_str() {
            "" => None,
            text => match text.replace([' ', '\u{a0}', '\u{202f}'], "").parse() {
                Ok(sectors) => Some(sectors),
                Err(_) => {
                    wrong(format!("`{}` is no number of sectors", printable(text.as_bytes())));
                    None
                }
            },
        };
        let namespace = match cell("namespace").as_str() {
            "" => None,
            text => match text.parse::<u32>() {
                Ok(namespace) if namespace > 0 => Some(namespace),
                _ => {
                    wrong(format!("`{}` is no number of a namespace", printable(text.as_bytes())));
                    None
                }
            },
        };
        // Each namespace of a controller may have a line of its own, unless a line means any of them.
        let clashes = |o: &&OrderLine| same_serial(&o.serial, &serial) && (o.namespace.is_none() || namespace.is_none());
        let earlier = self.orders.iter().find(|o| clashes(o) && o.namespace != namespace);
        let named = namespace.map_or_else(|| serial.clone(), |namespace| format!("{serial}/{namespace}"));
        let repeated = self.seen.repeats(&named, line);
        let any = earlier.map(|o| format!("it is of a namespace that line {} means too", o.by.line));
        repeated.or(any).into_iter().for_each(&mut wrong);
        if self.mistakes.len() == before {
            let approved_by = printable(approved_by.as_bytes());
            self.orders.push(OrderLine {
                serial,
                plan,
                sectors,
                namespace,
                by: Approval { sha256: self.sha256.into(), line, approved_by },
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan;
    use jurex_device::guard;
    use jurex_device::media::{MediaClass, Scope, UnitId};
    use jurex_device::testing::{Fixed, test_drive};
    use jurex_pattern::method;
    use proptest::prelude::*;

    const LIST: &str = "\u{feff}Serial;Plan;Approved by;Sectors;Shelf\r\nFM0500T3XW8D;--method zeros;Tomasz Averill;;4\r\n\
        QA480R61YV5C;\"--passes \"\"00 | random?\"\"\";Tomasz Averill;1 024;4\r\n";

    fn drive(serial: &str, sectors: u64) -> Drive {
        let mut drive = test_drive(MediaClass::Magnetic, sectors);
        drive.unit.serial = Some(serial.into());
        drive
    }

    fn armed(order: &OrderLine, all: &[&Drive]) -> Result<ArmedPlan, NotByList> {
        let looked_at: Vec<_> = all.iter().map(|d| ((*d).clone(), vec![])).collect();
        let scope = Scope::Sectors(all[0].geometry.whole());
        let cleared = guard::check(scope, &looked_at).unwrap();
        let zeros = plan::Order::of_method(method::find("zeros").unwrap());
        order.arm(&Plan::new(all[0], &zeros, &mut Fixed(0)).unwrap(), &cleared)
    }

    #[test]
    fn a_drive_is_armed_by_its_whole_serial_and_by_nothing_less() {
        let list = Orders::from_csv(LIST.as_bytes()).unwrap();
        assert_eq!((list.orders.len(), list.unused.as_slice()), (2, ["Shelf".to_string()].as_slice()));
        assert_eq!((list.orders[1].plan.as_str(), list.orders[1].sectors), ("--passes \"00 | random?\"", Some(1024)));
        let right = drive("FM0500T3XW8D", 2048);
        let of_drive = |drive: &Drive| list.orders.iter().find(|o| o.names(drive));
        let order = of_drive(&right).unwrap();
        assert_eq!(order.by.line, 2);
        assert!(armed(order, &[&right]).is_ok());
        // The same ending, as a person would type it, is another drive.
        let ends_alike = drive("XX0500T3XW8D", 2048);
        assert_eq!(of_drive(&ends_alike), None);
        assert!(matches!(armed(order, &[&ends_alike]), Err(NotByList::OtherSerial { line: 2, .. })));
        assert!(of_drive(&test_drive(MediaClass::Magnetic, 8)).is_none_or(|o| o.serial != right.unit.serial.clone().unwrap()));
        // A size that is named must be right.
        let (small, large) = (drive("QA480R61YV5C", 1024), drive("QA480R61YV5C", 1025));
        assert!(armed(&list.orders[1], &[&small]).is_ok());
        assert!(matches!(armed(&list.orders[1], &[&large]), Err(NotByList::OtherSize { listed: 1024, found: 1025, .. })));
        // Two with one serial: nobody can say which is meant.
        // One of two namespaces: the line must name it, and means no other.
        let namespace = |n: u32| Drive {
            path: format!("/dev/nvme0n{n}"),
            protocol: Protocol::Nvme { namespace: n },
            ..drive("QS1000E47J9P", 8)
        };
        let text = "serial,plan,approved by,namespace\nQS1000E47J9P,--method zeros,Tomasz Averill,";
        let named = |end: &str| Orders::from_csv(format!("{text}{end}").as_bytes());
        let (first, second) = (namespace(1), namespace(2));
        let (any, of_second) = (named("\n").unwrap(), named("2\n").unwrap());
        assert!(matches!(armed(&any.orders[0], &[&second, &first]), Err(NotByList::NotTold(DriveLabel::Namespace { .. }))));
        assert!(armed(&of_second.orders[0], &[&second, &first]).is_ok() && !of_second.orders[0].names(&first));
        assert!(named("2\nQS1000E47J9P,--method zeros,Tomasz Averill,1\n").is_ok());
        for clash in ["2", ""] {
            assert!(named(&format!("2\nqs1000e47j9p,--method zeros,Tomasz Averill,{clash}\n")).is_err(), "{clash}");
        }
        let mut twin = drive("FM0500T3XW8D", 4096);
        (twin.path, twin.unit.ids) = ("/dev/sdz".into(), vec![UnitId::Wwn("5000000000000001".into())]);
        assert!(matches!(armed(order, &[&right, &twin]), Err(NotByList::NotTold(_) | NotByList::Arm(_))));
    }

    #[test]
    fn one_mistake_and_nothing_of_the_list_counts() {
        let text = "serial,plan,approved by,sectors\nFM0500T3XW8D,--method zeros,Tomasz,\nabc,,Tomasz,many\n000000,--method zeros,,\n\
            fm0500t3xw8d,--method zeros,Tomasz,\n";
        let BadOrders(mistakes) = Orders::from_csv(text.as_bytes()).unwrap_err();
        let said: Vec<String> = mistakes.iter().map(ToString::to_string).collect();
        assert_eq!(
            said,
            [
                "line 3: its serial must have 4 to 80 signs",
                "line 3: it names no plan, as `--method zeros`",
                "line 3: `many` is no number of sectors",
                "line 4: 000000 is no drive's own serial: adapters give it to all",
                "line 4: it does not say who approved it",
                "line 5: serial fm0500t3xw8d stands in line 2 already",
            ]
        );
        for text in ["", "serial,plan\nABCD1,--method zeros\n", "serial,plan,approved by\n", "serial,serial,plan,approved by\n"] {
            assert!(Orders::from_csv(text.as_bytes()).is_err(), "{text}");
        }
        assert!(Orders::from_csv(b"serial,plan,approved by\n\xff\xfe,x,y\n").is_err());
    }

    proptest! {
        #[test]
        fn whatever_the_file_holds_only_whole_lines_come_out(text in "(serial|plan|approved by|sectors|[,;\t\"\n x\u{feff}]|AB12|yes){0,60}") {
            if let Ok(list) = Orders::from_csv(text.as_bytes()) {
                for order in list.orders {
                    prop_assert!(order.serial.chars().count() >= MIN_SIGNS && !order.plan.is_empty() && !order.by.approved_by.is_empty());
                }
            }
        }
    }
}
