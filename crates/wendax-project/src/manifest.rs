//! The manifest: text to what it says, with everything that is wrong with it.

use glob::MatchOptions;
use toml::Spanned;
use toml::de::{DeTable, DeValue};
use wendax_asm::Library;
use wendax_language::{CautionKind, CodeInfo, code_info};
use wendax_source::{Diagnostic, FileId, Span, nearest, path_from};

/// The file name of a manifest.
pub const NAME: &str = "wendax.toml";

/// Larger ones are none.
const LARGEST: usize = 1 << 20;

/// What a run may use.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Limits {
    /// Instructions, and then the run is stopped.
    pub steps: Option<u64>,
    /// Bytes printed, and then the run is stopped.
    pub output: Option<u64>,
    /// Seconds on the clock the program has, and then the run is stopped.
    pub seconds: Option<u64>,
    /// Seconds on the host's clock, with all that is worked out of the run, and then it is stopped.
    pub host: Option<u64>,
    /// Bytes that the files hold which the run writes, and then it is stopped.
    pub files: Option<u64>,
    /// Bytes of code; a program of more is not run.
    pub code: Option<u64>,
    /// MiB of the host's memory, and then the run is stopped.
    pub memory: Option<u64>,
    /// MiB that the past of a walk may take; over it the beginning is forgotten.
    pub history: Option<u64>,
}

impl Limits {
    /// The limits a manifest and a command line may set, by name.
    pub fn names() -> impl Iterator<Item = &'static str> {
        LIMITS.iter().map(|known| known.name)
    }

    /// The limit of this name.
    pub fn by_name(&mut self, name: &str) -> Option<&mut Option<u64>> {
        Some(match name {
            "steps" => &mut self.steps,
            "output" => &mut self.output,
            "seconds" => &mut self.seconds,
            "host" => &mut self.host,
            "files" => &mut self.files,
            "code" => &mut self.code,
            "memory" => &mut self.memory,
            "history" => &mut self.history,
            _ => return None,
        })
    }

    /// Bytes that the past of a walk may take.
    pub fn history_bytes(&self) -> Option<usize> {
        self.history.map(|mebibytes| usize::try_from(mebibytes.saturating_mul(1 << 20)).unwrap_or(usize::MAX))
    }

    /// These, and of the others what they do not set.
    #[must_use]
    pub fn or(mut self, mut others: Self) -> Self {
        for name in Self::names() {
            if let (Some(own), Some(other)) = (self.by_name(name), others.by_name(name)) {
                *own = own.or(*other);
            }
        }
        self
    }
}

/// A pattern for paths, and where it stands.
#[derive(Debug, Clone)]
struct Pattern {
    text: String,
    span: Span,
    matcher: glob::Pattern,
}

impl Pattern {
    fn fits(&self, path: &str) -> bool {
        // `*` and `?` stand for part of one name.
        let options = MatchOptions { require_literal_separator: true, ..MatchOptions::new() };
        self.matcher.matches_with(path, options)
    }
}

