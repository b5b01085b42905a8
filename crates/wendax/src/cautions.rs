//! `wendax run --cautions`: what looks wrong in a run, told behind its end.
//!
//! What is wrong is for the session to find; here stand where it goes and what status it makes.

use crate::Failure;
use crate::cli::Run;
use crate::files;
use crate::out::tell;
use crate::run::World;
use crate::tally::{Meter, SLICE};
use std::path::Path;
use wendax_language::CautionKind;
use wendax_session::{CautionForm, Cautions, Session};

/// Looks through the run for what looks wrong, where that is asked for; true when that makes the status.
pub(crate) fn look_through(
    options: &Run,
    session: &Session,
    world: &World,
    meant: &[(CautionKind, String)],
) -> Result<bool, Failure> {
    if options.cautions.is_none() && !options.cautions_fail {
        return Ok(false);
    }
    let mut cautions = Cautions::new(session).with_meant(meant);
    let mut meter = Meter::new("looking through the run");
    while !cautions.work(session, SLICE) {
        world.may_go_on()?;
        meter.at(cautions.progress(session));
    }
    drop(meter);
    let place = options.cautions.as_deref().unwrap_or(Path::new("-"));
    let text = cautions.written(session, CautionForm::of(place).map_err(Failure::usage)?);
    if place.as_os_str() == "-" {
        tell(&text);
    } else {
        files::write_to(place, text.as_bytes())?;
    }
    Ok(options.cautions_fail && cautions.list(session).next().is_some())
}
