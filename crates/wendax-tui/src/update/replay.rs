//! The present text, brought to where the walk through an older one was.

use crate::state::{App, Tone};
use std::collections::BTreeMap;
use wendax_machine::Addr;
use wendax_session::{Outcome, Replay, Session, Version};
use wendax_source::FileId;

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
        let moved = self.moved_instructions(session);
        if !moved.contains_key(&piece.address) {
            self.new_session();
            self.place_breakpoints();
            self.arrived();
            return self.trouble("the line the walk was at has no instruction any more: a new run stands at its start");
        }
        let version = Version {
            image: self.assembly.image.clone(),
            sources: self.assembly.sources.clone(),
            settings: self.settings.clone(),
            moved,
        };
        match Replay::new(session, version) {
            Some(replay) => self.replay = Some(Box::new(replay)),
            None => self.trouble("the beginning of this run is no longer kept, so it cannot be repeated; R restarts"),
        }
    }

    /// Where each instruction of the program that is walked through is in the present one: by its line, and by its
    /// place among what that line became.
    fn moved_instructions(&self, session: &Session) -> BTreeMap<Addr, Addr> {
        let mut now: BTreeMap<(FileId, u32), Vec<Addr>> = BTreeMap::new();
        for line in &self.assembly.image.lines {
            now.entry((line.span.file, line.line)).or_default().push(line.address);
        }
        let mut moved = BTreeMap::new();
        let mut nth = 0;
        for (index, piece) in session.image().lines.iter().enumerate() {
            let same = index > 0 && session.image().lines[index - 1].span == piece.span;
            nth = if same { nth + 1 } else { 0 };
            let there = self.place_of(piece).and_then(|(document, line)| {
                let addresses = now.get(&(self.file_id(document)?, u32::try_from(line + 1).ok()?))?;
                addresses.get(nth).or(addresses.last())
            });
            if let Some(address) = there {
                moved.insert(piece.address, *address);
            }
        }
        moved
    }

    pub(super) fn work_on_replay(&mut self) {
        let Some(mut replay) = self.replay.take() else { return };
        let Some(outcome) = replay.work(SLICE) else {
            self.replay = Some(replay);
            return;
        };
        let lost = replay.lost_edits();
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
        if lost > 0 {
            text.push_str(&format!("; {lost} changes by hand were not made again: their place was not reached"));
        }
        let tone = if outcome == Outcome::There { Tone::Fine } else { Tone::Trouble };
        // That a breakpoint could not be placed matters more.
        self.message.get_or_insert((tone, text));
    }
}
