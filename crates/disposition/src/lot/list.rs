//! Lists of expected drives, as CSV files of others.

use super::{ExpectedDrive, LotError};
use jurex_pattern::text::printable;
use jurex_sanitize::need::Sensitivity;
use jurex_sanitize::table::{CsvTable, Mistake, Serials, TableRow};
use std::collections::BTreeMap;

/// What a column is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum ListColumn {
    Serial,
    Property,
    Source,
    Sensitivity,
    Reuse,
    Leaves,
    Destination,
    Notes,
}

/// Names that columns go by, in small letters with nothing but letters and digits.
const NAMES: [(ListColumn, &[&str]); 8] = [
    (ListColumn::Serial, &["serial", "serialnumber", "serialno", "sn", "seriennummer", "numerodeserie"]),
    (
        ListColumn::Property,
        &["propertynumber", "property", "propertyno", "inventorynumber", "inventory", "assettag", "asset", "inventarnummer"],
    ),
    (ListColumn::Source, &["source", "from", "origin", "herkunft", "provenance", "procedencia"]),
    (ListColumn::Sensitivity, &["sensitivity", "confidentiality", "category", "vertraulichkeit"]),
    (ListColumn::Reuse, &["reuse", "reused", "usedagain"]),
    (ListColumn::Leaves, &["leaves", "leavesthehouse", "leavescontrol"]),
    (ListColumn::Destination, &["destination", "goesto", "to", "verbleib"]),
    (ListColumn::Notes, &["notes", "note", "remarks", "bemerkungen"]),
];

/// A list that was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LotList {
    /// Its drives.
    pub expected: Vec<ExpectedDrive>,
    /// Columns that nothing is known of; they were passed over.
    pub unused: Vec<String>,
}

/// Most drives of one list.
const MOST: usize = 100_000;

impl LotList {
    /// From the text of a CSV file (RFC 4180) with a row of names; cells may be parted by commas, semicolons or tabs.
    ///
    /// # Errors
    /// Every mistake, each with its line.
    pub fn from_csv(text: &str) -> Result<Self, LotError> {
        let one = |line: u64, what: String| LotError::Mistakes(vec![Mistake { line, what }]);
        let table = CsvTable::of(text).map_err(|e| one(1, e.to_string()))?;
        let mut columns = BTreeMap::new();
        let mut unused = vec![];
        for (at, name) in table.names().enumerate() {
            let plain: String = name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
            match NAMES.iter().find(|(_, names)| names.contains(&plain.as_str())) {
                None if plain.is_empty() => {}
                None => unused.push(printable(name.trim().as_bytes())),
                Some((column, _)) if columns.insert(*column, at).is_some() => {
                    return Err(one(1, format!("two columns are called as if they were the {column:?} of a drive")));
                }
                Some(_) => {}
            }
        }
        if !columns.contains_key(&ListColumn::Serial) {
            return Err(one(1, "no column is called `serial`: the first line names the columns, as `serial,property number,source,sensitivity,reuse,leaves`".into()));
        }
        let mut rows = Rows { columns, expected: vec![], seen: Serials::default(), mistakes: vec![] };
        for row in table.rows() {
            match row {
                Ok(row) => rows.take(&row),
                Err(mistake) => rows.mistakes.push(mistake),
            }
            if rows.expected.len() > MOST {
                return Err(one(rows.expected.len() as u64, format!("more than {MOST} drives are no lot")));
            }
        }
        if rows.expected.is_empty() && rows.mistakes.is_empty() {
            rows.mistakes.push(Mistake { line: 1, what: "there is no drive in the list".into() });
        }
        if rows.mistakes.is_empty() {
            Ok(Self { expected: rows.expected, unused })
        } else {
            Err(LotError::Mistakes(rows.mistakes))
        }
    }
}

/// The rows of a list so far.
struct Rows {
    columns: BTreeMap<ListColumn, usize>,
    expected: Vec<ExpectedDrive>,
    seen: Serials,
    mistakes: Vec<Mistake>,
}

