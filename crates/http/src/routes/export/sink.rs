//! The file an export becomes, whatever its format.

use super::column::Column;
use super::format::Format;
use super::parquet::ParquetFile;
use super::rows::Given;
use crate::routes::zoned_times::ZonedTimes;
use lantern_core::Moment;
use lantern_engine::Problem;
use parquet::errors::ParquetError;
use rocket::http::ContentType;
use std::collections::HashSet;
use tokio::task::block_in_place;

/// The file an export becomes.
pub(super) struct Sink {
    columns: Vec<Column>,
    kind: Kind,
}

enum Kind {
    /// Written row by row.
    Rows(Format),
    /// Written in groups of rows.
    Parquet(Box<ParquetFile>),
}

impl Sink {
    /// A file of the format with this name.
    ///
    /// # Errors
    /// [`Problem`] if there is no such format, or if it has no room for what is wanted.
    pub(super) fn new(
        format: &str,
        site: &str,
        zone: &str,
        times: ZonedTimes,
        columns: Vec<Column>,
        has_quality: bool,
    ) -> Result<Self, Problem> {
        let kind = if format == "parquet" {
            let mut names = HashSet::new();
            if let Some(twice) = columns.iter().find(|column| !names.insert(&column.name)) {
                let text = format_args!("`{}` is named twice, and is one column of such a file", twice.name);
                return Err(Problem::invalid("signals", text));
            }
            let not_begun = |error: ParquetError| Problem::invalid("signals", error);
            Kind::Parquet(Box::new(ParquetFile::begin(site, zone, &columns, has_quality).map_err(not_begun)?))
        } else {
            const NAMES: &str = "`csv`, `csv-long`, `json`, `json-lines`, `senml`, `senml-cbor` or `parquet`";
            let format = Format::from_name(format, times, has_quality);
            let format = format.ok_or_else(|| Problem::invalid("format", NAMES))?;
            if has_quality && !format.can_have_quality() {
                return Err(Problem::invalid("all", "SenML has no room for a quality; take another format"));
            }
            Kind::Rows(format)
        };
        Ok(Self { columns, kind })
    }

    /// What to call it.
    pub(super) fn content_type(&self) -> ContentType {
        match &self.kind {
            Kind::Rows(format) => format.content_type(),
            Kind::Parquet(_) => ContentType::new("application", "vnd.apache.parquet"),
        }
    }

    /// The ending of its name.
    pub(super) const fn ending(&self) -> &'static str {
        match &self.kind {
            Kind::Rows(format) => format.ending(),
            Kind::Parquet(_) => "parquet",
        }
    }

    /// Writes what stands before the rows.
    pub(super) fn begin(&self, buffer: &mut Vec<u8>) {
        if let Kind::Rows(format) = &self.kind {
            format.begin(buffer, &self.columns);
        }
    }

    /// Writes the values of one time, or keeps them until there are enough for a group.
    ///
    /// # Errors
    /// Of the library that writes the group.
    pub(super) fn row(
        &mut self,
        buffer: &mut Vec<u8>,
        at: Moment,
        values: &mut [Option<Given>],
    ) -> Result<(), ParquetError> {
        match &mut self.kind {
            Kind::Rows(format) => format.row(buffer, &self.columns, at, values),
            Kind::Parquet(file) => {
                file.row(&self.columns, at, values);
                if file.is_full() {
                    // It takes some tens of milliseconds: others go on meanwhile.
                    buffer.append(&mut block_in_place(|| file.write_group())?);
                }
            }
        }
        Ok(())
    }

    /// Writes what stands behind the rows.
    ///
    /// # Errors
    /// Of the library that writes the last group.
    pub(super) fn end(&mut self, buffer: &mut Vec<u8>) -> Result<(), ParquetError> {
        match &mut self.kind {
            Kind::Rows(format) => format.end(buffer),
            Kind::Parquet(file) => buffer.append(&mut block_in_place(|| file.end())?),
        }
        Ok(())
    }

    /// Writes that the file is not whole: a pack, and a Parquet file, are left without an end, so that
    /// nobody can take them for whole ones.
    pub(super) fn broken_off(&self, buffer: &mut Vec<u8>) {
        if let Kind::Rows(format) = &self.kind {
            format.broken_off(buffer);
        }
    }
}