/// What a manifest says. What it does not say is as without one.
#[derive(Debug, Clone, Default)]
pub struct Manifest {
    /// The name of the program, which its image gets.
    pub name: Option<String>,
    /// What a report is headed by, and who made it.
    pub title: Option<String>,
    /// See `title`.
    pub author: Option<String>,
    /// The label to begin at.
    pub entry: Option<(String, Span)>,
    /// Arguments of the program.
    pub arguments: Vec<String>,
    /// What is typed at the console.
    pub input: Option<String>,
    /// The folder that file calls may use, from that of the manifest.
    pub files: Option<(String, Span)>,
    /// Folders beside that of the manifest which includes, embedded files and libraries may come from.
    pub reach: Vec<(String, Span)>,
    /// The machine it is for.
    pub target: Option<(&'static wendax_isa::Target, Span)>,
    /// Where random numbers begin.
    pub seed: Option<u64>,
    /// The program's clock is made of its cycles, so that its runs do not depend on the host.
    pub virtual_clock: bool,
    /// What a run may use.
    pub limits: Limits,
    /// Kinds of warnings and hints that are meant so.
    pub meant: Vec<wendax_asm::MeantKind>,
    /// Kinds of cautions in runs that are meant so, each with why.
    pub meant_in_runs: Vec<(CautionKind, String)>,
    sources: Vec<Pattern>,
    libraries: Vec<Pattern>,
}

/// A key, what it takes, and a line that is right.
struct Key {
    name: &'static str,
    takes: &'static str,
    example: &'static str,
}

const KEYS: [Key; 15] = [
    Key { name: "name", takes: "a text", example: "name = \"weighbridge\"" },
    Key { name: "title", takes: "a text", example: "title = \"The weighbridge\"" },
    Key { name: "author", takes: "a text", example: "author = \"R. Ostrey\"" },
    Key { name: "sources", takes: "a list of texts", example: "sources = [\"src/**/*.asm\"]" },
    Key { name: "libraries", takes: "a list of texts", example: "libraries = [\"lib/*.a\"]" },
    Key { name: "entry", takes: "a text", example: "entry = \"start\"" },
    Key { name: "arguments", takes: "a list of texts", example: "arguments = [\"first\", \"second\"]" },
    Key { name: "input", takes: "a text", example: "input = \"120\\n99\\n\"" },
    Key { name: "files", takes: "a text", example: "files = \"files\"" },
    Key { name: "reach", takes: "a list of folders", example: "reach = [\"../common\"]" },
    Key { name: "target", takes: "\"w16\" or \"rv32\"", example: "target = \"rv32\"" },
    Key { name: "seed", takes: "a number", example: "seed = 7" },
    Key { name: "clock", takes: "\"host\" or \"virtual\"", example: "clock = \"virtual\"" },
    Key {
        name: "meant",
        takes: "a table of reasons by code",
        example: "meant = { W060 = \"what is here is for others\" }",
    },
    Key { name: "limits", takes: "a table", example: "limits = { steps = 1_000_000, output = 65536, seconds = 10 }" },
];

const LIMITS: [Key; 8] = [
    Key { name: "steps", takes: "a number", example: "steps = 1_000_000" },
    Key { name: "output", takes: "a number", example: "output = 65536" },
    Key { name: "seconds", takes: "a number", example: "seconds = 10" },
    Key { name: "host", takes: "a number", example: "host = 10" },
    Key { name: "files", takes: "a number", example: "files = 65536" },
    Key { name: "code", takes: "a number", example: "code = 256" },
    Key { name: "memory", takes: "a number", example: "memory = 512" },
    Key { name: "history", takes: "a number", example: "history = 256" },
];

struct Reader {
    file: FileId,
    found: Vec<Diagnostic>,
}

impl Manifest {
    /// Reads a manifest; what is wrong is told in the second value, and left out of the first.
    pub fn parse(text: &str, file: FileId) -> (Self, Vec<Diagnostic>) {
        let mut reader = Reader { file, found: Vec::new() };
        let mut manifest = Self::default();
        if text.len() > LARGEST {
            let place = reader.span(0..0);
            reader.tell(code_info(70), place, "a manifest of more than a megabyte is none".to_owned());
            return (manifest, reader.found);
        }
        let (table, errors) = DeTable::parse_recoverable(text);
        for error in errors {
            let span = error.span().unwrap_or(0..0);
            let message = error.message().lines().next().unwrap_or_default().to_owned();
            reader.tell(code_info(70), reader.span(span), message);
        }
        for (key, value) in table.get_ref() {
            manifest.take(&mut reader, key, value);
        }
        reader.found.sort_by_key(|found| found.primary.span.start);
        (manifest, reader.found)
    }

