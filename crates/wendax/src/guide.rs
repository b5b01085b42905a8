//! `wendax guide`: what the tables say of a word, in the shell.

use crate::{Failure, files};
use std::fmt::Write;
use std::path::Path;
use wendax_asm::{guide, guide_nearest, guide_words};

pub(crate) fn tell(words: &[String]) -> Result<u8, Failure> {
    let mut out = String::new();
    // Writing to a String cannot fail.
    for (kind, known) in guide_words().iter().filter(|_| words.is_empty()) {
        let between = if known.iter().any(|word| word.contains(' ')) { ", " } else { " " };
        let _ = writeln!(out, "{kind}: {}", known.join(between));
    }
    let mut unknown = String::new();
    for word in words {
        let entries = guide(word);
        if entries.is_empty() {
            let near = guide_nearest(word).map_or(String::new(), |near| format!("; did you mean `{near}`?"));
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
