//! Something that comes at every step of a stretch: which steps those are, and the row with it at one of them.

use crate::run::{Yard, go};
use crate::since::{at_step, work};
use crate::table::{Chosen, Row, Strike};
use crate::trials::Trials;
use crate::values::MOST;
use serde_json::Value;
use wendax_isa::StepNo;
use wendax_session::{Command, Names, Session, State, StopAt, Why, line_words};

/// The row with what comes at one step.
pub(crate) fn row(row: &Row, strike: &Strike, step: StepNo) -> Row {
    let mut row = row.clone();
    let mut event = strike.what.clone();
    event.insert("step".to_owned(), Value::from(step.0));
    row.given.events.push(Value::Object(event));
    row
}

/// The steps of the stretch, in a run in which nothing comes.
pub(crate) fn moments(
    trials: &Trials,
    index: usize,
    strike: &Strike,
    chosen: &Chosen,
    may_go_on: &dyn Fn() -> bool,
) -> Result<Vec<StepNo>, String> {
    let given = &trials.table().rows[index];
    // What comes is checked before anything runs.
    let number = format!("`events`, number {}", given.given.events.len() + 1);
    let begun = trials.begin(index, &row(given, strike, StepNo::FIRST), chosen);
    begun.map_err(|why| why.replacen(&number, "`strike`", 1))?;
    let mut begun = trials.begin(index, given, chosen)?;
    let yard = Yard::of(given, chosen);
    // The whole run first: what it asks for is answered on the way, and is known from then on.
    go(&mut begun, &yard, may_go_on);
    let whole = &begun.session;
    let from = match &strike.from {
        None => StepNo::FIRST,
        Some(words) => {
            let place = place(whole, words)?;
            let mut seen = at_step(whole, StepNo::FIRST);
            if place.place.code() != Some(seen.machine().pc()) {
                arrive(&mut seen, &place, words)?;
            }
            seen.now()
        }
    };
    let to = match &strike.to {
        None => whole.end(),
        Some(words) => {
            let place = place(whole, words)?;
            let mut seen = at_step(whole, from);
            arrive(&mut seen, &place, words)?;
            seen.now()
        }
    };
    let count = to.0.saturating_sub(from.0) + 1;
    if count > MOST {
        return Err(format!(
            "the stretch has {count} steps; {MOST} at most are gone through: `from` and `to` bound it"
        ));
    }
    Ok((from.0..=to.0).map(StepNo).collect())
}

fn place(session: &Session, words: &str) -> Result<StopAt, String> {
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    let stop = StopAt::read(words, &names, session.sources());
    stop.map_err(|error| format!("`strike`: `{words}`: {}", error.message))
}

fn arrive(session: &mut Session, stop: &StopAt, words: &str) -> Result<(), String> {
    session.begin(Command::Until(Box::new(stop.clone())));
    work(session);
    if *session.state() == State::Paused(Why::Until) {
        return Ok(());
    }
    Err(format!("`strike`: the run does not come to `{words}`"))
}

/// The line a step stands on.
pub(crate) fn line(session: &Session, step: StepNo) -> Option<String> {
    let walk = at_step(session, step);
    line_words(&walk, walk.machine().pc())
}
