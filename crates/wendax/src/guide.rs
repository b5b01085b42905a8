//! `wendax guide`: what the tables say of a word, in the shell.

use crate::{Failure, files};
use std::fmt::Write;
use std::path::Path;
use wendax_isa::{Target, targets};
use wendax_language::{guide, guide_nearest, guide_words};
use wendax_source::meant;

pub(crate) fn tell(words: &[String], asked: Option<&'static Target>) -> Result<u8, Failure> {
    let target = asked.unwrap_or(wendax_project::default_target());
    let mut out = String::new();
    // Writing to a String cannot fail.
    for (kind, known) in guide_words(target).iter().filter(|_| words.is_empty()) {
        let between = if known.iter().any(|word| word.contains(' ')) { ", " } else { " " };
        let _ = writeln!(out, "{kind}: {}", known.join(between));
    }
    let mut unknown = String::new();
    for word in words {
        let mut entries = guide(word, target);
        // A word of the other machine's alone is told as that, unless one machine was asked for.
        let other = targets().into_iter().find(|other| other.name != target.name && !guide(word, other).is_empty());
        if let Some(other) = other.filter(|_| entries.is_empty()) {
            if asked.is_none() {
                let _ = writeln!(out, "on {}:", other.name);
                entries = guide(word, other);
            } else {
                let _ = writeln!(
                    unknown,
                    "`{word}` is a word of {}; `wendax guide` with that as --target tells it",
                    other.name
                );
                continue;
            }
        }
        if entries.is_empty() {
            let near = meant(guide_nearest(word, target).as_deref());
            let _ = writeln!(unknown, "the guide does not know `{word}`{near}; `wendax guide` lists all words");
        }
        for entry in entries {
            let _ = writeln!(out, "{}", entry.title);
            for line in entry.lines {
                let _ = writeln!(out, "    {line}");
            }
        }
    }
    files::write_to(Path::new("-"), out.as_bytes())?;
    // What is known was told; only then what is not.
    if unknown.is_empty() { Ok(0) } else { Err(Failure::usage(unknown)) }
}
