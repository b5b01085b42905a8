//! A reference: the same is done by another routine or program, and both are compared in what comes of it.

use crate::judge::{Difference, Kind, first_difference, kept, piece};
use crate::run::Ending;
use crate::subject::{Stage, Subject, address, word};
use crate::table::{Chosen, Form, Limits, Reference, Row};
use crate::trials::{Done, Named, carried};
use wendax_session::{Session, Thing};

/// What a row is compared with, ready to run.
#[derive(Debug, Clone)]
pub(crate) struct Like {
    subject: Subject,
    stage: Stage,
    /// A routine is called, which comes back.
    is_call: bool,
}

impl Like {
    pub(crate) fn new(reference: &Reference, own: &Subject, others: &Named) -> Result<Self, String> {
        let subject = match &reference.program {
            None => own.clone(),
            Some(path) => match others.get(path) {
                Some(found) => found.clone().map_err(|why| format!("the reference {path}: {why}"))?,
                None => return Err(format!("the reference {path} was not read")),
            },
        };
        let stage = subject.stage(reference.call.as_deref()).map_err(|why| format!("the reference: {why}"))?;
        Ok(Self { subject, stage, is_call: reference.call.is_some() })
    }

    /// Runs it with what the row gives.
    pub(crate) fn run(
        &self,
        row: &Row,
        chosen: &Chosen,
        limits: &Limits,
        may_go_on: &dyn Fn() -> bool,
    ) -> Result<Done, String> {
        let begun = self.stage.begin(&self.subject, row, chosen, limits)?;
        Ok(carried(begun, row, chosen, may_go_on))
    }

    /// How the row's own run differs from that of the reference, and the cycles of that.
    pub(crate) fn compare(
        &self,
        row: &Row,
        chosen: &Chosen,
        limits: &Limits,
        own: &Done,
        may_go_on: &dyn Fn() -> bool,
    ) -> (Vec<Difference>, Option<u64>) {
        let plain = |message| vec![Difference::plain(Kind::Row, message)];
        let done = match self.run(row, chosen, limits, may_go_on) {
            Ok(done) => done,
            Err(why) => return (plain(format!("the reference: {why}")), None),
        };
        let other = &done.begun.session;
        let is_well =
            if self.is_call { done.ending == Ending::Returned } else { matches!(done.ending, Ending::Finished(_)) };
        if !is_well {
            return (plain(format!("the reference did not end well: {}", done.ending.words(other))), None);
        }
        let both = Both { own, other: &done };
        let mut found = both.printed();
        found.extend(both.status());
        if row.is_call() && self.is_call && !row.expected.returns_any {
            found.extend(both.result());
        }
        found.extend(both.memory(row, chosen));
        found.extend(both.files());
        (found, Some(other.machine().cycles()))
    }
}

/// A run and that of its reference.
struct Both<'a> {
    own: &'a Done,
    other: &'a Done,
}

impl Both<'_> {
    fn sessions(&self) -> (&Session, &Session) {
        (&self.own.begun.session, &self.other.begun.session)
    }

    fn printed(&self) -> Vec<Difference> {
        let (own, other) = self.sessions();
        let (is, wanted) = (own.printed_since(0), other.printed_since(0));
        if is == wanted {
            return Vec::new();
        }
        let at = first_difference(is, wanted);
        let message = match (is.get(at), wanted.get(at)) {
            (None, _) => format!("nothing more was printed where the reference printed {}", piece(wanted, at)),
            (Some(_), None) => format!("{} was printed where the reference printed nothing more", piece(is, at)),
            _ => format!("{} was printed where the reference printed {}", piece(is, at), piece(wanted, at)),
        };
        vec![Difference::printed(own, (Kind::Prints, message), at as u64)]
    }

    fn status(&self) -> Option<Difference> {
        let (Ending::Finished(is), Ending::Finished(wanted)) = (&self.own.ending, &self.other.ending) else {
            return None;
        };
        (is != wanted).then(|| {
            let message = format!("it ended with status {is} where the reference ended with {wanted}");
            Difference::plain(Kind::Holds, message)
        })
    }

    fn result(&self) -> Option<Difference> {
        let (own, other) = self.sessions();
        let value = |session: &Session| {
            let machine = session.machine();
            let target = machine.target();
            let register = target.roles.results.first()?;
            Some(i64::from(target.signed(machine.register(*register))))
        };
        let (is, wanted) = (value(own)?, value(other)?);
        // A number that both can hold is the same on machines of different words.
        if is == wanted {
            return None;
        }
        let register = *own.machine().target().roles.results.first()?;
        let name = own.machine().target().register_name(register);
        let message = format!("{is} came back in `{name}` where the reference gave {wanted}");
        Some(Difference::written(own, (Kind::Holds, message), Thing::Register(register)))
    }

    /// What lies where the row gave memory, or looks at it afterwards. What may be changed besides is nobody's result.
    fn memory(&self, row: &Row, chosen: &Chosen) -> Vec<Difference> {
        let (own, other) = self.sessions();
        let mut found = Vec::new();
        let places = self.own.begun.own.iter().zip(&self.other.begun.own);
        let all = row.given.memory.iter().chain(&row.expected.leaves).map(|cells| (&cells.at, cells.form));
        for ((text, form), (is, wanted)) in all.zip(places) {
            let size = |session: &Session| match form {
                Form::Words => session.machine().target().word_bytes(),
                Form::Bytes | Form::Text => 1,
            };
            let value = |session: &Session, from: wendax_isa::Addr, number: u32| {
                let machine = session.machine();
                let bytes = size(session);
                let value = machine.number(from + number * bytes, bytes);
                if bytes == 1 {
                    i64::from(value)
                } else {
                    machine.target().signed(word(machine.target(), value.into())).into()
                }
            };
            let count = ((is.1 - is.0) / size(own)).min((wanted.1 - wanted.0) / size(other));
            let Some(number) = (0..count).find(|&number| value(own, is.0, number) != value(other, wanted.0, number))
            else {
                continue;
            };
            let name = text.with(chosen);
            let message = format!(
                "number {} of `{name}` is {} where the reference left {}",
                number + 1,
                value(own, is.0, number),
                value(other, wanted.0, number)
            );
            if address(own, text, chosen).is_ok() {
                let at = is.0 + number * size(own);
                found.push(Difference::written(own, (Kind::Holds, message), Thing::Cells(at, at + size(own))));
            }
        }
        found
    }

    fn files(&self) -> Vec<Difference> {
        let (own, other) = self.sessions();
        let (is, wanted) = (own.machine().files(), other.machine().files());
        let mut paths: Vec<&str> = is.to_keep().chain(wanted.to_keep()).map(|(path, _)| &**path).collect();
        paths.sort_unstable();
        paths.dedup();
        let differs = paths.into_iter().find(|path| kept(is, path) != kept(wanted, path));
        let Some(path) = differs else { return Vec::new() };
        let message = match (kept(is, path), kept(wanted, path)) {
            (None, _) => format!("file `{path}` was not written, as the reference did"),
            (Some(_), None) => format!("file `{path}` was written, as the reference did not"),
            (Some(is), Some(wanted)) => {
                let at = first_difference(is, wanted);
                let (is, wanted) = (piece(is, at), piece(wanted, at));
                format!("file `{path}` has {is} where that of the reference has {wanted}, at byte {at}")
            }
        };
        vec![Difference::plain(Kind::Files, message)]
    }
}
