//! Printing: tables for people, JSON for programs.

use clap::ValueEnum;
use comfy_table::{CellAlignment, ContentArrangement, Table, presets};
use serde::Serialize;
use std::io::{self, IsTerminal, Write};

/// The form of what is printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Form {
    /// For people
    Table,
    /// For programs
    Json,
}

/// Where results go.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Output {
    pub(crate) form: Form,
    /// Whether a person looks at standard output.
    pub(crate) terminal: bool,
}

impl Output {
    pub(crate) fn new(form: Form) -> Self {
        Self { form, terminal: io::stdout().is_terminal() }
    }

    /// Prints a result: as JSON, or as the text made of it.
    pub(crate) fn print<T: Serialize + ?Sized>(
        &self,
        value: &T,
        text: impl FnOnce(&T) -> String,
    ) -> anyhow::Result<()> {
        let printed = match self.form {
            Form::Json => serde_json::to_string_pretty(value)?,
            Form::Table => text(value),
        };
        emit(printed.trim_end())
    }

    /// Says something that matters to people only.
    pub(crate) fn say(&self, text: &str) -> anyhow::Result<()> {
        if self.form == Form::Table { emit(text) } else { Ok(()) }
    }
}

/// Writes a line to standard output. Who reads no further has enough: that is no
/// failure.
pub(crate) fn emit(line: &str) -> anyhow::Result<()> {
    match writeln!(io::stdout().lock(), "{line}") {
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => std::process::exit(0),
        other => Ok(other?),
    }
}

/// A table with headings; columns of the given places are aligned to the right.
pub(crate) fn table(headings: &[&str], right: &[usize], rows: Vec<Vec<String>>) -> String {
    let mut table = Table::new();
    table.load_preset(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    table.set_header(headings.iter().map(|h| h.to_uppercase()));
    table.add_rows(rows);
    for &place in right {
        if let Some(column) = table.column_mut(place) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    let lines: Vec<String> =
        table.to_string().lines().map(|l| l.strip_prefix(' ').unwrap_or(l).trim_end().to_owned()).collect();
    lines.join("\n")
}

/// Names and values below each other.
pub(crate) fn facts(facts: &[(&str, String)]) -> String {
    let width = facts.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0);
    let lines: Vec<String> = facts
        .iter()
        .filter(|(_, value)| !value.is_empty())
        .map(|(name, value)| format!("{name:width$}  {value}"))
        .collect();
    lines.join("\n")
}
