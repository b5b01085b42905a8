//! `.include` and `.embed`.

use super::Parser;
use super::block::Block;
use crate::codes;
use crate::problems::diagnostic;
use crate::unit::What;
use wendax_source::{Diagnostic, Span, nearest, path_from, path_to};

/// No embedded file is larger than memory, nor are all of them together much more.
const LARGEST: usize = 0x1_0000;

/// Included text of one unit, in bytes, as of what macros make; a file counts so much more.
const MOST_INCLUDED: usize = 1 << 23;
const EACH: usize = 128;

impl Parser<'_> {
    /// The path a text of this line names, with that text.
    fn path(&mut self, form: &str) -> Option<(String, String, Span)> {
        let (named, span) = self.text(form)?;
        if named.is_empty() {
            let found = diagnostic(codes::FILE, span, "an empty text names no file");
            self.report(found.with_expected(form));
            return None;
        }
        Some((path_from(self.naming_file(), &named), named, span))
    }

    /// The file beside which paths are looked for: what a macro names, beside the file the macro was called from.
    fn naming_file(&self) -> &str {
        let from = self.site.map_or(self.block.file, |(span, _)| span.file);
        self.texts.sources.file(from).name()
    }

    /// What is said of a file that cannot be had, with the name of the one that may be meant: one that is spelled nearly
    /// so, or is called so in another folder.
    fn with_near_file(&self, found: Diagnostic, span: Span, named: &str) -> Diagnostic {
        let from = self.naming_file();
        let around = self.files.around(from);
        let names: Vec<&str> =
            around.iter().filter(|path| *path != from).filter_map(|path| path_to(from, path)).collect();
        let last = |path: &str| path.rsplit('/').next().map(str::to_lowercase);
        let stem = |path: &str| path.rsplit_once('.').map_or(path, |(stem, _)| stem).chars().count();
        // Of names of a letter or two everything is spelled nearly so.
        let near = nearest(named, names.iter().copied().filter(|name| stem(name).min(stem(named)) > 2));
        let near = near.or_else(|| names.iter().copied().find(|path| *path != named && last(path) == last(named)));
        match near.filter(|near| !near.contains(['"', '\\', '\n'])) {
            Some(near) => found.with_guess(format!("did you mean `{near}`?"), span, format!("\"{near}\"")),
            None => found,
        }
    }

    pub(super) fn include(&mut self, form: &str) -> Option<()> {
        let (path, named, span) = self.path(form)?;
        let read = self.texts.read(&path, self.files);
        let (file, text) = match read {
            Ok(read) => read,
            Err(error) => {
                self.used.is_missing = true;
                self.is_partial = true;
                let found = diagnostic(codes::FILE, span, format!("`{named}` cannot be included: {}", error.0));
                let found = found.with_expected("a path from the folder of this file, such as \"lib/frames.inc\"");
                self.report(self.with_near_file(found, span, &named));
                return None;
            }
        };
        self.used.texts.push((path.clone(), text.clone()));
        if let Some(at) =
            self.includes.iter().position(|(open, _)| *open == file).or((file == self.unit.file).then_some(0))
        {
            let found = diagnostic(codes::ENDLESS, span, format!("`{path}` includes itself without end"));
            let chain = self.includes[at..].to_vec();
            let found = chain.into_iter().fold(found, |found, (_, place)| found.with_other(place, "by way of this"));
            self.report(found.with_expected("each file included where it is needed first, and not by itself"));
            return None;
        }
        if !self.may_nest(span) {
            return None;
        }
        self.included = self.included.saturating_add(text.len() + EACH);
        if self.included > MOST_INCLUDED {
            self.is_stopped = true;
            let found =
                diagnostic(codes::NO_ROOM, span, "files included here come to more than any program needs, 8 MiB");
            let chain = self.includes.iter().rev().take(3).map(|(_, place)| *place).collect::<Vec<_>>();
            let found = chain.into_iter().fold(found, |found, place| found.with_other(place, "by way of this"));
            self.report(found.with_expected("each file included once, where it is needed first"));
            return None;
        }
        let text = self.arena.alloc(text);
        if !self.real.iter().any(|(known, _)| *known == file) {
            self.real.push((file, text));
        }
        // What is left over on the line is told before its tokens give way to those of the file.
        self.end_of_line();
        self.includes.push((file, span));
        self.included_at.push((file, span, false));
        let site = self.site.take();
        let tokens = std::mem::take(&mut self.tokens);
        self.read(Block { file, base: 0, text, expansion: None });
        self.tokens = tokens;
        self.at = self.tokens.len();
        self.site = site;
        self.includes.pop();
        Some(())
    }

    /// A name that is defined at the same place for the second time: its file is included twice, which is told once of each
    /// including line.
    pub(super) fn is_included_twice(&mut self, place: Span) -> bool {
        let mut times = self.included_at.iter_mut().filter(|(file, ..)| *file == place.file);
        let (Some((_, first, _)), Some((_, again, is_told))) = (times.next(), times.next_back()) else { return false };
        if !std::mem::replace(is_told, true) {
            let (first, again) = (*first, *again);
            let name = self.texts.sources.file(place.file).name();
            let what = self.texts.sources.text_of(place);
            let message = format!("`{name}` is included a second time, and defines `{what}` again");
            let found =
                diagnostic(codes::TWICE, again, message).with_label("again here").with_other(first, "first here");
            self.report(
                found.with_expected("each file that defines something included once, where it is needed first"),
            );
        }
        true
    }

    pub(super) fn embed(&mut self, form: &str, span: Span) -> Option<()> {
        let (path, named, place) = self.path(form)?;
        let mut limits = [None, None];
        for limit in &mut limits {
            if !self.comma_or_end()? {
                break;
            }
            *limit = Some(self.known_value()?);
        }
        let bytes = match self.files.bytes(&path) {
            Ok(bytes) => bytes,
            Err(error) => {
                self.used.is_missing = true;
                let found = diagnostic(codes::FILE, place, format!("`{named}` cannot be embedded: {}", error.0));
                let found = found.with_expected("a path from the folder of this file, such as \"lamps.bin\"");
                self.report(self.with_near_file(found, place, &named));
                return None;
            }
        };
        self.used.bytes.push((path.clone(), bytes.clone()));
        let length = i64::try_from(bytes.len()).unwrap_or(i64::MAX);
        let first = limits[0].unwrap_or(0);
        let count = limits[1].unwrap_or(length - first);
        if first < 0 || count < 0 || first + count > length {
            let message = match (first, count) {
                (..0, _) => format!("nothing lies before the first byte of `{path}`"),
                _ if first > length => format!("byte {first} is past the end of `{path}`, which has {length} bytes"),
                (_, ..0) => format!("{count} bytes cannot be taken"),
                _ => format!("`{path}` has {length} bytes; {count} from byte {first} on are not there"),
            };
            let found = diagnostic(codes::RANGE, place, message);
            self.report(found.with_expected(form));
            return None;
        }
        let range = usize::try_from(first).unwrap_or(0)..usize::try_from(first + count).unwrap_or(0);
        if range.len() > LARGEST || self.unit.bytes.len() + range.len() > 16 * LARGEST {
            let message = format!("{} bytes of `{path}` do not fit: memory has 65536", range.len());
            self.report(diagnostic(codes::NO_ROOM, place, message).with_expected(form));
            return None;
        }
        let from = self.unit.bytes.len();
        self.unit.bytes.extend_from_slice(&bytes[range]);
        let offset = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        let what = What::Bytes { from: offset(from), to: offset(self.unit.bytes.len()) };
        self.push(what, span);
        Some(())
    }
}
