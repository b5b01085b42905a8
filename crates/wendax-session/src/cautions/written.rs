//! The cautions of a run as they are written: a few lines each for people, a JSON object each for programs.

use super::{Caution, Cautions};
use crate::forms::ending;
use crate::numbers::{counted, grouped};
use crate::session::Session;
use serde::Serialize;
use std::fmt::Write;
use std::path::Path;
use wendax_isa::Addr;

/// How cautions are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CautionForm {
    /// For people.
    Text,
    /// A JSON object each.
    JsonLines,
}

impl CautionForm {
    /// What the ending of a file's name asks for.
    ///
    /// # Errors
    ///
    /// An ending that says something else, as a sentence.
    pub fn of(path: &Path) -> Result<Self, String> {
        match ending(path).as_str() {
            "jsonl" | "ndjson" => Ok(Self::JsonLines),
            "" | "txt" => Ok(Self::Text),
            other => Err(format!("{}: cautions go to a .txt or .jsonl, not to a .{other}", path.display())),
        }
    }
}

/// A caution for programs.
#[derive(Debug, Serialize)]
struct Object<'a> {
    code: String,
    title: &'a str,
    message: String,
    #[serde(flatten)]
    at: At,
    /// How often it came.
    times: u64,
    #[serde(skip_serializing_if = "Option::is_none")]
    register: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    began: Option<Began>,
    #[serde(skip_serializing_if = "Option::is_none")]
    meant: Option<&'a str>,
}

/// Where something was.
#[derive(Debug, Serialize)]
struct At {
    step: u64,
    address: u32,
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<u32>,
}

#[derive(Debug, Serialize)]
struct Began {
    message: String,
    #[serde(flatten)]
    at: At,
}

impl At {
    fn new(session: &Session, step: u64, address: Addr) -> Self {
        let line = session.image().line_at(address);
        let file = line.and_then(|line| session.sources().get(line.span.file)).map(|file| file.name().to_owned());
        Self { step, address: address.0, file: file.filter(|name| !name.is_empty()), line: line.map(|line| line.line) }
    }
}

impl Cautions {
    /// All that was found, what is meant left out of it or told as that.
    pub fn written(&self, session: &Session, form: CautionForm) -> String {
        match form {
            CautionForm::Text => self.text(session),
            CautionForm::JsonLines => {
                let told = self.list(session).map(|caution| object(session, caution, None));
                let meant = self.meant(session).map(|(caution, why)| object(session, caution, Some(why)));
                told.chain(meant).collect()
            }
        }
    }

    fn text(&self, session: &Session) -> String {
        let mut text = String::new();
        // Writing to a String cannot fail.
        for caution in self.list(session) {
            let at = At::new(session, caution.step.0, caution.pc);
            let place = match (at.file, at.line) {
                (Some(file), Some(line)) => format!("{file}:{line}"),
                _ => session.machine().target().marked_address(caution.pc),
            };
            let (kind, step, words) = (caution.kind, caution.at_step(), caution.words(session));
            let _ = writeln!(text, "{place}: caution {kind} at {step}: {words}");
            if let Some((.., words)) = caution.beginning(session) {
                let _ = writeln!(text, "    {words}");
            }
        }
        let count = self.list(session).count() as u64;
        let more = if self.is_full() { "at least " } else { "" };
        let _ = write!(text, "{more}{}", counted(count, "caution", "cautions"));
        let meant = self.meant(session).count() as u64;
        let meant = if meant > 0 { format!(", {} meant so", grouped(meant)) } else { String::new() };
        let _ = writeln!(text, "{meant}");
        text
    }
}

fn object(session: &Session, caution: &Caution, meant: Option<&str>) -> String {
    let began = caution.beginning(session);
    let began = began.map(|(step, pc, message)| Began { message, at: At::new(session, step.0, pc) });
    let object = Object {
        code: caution.kind.to_string(),
        title: caution.kind.info().title,
        message: caution.words(session),
        at: At::new(session, caution.step.0, caution.pc),
        times: caution.times,
        register: caution.register.map(|register| session.machine().target().register_name(register)),
        began,
        meant,
    };
    // Numbers and texts are always JSON.
    serde_json::to_string(&object).map_or_else(|_| String::new(), |line| line + "\n")
}
