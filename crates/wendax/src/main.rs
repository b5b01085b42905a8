//! The program: command line, files and threads. What Wendax knows is in the other crates; this one owns
//! the terminal, reads and writes files, and tells the time.

mod bench;
mod board;
mod build;
mod cautions;
mod cli;
mod compare;
mod demo;
mod draw;
mod exercise;
mod files;
mod folder;
mod format;
mod guide;
mod image;
mod log;
mod new;
mod out;
mod pages;
mod port;
mod problems;
mod program;
mod recovery;
mod report;
mod run;
mod send;
mod settings;
mod status;
mod tally;
mod tones;
mod trials;

use cli::{Cli, Command};
use out::{tell, tell_rendered};
use std::process::ExitCode;

/// Why a command could not be carried out: what is told, and the exit status.
#[derive(Debug)]
struct Failure {
    text: String,
    status: u8,
    /// A file could not be written, or must not be.
    is_about_output: bool,
    /// The text is one of problems, whose colours are our own.
    is_rendered: bool,
}

impl Failure {
    /// Wrong use: a file that is not there, an option that does not fit.
    fn usage(text: impl Into<String>) -> Self {
        Self { text: text.into(), status: status::WRONG_USE, is_about_output: false, is_rendered: false }
    }

    /// What was given is no program.
    fn problems(text: String) -> Self {
        Self { status: status::PROBLEMS, ..Self::usage(text) }
    }

    /// Problems in the source, as rendered.
    fn rendered(text: String) -> Self {
        Self { is_rendered: true, ..Self::problems(text) }
    }
}

fn main() -> ExitCode {
    let words: Vec<_> = std::env::args_os().collect();
    let cli = match Cli::read(&words) {
        Ok(cli) if cli.command.is_none() && cli::near_command(&words).is_some() => return no_such_command(&words),
        Ok(Cli { file: Some(file), command: Some(_), .. }) => {
            let text = format!("{}: a file stands behind the command: wendax run FILE", file.display());
            return end(Err(Failure::usage(text)));
        }
        Ok(cli) => cli,
        // What clap makes of a misspelt command is about the words behind it.
        Err(told) if told.use_stderr() && cli::near_command(&words).is_some() => return no_such_command(&words),
        Err(told) => {
            let status = if told.use_stderr() { status::WRONG_USE } else { 0 };
            let text = told.render().to_string();
            if text != wendax_source::shown(&text) {
                return end(Err(Failure::usage(text)));
            }
            return ExitCode::from(if told.print().is_ok() { status } else { status::NO_OUTPUT });
        }
    };
    if let Some(path) = &cli.log
        && let Err(failure) = log::begin(path)
    {
        return end(Err(failure));
    }
    tracing::info!(version = env!("CARGO_PKG_VERSION"), words = ?words.iter().skip(1).collect::<Vec<_>>(), "begins");
    end(carry_out(cli))
}

/// A first word that is nothing, but near to a command.
fn no_such_command(words: &[std::ffi::OsString]) -> ExitCode {
    let (word, near) = cli::near_command(words).unwrap_or_default();
    end(Err(Failure::usage(format!("there is no command or file `{word}`; did you mean `{near}`?"))))
}

fn carry_out(cli: Cli) -> Result<u8, Failure> {
    match cli.command {
        None => {
            let given = bench::Given {
                seal: cli.bounds.seal(cli.files.as_ref()),
                arguments: cli.arguments,
                folder: cli.files,
                ..bench::Given::default()
            };
            bench::open(cli.file.as_deref(), given, cli.look)
        }
        Some(Command::Demo { name, fresh }) => demo::open(name.as_deref(), fresh, cli.look),
        Some(Command::Build(options)) => build::build(&options),
        Some(Command::New { folder, target }) => new::new(&folder, target),
        Some(Command::Image(options)) => image::image(&options),
        Some(Command::Format(options)) => format::format_files(&options),
        Some(Command::Guide { words, target }) => guide::tell(&words, target),
        Some(Command::Exercise(options)) => exercise::exercise(&options),
        Some(Command::Try(options)) => trials::run(&options),
        Some(Command::Board(options)) => board::run(&options),
        Some(Command::Send(options)) => send::run(&options),
        Some(Command::Run(options)) => run::run(&options),
        Some(Command::Tally(options)) => tally::tally(&options),
        Some(Command::Draw(options)) => draw::draw(&options, cli.look),
        Some(Command::Report(options)) => report::report(&options),
        Some(Command::Settings { print }) => settings::settings(print),
        Some(Command::Completions { shell }) => pages::completions(shell),
        Some(Command::Manpages { folder }) => pages::manpages(folder.as_deref()),
    }
}

fn end(done: Result<u8, Failure>) -> ExitCode {
    match &done {
        Ok(status) => tracing::info!(status, "ends"),
        Err(failure) => tracing::warn!(status = failure.status, text = failure.text, "ends"),
    }
    match done {
        Ok(status) => ExitCode::from(status),
        Err(failure) => {
            let text = failure.text.trim_end();
            if failure.is_rendered {
                tell_rendered(&format!("{text}\n"));
            } else if !text.is_empty() {
                tell(&format!("{text}\n"));
            }
            ExitCode::from(failure.status)
        }
    }
}
