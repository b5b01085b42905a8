//! Completions and manual pages, made from the definition of the command line.

use crate::cli::Cli;
use crate::{Failure, files, status};
use clap::CommandFactory;
use std::path::Path;

pub(crate) fn completions(shell: clap_complete::Shell) -> Result<u8, Failure> {
    let mut out = Vec::new();
    clap_complete::generate(shell, &mut Cli::command(), "wendax", &mut out);
    files::print(&out)?;
    Ok(0)
}

pub(crate) fn manpages(folder: Option<&Path>) -> Result<u8, Failure> {
    let command = Cli::command();
    let Some(folder) = folder else {
        files::print(&page(command)?)?;
        return Ok(0);
    };
    if !folder.is_dir() {
        return Err(Failure::usage(format!("{}: there is no such folder", folder.display())));
    }
    let commands = command.get_subcommands().map(|sub| (format!("wendax-{}", sub.get_name()), sub.clone()));
    for (name, sub) in std::iter::once(("wendax".to_owned(), command.clone())).chain(commands) {
        let bytes = page(sub.name(name.clone()))?;
        files::write_to(&folder.join(format!("{name}.1")), &bytes)?;
    }
    Ok(0)
}

fn page(command: clap::Command) -> Result<Vec<u8>, Failure> {
    let mut out = Vec::new();
    let failed = |error: std::io::Error| Failure { status: status::NO_OUTPUT, ..Failure::usage(files::plain(&error)) };
    clap_mangen::Man::new(command).render(&mut out).map_err(failed)?;
    Ok(out)
}
