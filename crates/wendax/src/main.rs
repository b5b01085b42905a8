//! The program: command line, files and threads. What Wendax knows is in the other crates; this one owns
//! the terminal, reads and writes files, and tells the time.

mod bench;
mod build;
mod cli;
mod demo;
mod files;
mod format;
mod guide;
mod image;
mod new;
mod program;
mod recovery;
mod run;

use clap::Parser;
use cli::{Cli, Command};
use std::io::Write;
use std::process::ExitCode;

/// Why a command could not be carried out: what is told, and the exit status.
#[derive(Debug)]
struct Failure {
    text: String,
    status: u8,
}

impl Failure {
    /// Wrong use: a file that is not there, an option that does not fit.
    fn usage(text: impl Into<String>) -> Self {
        Self { text: text.into(), status: 2 }
    }

    /// Problems in the source, as rendered.
    fn problems(text: String) -> Self {
        Self { text, status: 3 }
    }
}

fn main() -> ExitCode {
    let cli = match Cli::try_parse() {
        Ok(cli) => cli,
        Err(told) => {
            let status = u8::try_from(told.exit_code()).unwrap_or(2);
            return ExitCode::from(if told.print().is_ok() { status } else { 1 });
        }
    };
    let done = match cli.command {
        None => bench::open(cli.file.as_deref(), cli.look),
        Some(Command::Demo { name }) => demo::open(name.as_deref(), cli.look),
        Some(Command::Build(options)) => build::build(&options),
        Some(Command::New { folder }) => new::new(&folder),
        Some(Command::Image(options)) => image::image(&options),
        Some(Command::Format(options)) => format::format_files(&options),
        Some(Command::Guide { words }) => guide::tell(&words),
        Some(Command::Run(options)) => run::run(&options),
    };
    match done {
        Ok(status) => ExitCode::from(status),
        Err(failure) => {
            // Nobody is left to tell when even this fails.
            if !failure.text.is_empty() {
                let _ = writeln!(std::io::stderr(), "{}", failure.text.trim_end());
            }
            ExitCode::from(failure.status)
        }
    }
}
