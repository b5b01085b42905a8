//! Settings of the person at the keyboard: a TOML file in their folder for such things.
//!
//! One table says what there is; `wendax settings` writes a file with all of it and what each means. What is wrong in
//! the file is told like a problem in a source, and leaves the rest in force.

use crate::{Failure, files};
use std::path::PathBuf;
use toml::Spanned;
use toml::de::{DeTable, DeValue};
use wendax_language::{CautionKind, code_info};
use wendax_source::{Diagnostic, Sources, Span, nearest};
use wendax_tui::{Colours, Numbers, Preferences};

/// Which ground the screen has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Ground {
    Dark,
    Light,
    /// That of the terminal, when it can be asked.
    Terminal,
}

/// What is set.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Settings {
    pub(crate) ground: Ground,
    /// As many colours as this, whatever the terminal says.
    pub(crate) colours: Option<Colours>,
    /// The mouse is for the bench; else it is for the terminal.
    pub(crate) mouse: bool,
    pub(crate) preferences: Preferences,
    /// Kinds of cautions that nobody wants to be told.
    pub(crate) hushed: Vec<CautionKind>,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            ground: Ground::Terminal,
            colours: None,
            mouse: true,
            preferences: Preferences::default(),
            hushed: Vec::new(),
        }
    }
}

/// A setting: its name, the values it takes (the first one is that without a file), and what they mean.
struct Key {
    name: &'static str,
    values: &'static [&'static str],
    meaning: &'static str,
    set: fn(&mut Settings, &str),
}

const BOOLEAN: &[&str] = &["true", "false"];
const NO_BOOLEAN: &[&str] = &["false", "true"];

const KEYS: &[Key] = &[
    Key {
        name: "ground",
        values: &["terminal", "dark", "light"],
        meaning: "the ground of the screen: that of the terminal when it can be asked, or always one of the two",
        set: |settings, value| {
            settings.ground = match value {
                "dark" => Ground::Dark,
                "light" => Ground::Light,
                _ => Ground::Terminal,
            };
        },
    },
    Key {
        name: "colours",
        values: &["as-the-terminal-says", "full", "256", "16", "none"],
        meaning: "how many colours are used; NO_COLOR in the environment means none",
        set: |settings, value| {
            settings.colours = match value {
                "full" => Some(Colours::Full),
                "256" => Some(Colours::Indexed),
                "16" => Some(Colours::Sixteen),
                "none" => Some(Colours::None),
                _ => None,
            };
        },
    },
    Key {
        name: "numbers",
        values: &["decimal", "hexadecimal"],
        meaning: "the form of numbers where neither the source nor what is shown decides: beside source lines, on the\n# stack, in calls",
        set: |settings, value| {
            settings.preferences.numbers = if value == "hexadecimal" { Numbers::Hexadecimal } else { Numbers::Decimal };
        },
    },
    Key {
        name: "registers-in-binary",
        values: NO_BOOLEAN,
        meaning: "registers show their bits in the place of decimal numbers; x turns it where the registers have the keys",
        set: |settings, value| settings.preferences.binary = value == "true",
    },
    Key {
        name: "code-words",
        values: BOOLEAN,
        meaning: "code words stand beside the source; the palette turns it",
        set: |settings, value| settings.preferences.without_code = value == "false",
    },
    Key {
        name: "wrap-lines",
        values: NO_BOOLEAN,
        meaning: "long lines of the source go on in the next row; the palette turns it",
        set: |settings, value| settings.preferences.wraps = value == "true",
    },
    Key {
        name: "mouse",
        values: BOOLEAN,
        meaning: "the mouse puts the cursor and scrolls; else it selects text as in any program of the terminal",
        set: |settings, value| settings.mouse = value == "true",
    },
];

/// The one setting that takes several values.
const HUSHED: &str = "hushed-cautions";

/// Takes in the kinds of cautions that are not to be told; what is none of them otherwise.
fn hush(settings: &mut Settings, value: &DeValue<'_>) -> Result<(), String> {
    let expected = "takes codes of cautions, as in [\"C07\", \"C18\"]; `wendax guide cautions` lists them";
    let DeValue::Array(all) = value else { return Err(expected.to_owned()) };
    for one in all {
        let code = as_text(one).unwrap_or_default();
        let kind = CautionKind::of_code(&code).ok_or_else(|| format!("{expected}; `{code}` is none"))?;
        settings.hushed.push(kind);
    }
    Ok(())
}

