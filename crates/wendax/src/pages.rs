//! Completions and manual pages, made from the definition of the command line.

use crate::cli::Cli;
use crate::{Failure, files, status};
use clap::CommandFactory;
use std::path::Path;

pub(crate) fn completions(shell: clap_complete::Shell) -> Result<u8, Failure> {
    let mut out = Vec::new();
    let known = |words: Vec<String>| clap::builder::PossibleValuesParser::new(words);
    let demos: Vec<String> = crate::demo::list().into_iter().map(|(name, _)| name).collect();
    let words = wendax_isa::targets().into_iter().flat_map(wendax_language::guide_words).flat_map(|(_, words)| words);
    // Words with blanks are found by their first.
    let mut words: Vec<String> = words.filter(|word| !word.contains(' ')).collect();
    words.sort();
    words.dedup();
    let mut command = Cli::command()
        .mut_subcommand("demo", |demo| demo.mut_arg("name", |name| name.value_parser(known(demos))))
        .mut_subcommand("guide", |guide| guide.mut_arg("words", |of| of.value_parser(known(words))));
    clap_complete::generate(shell, &mut command, "wendax", &mut out);
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
