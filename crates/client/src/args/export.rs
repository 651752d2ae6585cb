use super::storage::By;
use super::values::parse_column;
use crate::time::{Span, parse_ago};
use clap::{Args, ValueEnum};
use std::path::PathBuf;

#[derive(Args)]
pub(crate) struct ExportArgs {
    /// Signals to write, one column each, in a unit of your choice; all if absent
    #[arg(value_name = "DEVICE/SIGNAL[:UNIT]", value_parser = parse_column)]
    pub(crate) signals: Vec<String>,
    /// The form of the file
    #[arg(long, value_enum, default_value_t = ExportFormat::Csv)]
    pub(crate) format: ExportFormat,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Time zone of the time column; the site's if absent
    #[arg(long)]
    pub(crate) zone: Option<String>,
    /// Each digit of values that are worked out, not as many as their sensors can resolve
    #[arg(long)]
    pub(crate) full_digits: bool,
    /// Suspect and rejected readings too, each value with its quality
    #[arg(long)]
    pub(crate) all: bool,
    /// Times without an offset, as spreadsheets read them
    #[arg(long)]
    pub(crate) spreadsheet: bool,
    /// A row for each stretch of the calendar instead of each time
    #[arg(long, value_enum, conflicts_with = "all")]
    pub(crate) by: Option<By>,
    /// A row for each equal stretch of time: 10s, 15m, 6h
    #[arg(long, value_name = "LENGTH", value_parser = parse_ago, conflicts_with_all = ["by", "all"])]
    pub(crate) every: Option<i64>,
    /// What is written of each stretch, for each signal
    #[arg(long, value_enum, value_delimiter = ',', value_name = "FIGURES")]
    pub(crate) figures: Vec<StretchFigure>,
    /// File to write; standard output if absent
    #[arg(long, value_name = "FILE")]
    pub(crate) file: Option<PathBuf>,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum ExportFormat {
    /// One row per time, one column per signal
    Csv,
    /// One row per reading
    CsvLong,
    /// A list of readings in JSON
    Json,
    /// A reading in each line, as JSON
    JsonLines,
    /// A SenML pack in JSON (RFC 8428)
    Senml,
    /// A SenML pack in CBOR (RFC 8428)
    SenmlCbor,
    /// Apache Parquet: one row per time, one typed column per signal
    Parquet,
}

/// What is written of a stretch of time.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum StretchFigure {
    /// The mean of its readings; the only one if none is named
    Mean,
    /// The least
    Min,
    /// The greatest
    Max,
    /// How many there are
    Count,
}

impl StretchFigure {
    /// The word the service knows it by.
    pub(crate) const fn as_str(self) -> &'static str {
        match self {
            Self::Mean => "mean",
            Self::Min => "min",
            Self::Max => "max",
            Self::Count => "count",
        }
    }
}

impl ExportFormat {
    /// The word the service knows it by.
    pub(crate) const fn as_str(self) -> &'static str {
        match self {
            Self::Csv => "csv",
            Self::CsvLong => "csv-long",
            Self::Json => "json",
            Self::JsonLines => "json-lines",
            Self::Senml => "senml",
            Self::SenmlCbor => "senml-cbor",
            Self::Parquet => "parquet",
        }
    }
}
