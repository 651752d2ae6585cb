use super::values::{parse_path, parse_position};
use super::*;
use clap::CommandFactory;
use clap::error::ErrorKind;

#[test]
fn the_arguments_are_consistent() {
    Cli::command().debug_assert();
}

#[test]
fn every_command_has_help() {
    fn check(command: &clap::Command) {
        for inner in command.get_subcommands().filter(|c| c.get_name() != "help") {
            assert!(inner.get_about().is_some(), "{}", inner.get_name());
            for argument in inner.get_arguments().filter(|a| a.get_id() != "help" && a.get_id() != "version") {
                assert!(argument.get_help().is_some(), "{} {}", inner.get_name(), argument.get_id());
            }
            check(inner);
        }
    }
    check(&Cli::command());
}

/// The words of a command line, as a shell reads them, up to a pipe, a redirection or a remark.
fn words(line: &str) -> Vec<String> {
    let mut words = Vec::new();
    let mut word: Option<String> = None;
    let mut quote = None;
    for sign in line.chars() {
        match (quote, sign) {
            (Some(open), close) if open == close => quote = None,
            (None, '"' | '\'') => {
                quote = Some(sign);
                word.get_or_insert_default();
            }
            (None, ' ') => words.extend(word.take()),
            (None, '|' | '>' | '#' | '<' | '(') if word.is_none() => return words,
            _ => word.get_or_insert_default().push(sign),
        }
    }
    words.extend(word);
    words
}

#[test]
fn every_example_in_the_help_is_a_command() {
    fn collect(command: &clap::Command, found: &mut Vec<String>) {
        let help = command.get_after_help().map(ToString::to_string).unwrap_or_default();
        let lines = help.lines().map(str::trim).filter(|line| line.starts_with("lantern "));
        found.extend(lines.map(str::to_owned));
        command.get_subcommands().for_each(|inner| collect(inner, found));
    }
    let mut examples = Vec::new();
    collect(&Cli::command(), &mut examples);
    assert!(examples.len() > 40, "the help lost its examples: {}", examples.len());
    for example in examples {
        if let Err(error) = Cli::try_parse_from(words(&example)) {
            panic!("`{example}`: {error}");
        }
    }
}

/// The command lines of the guide, those that go on over several lines put together.
fn guide() -> Vec<(String, String)> {
    let docs = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/guide");
    let mut lines = Vec::new();
    for file in std::fs::read_dir(docs).unwrap() {
        let path = file.unwrap().path();
        let text = std::fs::read_to_string(&path).unwrap().replace("\\\n", " ");
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        let commands = text.lines().map(str::trim).filter(|line| line.starts_with("lantern "));
        lines.extend(commands.map(|line| (name.clone(), line.to_owned())));
    }
    lines
}

#[test]
fn every_command_line_of_the_guide_is_a_command() {
    let lines = guide();
    assert!(lines.len() > 30, "the guide lost its examples: {}", lines.len());
    for (file, line) in lines {
        // What it does stands behind it.
        let command = line.split("   ").next().unwrap_or_default();
        if let Err(error) = Cli::try_parse_from(words(command)) {
            panic!("{file}: `{command}`: {error}");
        }
    }
}

#[test]
fn wrong_usage_is_told_from_what_fails() {
    let cases: [(&[&str], ErrorKind); 8] = [
        (&["lantern", "nothing"], ErrorKind::InvalidSubcommand),
        (&["lantern", "now", "--colour"], ErrorKind::UnknownArgument),
        (&["lantern", "now", "--output", "xml"], ErrorKind::InvalidValue),
        (&["lantern", "readings"], ErrorKind::MissingRequiredArgument),
        (&["lantern", "readings", "tower"], ErrorKind::ValueValidation),
        (&["lantern", "readings", "tower/level", "--since", "soon"], ErrorKind::ValueValidation),
        (&["lantern", "readings", "tower/level", "--since", "1d", "--from", "2026-05-01"], ErrorKind::ArgumentConflict),
        (&["lantern", "device"], ErrorKind::DisplayHelpOnMissingArgumentOrSubcommand),
    ];
    for (line, kind) in cases {
        let error = Cli::try_parse_from(line).err().unwrap_or_else(|| panic!("{line:?} is taken"));
        assert_eq!(error.kind(), kind, "{line:?}: {error}");
        assert_eq!(error.exit_code(), 2, "{line:?}");
    }
}

#[test]
fn a_signal_is_named_by_its_device() {
    let path = parse_path("tower/level").unwrap();
    assert_eq!((path.device.as_str(), path.signal.as_str()), ("tower", "level"));
    assert_eq!(path.to_string(), "tower/level");
    for wrong in ["", "tower", "/level", "tower/", "a/b/c"] {
        let told = parse_path(wrong).unwrap_err();
        assert!(told.contains("DEVICE/SIGNAL"), "{wrong}: {told}");
    }
}

#[test]
fn a_position_is_two_numbers_or_three() {
    let position = parse_position("54.52, -2.31").unwrap();
    assert_eq!((position.latitude, position.longitude, position.altitude_m), (54.52, -2.31, None));
    assert_eq!(parse_position("54.52,-2.31,210").unwrap().altitude_m, Some(210.0));
    for wrong in ["", "54.52", "north,west", "1,2,3,4"] {
        assert!(parse_position(wrong).is_err(), "{wrong}");
    }
}
