//! Physics of what is measured: pure functions, each with its source and units,
//! checked against tables made independently of this code.

pub mod altitude;
pub mod geodesy;
pub mod humidity;
mod its90;
pub mod rtd;
pub mod sound;
pub mod tank;
pub mod thermistor;
pub mod thermocouple;

/// What zero degrees Celsius is in kelvins.
pub const ZERO_CELSIUS: f64 = 273.15;

#[cfg(test)]
pub(crate) mod tables {
    use std::collections::HashMap;

    /// A row of a reference table, by column.
    pub(crate) struct Row(HashMap<String, String>);

    impl Row {
        pub(crate) fn text(&self, column: &str) -> &str {
            self.0.get(column).unwrap_or_else(|| panic!("no column {column}"))
        }

        pub(crate) fn has(&self, column: &str) -> bool {
            !self.text(column).is_empty()
        }

        pub(crate) fn number(&self, column: &str) -> f64 {
            self.text(column).parse().unwrap_or_else(|_| panic!("{column} is `{}`", self.text(column)))
        }
    }

    /// All rows of a reference table; there are at least so many.
    pub(crate) fn rows(name: &str, least: usize) -> Vec<Row> {
        let path = format!("{}/tests/data/{name}.csv", env!("CARGO_MANIFEST_DIR"));
        let mut reader = csv::Reader::from_path(path).unwrap();
        let headings = reader.headers().unwrap().clone();
        let row = |record: csv::StringRecord| {
            Row(headings.iter().zip(record.iter()).map(|(h, c)| (h.to_owned(), c.to_owned())).collect())
        };
        let rows: Vec<Row> = reader.records().map(|record| row(record.unwrap())).collect();
        assert!(rows.len() >= least, "{name} has {} rows", rows.len());
        rows
    }
}