impl Rows {
    fn take(&mut self, row: &TableRow) {
        let (line, before) = (row.line, self.mistakes.len());
        let mut wrong = |what: String| self.mistakes.push(Mistake { line, what });
        row.wrong_count().into_iter().for_each(&mut wrong);
        let cell = |column: ListColumn| row.cell(self.columns.get(&column));
        let mut answer = |column: ListColumn, name: &str| match cell(column).to_lowercase().as_str() {
            "" => None,
            "yes" | "y" | "true" | "1" | "ja" | "oui" | "si" | "sí" => Some(true),
            "no" | "n" | "false" | "0" | "nein" | "non" => Some(false),
            other => {
                wrong(format!("`{}` is no answer to `{name}`: yes or no", printable(other.as_bytes())));
                None
            }
        };
        let (reuse, leaves) = (answer(ListColumn::Reuse, "reuse"), answer(ListColumn::Leaves, "leaves"));
        let sensitivity = match cell(ListColumn::Sensitivity).to_lowercase().as_str() {
            "" => None,
            "low" => Some(Sensitivity::Low),
            "moderate" => Some(Sensitivity::Moderate),
            "high" => Some(Sensitivity::High),
            other => {
                wrong(format!("`{}` is no sensitivity: low, moderate or high", printable(other.as_bytes())));
                None
            }
        };
        let serial = cell(ListColumn::Serial);
        if serial.is_empty() {
            wrong("it names no serial".into());
        } else if serial.chars().any(char::is_control) || serial.chars().count() > 80 {
            wrong("its serial is no serial".into());
        }
        let long = [ListColumn::Property, ListColumn::Source, ListColumn::Destination, ListColumn::Notes];
        if long.iter().any(|c| cell(*c).chars().count() > 400) {
            wrong("a cell is longer than 400 signs: a paper has no room for it".into());
        }
        self.seen.repeats(&serial, line).into_iter().for_each(&mut wrong);
        let expected = ExpectedDrive {
            property_number: cell(ListColumn::Property),
            source: cell(ListColumn::Source),
            destination: cell(ListColumn::Destination),
            notes: cell(ListColumn::Notes),
            serial,
            sensitivity,
            reuse,
            leaves,
        };
        if self.mistakes.len() == before {
            self.expected.push(expected);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_sanitize::record::Papers;
    use jurex_sanitize::rules::Outcome;
    use proptest::prelude::*;

    const LIST: &str = "\u{feff}Serial number;Property no.;Source;Sensitivity;Reuse;Leaves;Colour\r\n\
        FM20K7Q41M;BWS 0041;Skerry Point;moderate;yes;yes;grey\r\n\
        \"QA48;01\";;\"Tern \"\"Quay\"\"\";high;no;no;\r\n;;;;;;\r\n TP64 ;;;;;;\r\n";

    #[test]
    fn a_list_is_mapped_by_its_names() {
        let list = LotList::from_csv(LIST).unwrap();
        assert_eq!(list.unused, ["Colour"]);
        let serials: Vec<&str> = list.expected.iter().map(|e| e.serial.as_str()).collect();
        assert_eq!(serials, ["FM20K7Q41M", "QA48;01", "TP64"]);
        assert_eq!(list.expected[0].need().unwrap().outcome(), Outcome::Purge);
        assert_eq!((list.expected[1].source.as_str(), list.expected[2].need()), ("Tern \"Quay\"", None));
        let mut papers = Papers { source: "by hand".into(), notes: "dusty".into(), ..Papers::default() };
        list.expected[0].fill("BW-0417", &mut papers);
        assert_eq!((papers.lot.as_str(), papers.source.as_str(), papers.notes.as_str()), ("BW-0417", "Skerry Point", "dusty"));
    }

    #[test]
    fn every_mistake_is_named_by_its_line_and_nothing_is_taken() {
        let text = "serial,sensitivity,reuse\nA1,low,yes\n,low,yes\nA2,secret,yes\nA3,low,perhaps\na1,low,no\nA4,low\n";
        let Err(LotError::Mistakes(mistakes)) = LotList::from_csv(text) else { panic!("taken") };
        let said: Vec<String> = mistakes.iter().map(ToString::to_string).collect();
        assert_eq!(
            said,
            [
                "line 3: it names no serial",
                "line 4: `secret` is no sensitivity: low, moderate or high",
                "line 5: `perhaps` is no answer to `reuse`: yes or no",
                "line 6: serial a1 stands in line 2 already",
                "line 7: it has 2 cells, and the first line names 3",
            ]
        );
        let crlf = text.replace('\n', "\r\n").replace("A2,", "\r\nA2,");
        let Err(LotError::Mistakes(mistakes)) = LotList::from_csv(&crlf) else { panic!("taken") };
        let lines: Vec<u64> = mistakes.iter().map(|m| m.line).collect();
        assert_eq!(lines, [3, 5, 6, 7, 8], "an empty line counts, and so does one that ends with CR and LF");
        for (text, says) in [
            ("", "no column"),
            ("name\nx\n", "no column is called `serial`"),
            ("serial\n", "no drive"),
            ("serial,s/n\nA,B\n", "two columns"),
        ] {
            assert!(LotList::from_csv(text).unwrap_err().to_string().contains(says), "{text}");
        }
    }

    proptest! {
        #[test]
        fn no_list_makes_it_panic_and_what_is_taken_has_serials(text in "(serial|sn|source|leaves|[,;\t\"\n x\u{feff}]|yes){0,60}") {
            if let Ok(list) = LotList::from_csv(&text) {
                prop_assert!(list.expected.iter().all(|e| !e.serial.trim().is_empty()));
            }
        }
    }
}