    fn take(&mut self, reader: &mut Reader, key: &Spanned<std::borrow::Cow<'_, str>>, value: &Spanned<DeValue<'_>>) {
        let Some(known) = reader.known(&KEYS, key) else { return };
        let span = reader.span(value.span());
        let done = match known.name {
            "name" => text(value).map(|text| self.name = Some(text)),
            "title" => text(value).map(|text| self.title = Some(text)),
            "author" => text(value).map(|text| self.author = Some(text)),
            "entry" => text(value).map(|text| self.entry = Some((text, span))),
            "input" => text(value).map(|text| self.input = Some(text)),
            "files" => text(value).map(|text| self.files = Some((text, span))),
            "target" => {
                let known = text(value).and_then(|name| wendax_isa::target_named(&name));
                known.map(|target| self.target = Some((target, reader.span(value.span()))))
            }
            "seed" => number(value).map(|number| self.seed = Some(number)),
            "clock" => match text(value).as_deref() {
                Some(word @ ("host" | "virtual")) => {
                    self.virtual_clock = word == "virtual";
                    Some(())
                }
                _ => None,
            },
            "arguments" => texts(reader, value).map(|texts| {
                self.arguments = texts.into_iter().map(|(text, _)| text).collect();
            }),
            "reach" => texts(reader, value).map(|texts| self.reach = texts),
            "sources" => texts(reader, value).map(|texts| self.sources = reader.patterns(texts)),
            "libraries" => texts(reader, value).map(|texts| self.libraries = reader.patterns(texts)),
            "meant" => match value.get_ref() {
                DeValue::Table(table) => {
                    table.iter().for_each(|(key, value)| self.take_meant(reader, known, key, value));
                    Some(())
                }
                _ => None,
            },
            _ => match value.get_ref() {
                DeValue::Table(table) => {
                    table.iter().for_each(|(key, value)| self.take_limit(reader, key, value));
                    Some(())
                }
                _ => None,
            },
        };
        if done.is_none() {
            reader.wrong_value(known, span);
        }
    }

    /// `W060 = "why"`.
    fn take_meant(
        &mut self,
        reader: &mut Reader,
        known: &Key,
        key: &Spanned<std::borrow::Cow<'_, str>>,
        value: &Spanned<DeValue<'_>>,
    ) {
        let caution = CautionKind::of_code(key.get_ref());
        if let Some((kind, why)) = caution.zip(text(value)).filter(|(_, why)| !why.trim().is_empty()) {
            return self.meant_in_runs.push((kind, why.trim().to_owned()));
        }
        let number = key.get_ref().strip_prefix('W').and_then(|digits| digits.parse().ok());
        let span = reader.span(key.span());
        if let Some((number, why)) = number.zip(text(value)) {
            self.meant.push((wendax_source::Code(number), why.trim().to_owned(), span));
        } else {
            reader.wrong_value(known, span);
        }
    }

    fn take_limit(
        &mut self,
        reader: &mut Reader,
        key: &Spanned<std::borrow::Cow<'_, str>>,
        value: &Spanned<DeValue<'_>>,
    ) {
        let Some(known) = reader.known(&LIMITS, key) else { return };
        let Some(number) = number(value) else {
            let span = reader.span(value.span());
            reader.wrong_value(known, span);
            return;
        };
        if let Some(limit) = self.limits.by_name(known.name) {
            *limit = Some(number);
        }
    }

    /// The sources and libraries among these paths, both in order of the patterns, then of path; patterns that
    /// find nothing are told.
    pub fn select(&self, paths: &[String]) -> (Vec<String>, Vec<Library>, Vec<Diagnostic>) {
        let mut found = Vec::new();
        let mut select = |patterns: &[Pattern], what: &str| {
            let mut chosen: Vec<(String, Span)> = Vec::new();
            for pattern in patterns {
                let mut has_matched = false;
                for path in paths.iter().filter(|path| pattern.fits(path)) {
                    has_matched = true;
                    if !chosen.iter().any(|(known, _)| known == path) {
                        chosen.push((path.clone(), pattern.span));
                    }
                }
                if !has_matched {
                    let message = format!("`{}` finds no {what}", pattern.text);
                    let diagnostic = told(code_info(73), pattern.span, message);
                    let near = nearest(&pattern.text, paths.iter().map(String::as_str));
                    found.push(match near {
                        Some(near) => diagnostic.with_guess(
                            format!("did you mean `{near}`?"),
                            pattern.span,
                            format!("\"{near}\""),
                        ),
                        None => {
                            diagnostic.with_expected("paths from the folder of the manifest, such as \"src/**/*.asm\"")
                        }
                    });
                }
            }
            chosen
        };
        let default = [default_sources()];
        let sources = if self.sources.is_empty() { select(&default, "file") } else { select(&self.sources, "file") };
        let sources = sources.into_iter().map(|(path, _)| path).collect();
        let libraries = select(&self.libraries, "library");
        let libraries = libraries.into_iter().map(|(path, span)| Library { path, named: Some(span) }).collect();
        // Without sources said, none is no mistake of a pattern.
        found.retain(|diagnostic| diagnostic.primary.span.end > 0);
        (sources, libraries, found)
    }