/// A value as it is written in TOML.
fn written(value: &str) -> String {
    if matches!(value, "true" | "false") { value.to_owned() } else { format!("\"{value}\"") }
}

/// A file with all settings as they are without one.
pub(crate) fn defaults() -> String {
    let mut out = String::from("# Settings of Wendax. What is left out is as it stands here.\n");
    for key in KEYS {
        let values = key.values.iter().map(|value| written(value)).collect::<Vec<_>>().join(", ");
        out.push_str(&format!("\n# {}\n# one of: {values}\n{} = {}\n", key.meaning, key.name, written(key.values[0])));
    }
    out.push_str(&format!(
        "\n# kinds of cautions that the bench does not tell, whatever program is open; a program's own manifest has `meant`\n\
         # codes, as in [\"C07\"]\n{HUSHED} = []\n"
    ));
    out
}

/// Where the file is.
pub(crate) fn place() -> Option<PathBuf> {
    directories::ProjectDirs::from("", "", "wendax").map(|folders| folders.config_dir().join("settings.toml"))
}

/// Settings, and what is wrong with their file.
pub(crate) struct Read {
    pub(crate) settings: Settings,
    /// What the file says of each, in the order it says it.
    said: Vec<(&'static str, String)>,
    pub(crate) sources: Sources,
    pub(crate) found: Vec<Diagnostic>,
}

impl Read {
    /// A page for the bench: what is set, what else it could be, and where that is written.
    pub(crate) fn page(&self) -> String {
        let file = place().map_or("no folder for settings: set HOME".to_owned(), |place| place.display().to_string());
        let mut out = format!(
            "They stand in `{file}`; `wendax settings` writes it with what each means. They hold from the next start on.\n\n"
        );
        for key in KEYS {
            let said = self.said.iter().find(|(name, _)| *name == key.name);
            let set = said.map_or(key.values[0], |(_, value)| value);
            let others: Vec<&str> = key.values.iter().copied().filter(|value| *value != set).collect();
            let meaning = key.meaning.replace("\n# ", " ");
            out.push_str(&format!("- `{}` is `{set}` (else {}): {meaning}\n", key.name, others.join(", ")));
        }
        let hushed = self.said.iter().find(|(name, _)| *name == HUSHED).map_or("", |(_, codes)| codes);
        let told = if hushed.is_empty() { "none".to_owned() } else { hushed.to_owned() };
        out.push_str(&format!("- `{HUSHED}`: {told}: kinds of cautions that are not told, as in `[\"C07\"]`\n"));
        out
    }
}

/// What the file says; without one, what holds without.
pub(crate) fn read() -> Read {
    let text = place().and_then(|place| Some((place.display().to_string(), std::fs::read_to_string(place).ok()?)));
    let (name, text) = text.unwrap_or_default();
    parse(&name, &text)
}

fn parse(name: &str, text: &str) -> Read {
    let (sources, file) = Sources::single(name.to_owned(), text);
    let mut read = Read { settings: Settings::default(), said: Vec::new(), sources, found: Vec::new() };
    let span = |range: std::ops::Range<usize>| Span::new(file, range.start, range.end);
    let told = |code: u16, span: Span, message: String| {
        let info = code_info(code);
        Diagnostic::new(info.code, info.severity, span, message)
    };
    let (table, errors) = DeTable::parse_recoverable(text);
    for error in errors {
        let message = error.message().lines().next().unwrap_or_default().to_owned();
        read.found.push(told(70, span(error.span().unwrap_or(0..0)), message));
    }
    for (key, value) in table.get_ref() {
        let name = key.get_ref().as_ref();
        if name == HUSHED {
            match hush(&mut read.settings, value.get_ref()) {
                Ok(()) => {
                    let codes: Vec<String> = read.settings.hushed.iter().map(ToString::to_string).collect();
                    read.said.push((HUSHED, codes.join(" ")));
                }
                Err(why) => read.found.push(told(72, span(value.span()), format!("`{name}` {why}"))),
            }
            continue;
        }
        let Some(known) = KEYS.iter().find(|known| known.name == name) else {
            let found = told(71, span(key.span()), format!("there is no setting `{name}`"));
            let names = KEYS.iter().map(|known| known.name).chain([HUSHED]);
            read.found.push(match nearest(name, names.clone()) {
                Some(near) => found.with_guess(format!("did you mean `{near}`?"), span(key.span()), near),
                None => found.with_expected(names.collect::<Vec<_>>().join(" ")),
            });
            continue;
        };
        if let Some(value) = as_text(value).filter(|value| known.values.contains(&value.as_str())) {
            (known.set)(&mut read.settings, &value);
            read.said.push((known.name, value));
        } else {
            let values = known.values.iter().map(|value| written(value)).collect::<Vec<_>>().join(" or ");
            let found = told(72, span(value.span()), format!("`{name}` takes {values}"));
            read.found.push(found.with_expected(format!("{name} = {}", written(known.values[0]))));
        }
    }
    read.found.sort_by_key(|found| found.primary.span.start);
    read
}

fn as_text(value: &Spanned<DeValue<'_>>) -> Option<String> {
    match value.get_ref() {
        DeValue::String(text) => Some(text.to_string()),
        DeValue::Boolean(value) => Some(value.to_string()),
        _ => None,
    }
}

/// `wendax settings`: writes the file when there is none, else tells what is wrong with it.
pub(crate) fn settings(prints: bool) -> Result<u8, Failure> {
    if prints {
        files::print(defaults().as_bytes())?;
        return Ok(0);
    }
    let place = place().ok_or_else(|| Failure::usage("no folder for settings: set HOME"))?;
    if place.exists() {
        let read = read();
        let problems = crate::problems::told(&read.sources, &read.found, crate::cli::Problems::Text);
        files::print(format!("{problems}{}\n", place.display()).as_bytes())?;
        return Ok(if read.found.is_empty() { 0 } else { crate::status::PROBLEMS });
    }
    let tell = |error: std::io::Error| Failure::usage(format!("{}: {}", place.display(), files::plain(&error)));
    if let Some(folder) = place.parent() {
        std::fs::create_dir_all(folder).map_err(tell)?;
    }
    files::write(&place, defaults().as_bytes()).map_err(tell)?;
    files::print(format!("{}: written, with all settings as they are without it\n", place.display()).as_bytes())?;
    Ok(0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_file_that_is_written_says_what_holds_without_it() {
        let read = parse("settings.toml", &defaults());
        assert!(read.found.is_empty(), "{:?}", read.found);
        assert_eq!(read.settings, Settings::default());
    }

    #[test]
    fn cautions_are_hushed_by_their_codes() {
        let read = parse("settings.toml", "hushed-cautions = [\"C07\", \"C18\"]\n");
        assert_eq!((read.settings.hushed, read.found.len()), (vec![CautionKind::Beyond, CautionKind::Carry], 0));
        for text in ["hushed-cautions = \"C07\"\n", "hushed-cautions = [\"C99\"]\n", "hushed-cautions = [7]\n"] {
            let told = parse("settings.toml", text).found.iter().map(|found| found.message.clone()).collect::<String>();
            assert!(told.starts_with("`hushed-cautions` takes codes of cautions"), "{told}");
        }
        assert!(parse("settings.toml", "hushed-caution = []\n").found[0].fix.is_some());
    }

    #[test]
    fn what_is_wrong_is_told_and_the_rest_holds() {
        let text = "ground = \"light\"\ncolors = \"16\"\nmouse = 3\nwrap-lines = true\n";
        let read = parse("settings.toml", text);
        assert_eq!((read.settings.ground, read.settings.preferences.wraps), (Ground::Light, true));
        let told: Vec<&str> = read.found.iter().map(|found| found.message.as_str()).collect();
        assert_eq!(told, ["there is no setting `colors`", "`mouse` takes true or false"]);
        assert!(read.found[0].fix.as_ref().is_some_and(|fix| fix.title.contains("colours")));
        assert!(!parse("settings.toml", "ground = ").found.is_empty());
    }
}
