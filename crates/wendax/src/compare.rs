//! `wendax run --compare`: two moments of a run beside each other, told behind its end.

use crate::Failure;
use crate::cli::Run;
use crate::draw;
use crate::files;
use crate::out::tell;
use crate::run::World;
use crate::tally::{Meter, SLICE};
use std::path::Path;
use wendax_session::{Apart, Session, ending};

/// The form is one that there is.
pub(crate) fn may_be(place: &Path) -> Result<(), Failure> {
    match ending(place).as_str() {
        "" | "txt" | "json" => Ok(()),
        other => {
            let text = format!("{}: what differs goes to a .txt or .json, not to a .{other}", place.display());
            Err(Failure::usage(text))
        }
    }
}

/// Compares two moments of the run, where that is asked for. The walk of the run itself stays where it is.
pub(crate) fn after_run(options: &Run, session: &Session, world: &World) -> Result<(), Failure> {
    let [one, other] = options.compare.as_slice() else { return Ok(()) };
    let mut walk = session.clone();
    let mut moment = |text: &str| {
        draw::go_to(&mut walk, world, "--compare", text)?;
        Ok(walk.now())
    };
    let (one, other) = (moment(one)?, moment(other)?);
    let Some(mut apart) = Apart::between(session, one, other) else {
        return Err(Failure::usage("--compare: the past up to one of the two moments is no longer kept"));
    };
    let mut meter = Meter::new("looking for who changed what");
    let (from, to) = apart.moments();
    while !apart.work(session, SLICE) {
        world.may_go_on()?;
        meter.at((0, to - from));
    }
    drop(meter);
    let text = match options.compared.as_deref() {
        Some(place) if ending(place) == "json" => apart.json(session),
        _ => apart.text(session),
    };
    if let Some(place) = options.compared.as_deref() {
        return files::write_to(place, text.as_bytes());
    }
    tell(&text);
    Ok(())
}