    /// The pattern that is used when the manifest says nothing of sources.
    pub fn default_sources() -> &'static str {
        "**/*.asm"
    }
}

fn default_sources() -> Pattern {
    let text = Manifest::default_sources().to_owned();
    let matcher = glob::Pattern::new(&text).expect("it is a pattern");
    Pattern { text, span: Span::new(FileId(0), 0, 0), matcher }
}

impl Reader {
    fn span(&self, range: std::ops::Range<usize>) -> Span {
        Span::new(self.file, range.start, range.end)
    }

    fn tell(&mut self, info: &CodeInfo, span: Span, message: String) {
        self.found.push(told(info, span, message));
    }

    /// The key of this name; one that is none is told, with the nearest.
    fn known<'k>(&mut self, keys: &'k [Key], key: &Spanned<std::borrow::Cow<'_, str>>) -> Option<&'k Key> {
        let name = key.get_ref().as_ref();
        if let Some(known) = keys.iter().find(|known| known.name == name) {
            return Some(known);
        }
        let span = self.span(key.span());
        let found = told(code_info(71), span, format!("a manifest has no key `{name}` here"));
        let names = keys.iter().map(|known| known.name);
        self.found.push(match nearest(name, names.clone()) {
            Some(near) => found.with_guess(format!("did you mean `{near}`?"), span, near),
            None => found.with_expected(names.collect::<Vec<_>>().join(" ")),
        });
        None
    }

    fn wrong_value(&mut self, key: &Key, span: Span) {
        let message = format!("`{}` takes {}", key.name, key.takes);
        self.found.push(told(code_info(72), span, message).with_expected(key.example));
    }

    fn patterns(&mut self, texts: Vec<(String, Span)>) -> Vec<Pattern> {
        let mut patterns = Vec::new();
        for (text, span) in texts {
            let plain = path_from("", &text);
            let outside = plain.starts_with("..") || plain.starts_with('/');
            if text.trim().is_empty() || outside {
                let message = format!("`{text}` does not lie in the folder of the manifest");
                self.found.push(told(code_info(72), span, message).with_expected("sources = [\"src/**/*.asm\"]"));
                continue;
            }
            match glob::Pattern::new(&plain) {
                Ok(matcher) => patterns.push(Pattern { text, span, matcher }),
                Err(error) => {
                    let message = format!("`{text}` is no pattern for paths: {}", error.msg);
                    let found = told(code_info(72), span, message);
                    self.found
                        .push(found.with_expected("`*` for part of a name, `**` for folders, `[ab]` for one of these"));
                }
            }
        }
        patterns
    }
}

fn told(info: &CodeInfo, span: Span, message: String) -> Diagnostic {
    Diagnostic::new(info.code, info.severity, span, message)
}

fn text(value: &Spanned<DeValue<'_>>) -> Option<String> {
    value.get_ref().as_str().map(str::to_owned)
}

fn number(value: &Spanned<DeValue<'_>>) -> Option<u64> {
    let DeValue::Integer(number) = value.get_ref() else { return None };
    u64::from_str_radix(number.as_str(), number.radix()).ok()
}

/// A list of texts; what in it is none is told.
fn texts(reader: &mut Reader, value: &Spanned<DeValue<'_>>) -> Option<Vec<(String, Span)>> {
    let DeValue::Array(list) = value.get_ref() else { return None };
    let mut texts = Vec::new();
    for value in list {
        let span = reader.span(value.span());
        match text(value) {
            Some(text) => texts.push((text, span)),
            None => reader.tell(code_info(72), span, "a list of texts holds something that is no text".to_owned()),
        }
    }
    Some(texts)
}
