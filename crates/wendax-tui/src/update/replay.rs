//! The present text, brought to where the walk through an older one was.

use crate::state::{App, Tone};
use wendax_session::{Outcome, Replay};

/// Steps between two looks at the keys.
const SLICE: u64 = 300_000;

impl App {
    /// Begins a run of the present text that is given what the walk was given.
    pub(super) fn begin_replay(&mut self) {
        if !self.is_assembled() || !self.assembly.is_runnable() {
            return self.trouble("the text has a problem: N goes to it, Ctrl-T mends it where a fix is known");
        }
        let Some((session, piece)) = self.session.as_ref().zip(self.present_piece().copied()) else {
            return self.trouble("there is nothing to replay yet");
        };
        let place = self.place_of(&piece).and_then(|(index, line)| {
            let file = self.file_id(index)?;
            let number = u32::try_from(line + 1).ok()?;
            // The same instruction of what the line became.
            let before = session.image().lines.iter();
            let nth = before.filter(|other| other.span == piece.span && other.address < piece.address).count();
            let mut now: Vec<u32> = self
                .assembly
                .image
                .lines
                .iter()
                .filter(|other| other.span.file == file && other.line == number)
                .map(|other| other.address)
                .collect();
            now.sort_unstable();
            now.get(nth).or(now.last()).copied()
        });
        let Some(address) = place else {
            self.new_session();
            self.place_breakpoints();
            self.arrived();
            return self.trouble("the line the walk was at has no instruction any more: a new run stands at its start");
        };
        let Some(visits) = session.visits(session.present_address()) else {
            return self.trouble("this run is too long to count how often it was here; R restarts");
        };
        let image = self.assembly.image.clone();
        self.replay = Some(Box::new(Replay::new(session, image, self.settings.clone(), address, visits.max(1))));
    }

    pub(super) fn work_on_replay(&mut self) {
        let Some(mut replay) = self.replay.take() else { return };
        let Some(outcome) = replay.work(SLICE) else {
            self.replay = Some(replay);
            return;
        };
        let edits = self.session.as_ref().map_or(0, wendax_session::Session::edits);
        self.session = Some(replay.into_session());
        self.is_stale = false;
        self.moved.clear();
        self.awaited = None;
        self.message = None;
        self.place_breakpoints();
        self.arrived();
        let mut text = match outcome {
            Outcome::There => "the present text, with the same input, at the same place".to_owned(),
            Outcome::Elsewhere => {
                "the present text, with the same input: it did not come to that place so often, and is here".to_owned()
            }
        };
        if edits > 0 {
            text.push_str(&format!("; {edits} values set by hand are not"));
        }
        let tone = if outcome == Outcome::There { Tone::Fine } else { Tone::Trouble };
        // That a breakpoint could not be placed matters more.
        self.message.get_or_insert((tone, text));
    }
}
