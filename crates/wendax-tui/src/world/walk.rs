//! The walk through the run: a session with what belongs to it, whether it is of the present text, and the way to bring
//! the present text to where it stands.

use super::World;
use super::beside::Beside;
use super::cautions::Cautioned;
use super::documents::DocumentId;
use super::editor::LineShift;
use super::program::Program;
use std::borrow::Cow;
use std::collections::BTreeMap;
use wendax_image::Image;
use wendax_machine::{Addr, StepNo};
use wendax_session::{
    Ahead, Explanation, Inside, Interruptions, Record, Replay, Routines, Script, Session, Stand, State, Story, Version,
    explain,
};
use wendax_source::FileId;
use wendax_trials::Yard;

/// How lines moved since some text, in order.
#[derive(Debug, Clone, Default)]
struct Moved(Vec<(DocumentId, LineShift)>);

impl Moved {
    fn follow(&mut self, id: DocumentId, shift: LineShift) {
        if shift.removed + shift.added > 0 {
            self.0.push((id, shift));
        }
    }
}

#[derive(Debug, Clone, Default)]
pub(crate) struct Walk {
    pub(crate) session: Option<Session>,
    /// How lines moved since the text that the walk is through.
    moved: Moved,
    /// The walk is through an older text than the one assembled last.
    pub(crate) is_stale: bool,
    /// A text of the program that is being brought to where the walk was.
    pub(crate) replay: Option<Box<Replaying>>,
    /// What the account, the routines and the watches were worked out for: a session, and where it stands.
    told: Option<(u64, Stand)>,
    /// The account of the next instruction, while nothing runs.
    pub(crate) explanation: Option<Explanation>,
    /// The routines that are active.
    pub(crate) routines: Routines,
    /// The story of the thing whose changes are shown.
    pub(crate) story: Option<Story>,
    /// The story that is worked out to go to the step that wrote a thing last.
    pub(crate) sought: Option<Story>,
    /// Moments that were looked at, and which of them was gone back to last.
    pub(crate) visited: Visited,
    /// It runs slowly: between some steps and the next ones it pauses for a while.
    pub(crate) is_slow: bool,
    /// The number of the question that the program waits for an answer to, which is no typed input.
    pub(crate) awaited: Option<u64>,
    /// Questions of programs to the world beside them.
    pub(crate) asked: u64,
    /// The walk of last time, as long as nothing was done in this one.
    pub(crate) of_last_time: Option<Record>,
    /// Goes up with every session that takes the place of another one.
    pub(crate) sessions: u64,
    /// Goes up with every run that begins anew; replaying one goes on with it.
    pub(crate) runs: u64,
    /// The files that the owner of the disk was told of last: run, branch, and how often they had changed.
    pub(crate) kept_files: (u64, u64, u64),
    /// What is wrong with the file of events, for the program as it is now.
    pub(crate) not_played: Option<String>,
    /// The program names device registers.
    pub(crate) uses_devices: bool,
    /// How interrupts fared in the run, once someone looks.
    pub(crate) passages: Option<Box<Interruptions>>,
    /// Tones that were sounded.
    pub(crate) sounded: usize,
    /// What looks wrong in the run.
    pub(crate) cautions: Cautioned,
    /// Another moment beside the present one.
    pub(crate) beside: Beside,
    /// What a person calls the run.
    pub(crate) name: String,
    /// It is the run of a row of trials.
    pub(crate) of_row: Option<OfRow>,
    /// The coming steps, and where they were looked for from.
    pub(crate) ahead: Option<(Stand, Ahead)>,
    /// The coming step taken apart.
    pub(crate) inside: Option<LookedInside>,
    /// It was come to by the left arrow through what was taken apart: its last part is the present one.
    pub(crate) is_inside_from_behind: bool,
}

/// A step taken apart, and where that was.
#[derive(Debug, Clone)]
pub(crate) struct LookedInside {
    pub(crate) at: Stand,
    /// None where there is no step.
    pub(crate) taken: Option<Inside>,
}

impl Walk {
    /// Takes the place of the walk there was.
    pub(crate) fn begin(&mut self, session: Session) {
        let code = session.image().segments.iter().filter(|part| part.rights.execute);
        self.uses_devices =
            code.map(|part| (part.start, part.end())).any(|(from, to)| session.machine().names_devices(from, to));
        self.session = Some(session);
        self.sessions += 1;
        self.passages = None;
        self.is_stale = false;
        self.moved = Moved::default();
        self.awaited = None;
        self.replay = None;
        self.story = None;
        self.sought = None;
        self.visited = Visited::default();
        self.beside = Beside::default();
        self.name = String::new();
        self.of_row = None;
        self.ahead = None;
        self.inside = None;
        self.is_slow = false;
    }

    /// The walk as it is now, to be taken up again; nothing while it is under way.
    pub(crate) fn park(&self) -> Option<Parked> {
        let session = self.session.as_ref().filter(|session| !session.is_running() && self.replay.is_none())?;
        let (session, moved, beside) = (session.clone(), self.moved.clone(), self.beside.clone());
        Some(Parked {
            session,
            moved,
            is_stale: self.is_stale,
            runs: self.runs,
            beside,
            name: self.name.clone(),
            of_row: self.of_row.clone(),
            is_dropped: false,
        })
    }

    pub(crate) fn state(&self) -> Option<&State> {
        self.session.as_ref().map(Session::state)
    }

    pub(crate) fn is_running(&self) -> bool {
        self.session.as_ref().is_some_and(Session::is_running)
    }

    /// Something was run, or is being run.
    pub(crate) fn has_begun(&self) -> bool {
        self.session.as_ref().is_some_and(|session| session.end() > StepNo::FIRST || session.is_running())
    }

    /// Where a line (from 0) of the text that is walked through is now.
    pub(crate) fn moved_line(&self, id: DocumentId, line: usize) -> Option<usize> {
        let mut shifts = self.moved.0.iter().filter(|(document, _)| *document == id);
        shifts.try_fold(line, |line, (_, shift)| shift.moved(line))
    }

    pub(crate) fn follow(&mut self, id: DocumentId, shift: LineShift) {
        if self.session.is_some() {
            self.moved.follow(id, shift);
        }
        if let Some(replaying) = &mut self.replay {
            replaying.moved.follow(id, shift);
        }
    }

    /// Its text is the present one, with the same code: lines and names are taken over.
    pub(crate) fn is_of_present_text(&mut self) {
        self.is_stale = false;
        self.moved = Moved::default();
    }
}

/// What the run of a row of trials has of its own.
#[derive(Debug, Clone)]
pub(crate) struct OfRow {
    /// The row.
    pub(crate) name: String,
    /// What it prints when all is well, where that is known.
    pub(crate) expected: Option<String>,
    /// The files it finds, which lie in no folder.
    pub(crate) yard: Yard,
    /// Where the routine comes back to that is called: a place that the program itself does not have.
    pub(crate) back: Option<Addr>,
}

impl OfRow {
    /// The program as the row runs it: as it is, or with what the run's own has for the way back.
    fn as_run<'a>(&self, image: &'a Image, run: &Image) -> Cow<'a, Image> {
        let Some(own) = self.back.and_then(|back| run.segment_at(back)) else { return Cow::Borrowed(image) };
        let mut image = image.clone();
        image.add(own.clone());
        image.entry = run.entry;
        Cow::Owned(image)
    }
}

/// A text of the program that is being brought to where a walk was. It is that of the moment when this was begun:
/// the present one may have become another one meanwhile.
#[derive(Debug, Clone)]
pub(crate) struct Replaying {
    pub(crate) replay: Replay,
    /// How lines moved since then.
    moved: Moved,
}

/// A walk that was left, to be taken up again.
#[derive(Debug, Clone)]
pub(crate) struct Parked {
    session: Session,
    moved: Moved,
    is_stale: bool,
    runs: u64,
    beside: Beside,
    /// What a person calls it.
    pub(crate) name: String,
    of_row: Option<OfRow>,
    /// It is in no list of runs any more.
    pub(crate) is_dropped: bool,
}

impl Parked {
    pub(crate) fn session(&self) -> &Session {
        &self.session
    }

    /// Bytes that its past takes, some of them together with other walks.
    pub(crate) fn bytes(&self) -> usize {
        self.session.memory_in_use()
    }

    pub(crate) fn follow(&mut self, id: DocumentId, shift: LineShift) {
        self.moved.follow(id, shift);
    }
}

/// Moments that were left by a jump, like pages that were visited.
#[derive(Debug, Clone, Default)]
pub(crate) struct Visited {
    back: Vec<StepNo>,
    forth: Vec<StepNo>,
    /// The jump that is begun is to one of them.
    pub(crate) is_going: bool,
}

impl Visited {
    /// A moment is left by a jump.
    pub(crate) fn leave(&mut self, step: StepNo) {
        const MOST: usize = 500;
        self.forth.clear();
        if self.back.last() != Some(&step) {
            self.back.push(step);
        }
        if self.back.len() > MOST {
            self.back.remove(0);
        }
    }

    /// The moment before the present one, or behind it, which becomes the present one.
    pub(crate) fn go(&mut self, now: StepNo, is_back: bool) -> Option<StepNo> {
        let (from, to) = if is_back { (&mut self.back, &mut self.forth) } else { (&mut self.forth, &mut self.back) };
        let step = loop {
            let step = from.pop()?;
            if step != now {
                break step;
            }
        };
        to.push(now);
        Some(step)
    }
}

/// Why the present text cannot be brought to where the walk is.
pub(crate) enum NoReplay {
    /// There is nothing to replay.
    Nothing,
    /// The line the walk is at has no instruction any more.
    NoPlace,
    /// The beginning of the run is no longer kept.
    Forgotten,
}

impl World {
    /// The account of the next instruction, the routines and the watches are those of the present moment: here, and
    /// nowhere else, they follow it.
    pub(crate) fn follow_moment(&mut self) {
        /// Of the innermost routines so many are told of.
        const MOST: usize = 24;
        let walk = &mut self.walk;
        let Some(session) = walk.session.as_ref() else {
            (walk.explanation, walk.told) = (None, None);
            return;
        };
        if session.is_running() {
            walk.told = None;
            return;
        }
        let now = Some((walk.sessions, session.stand()));
        if walk.told == now {
            return;
        }
        walk.told = now;
        walk.explanation = Some(explain(session));
        walk.routines.refresh(session, MOST);
        self.read_watches();
        self.follow_cautions();
    }

    /// Finds out whether the walk is through the program that was built last: its lines and names are taken over then, and
    /// otherwise it is one through an older text. `is_given_else`: runs are given something else now.
    pub(crate) fn compare_walk(&mut self, is_given_else: bool) -> bool {
        let Program { assembly, .. } = &self.program;
        let is_runnable = assembly.is_runnable() && !assembly.image.segments.is_empty();
        let row = self.walk.of_row.as_ref();
        // What a row is given stands in its table.
        let is_given_else = is_given_else && row.is_none();
        let mut same = None;
        if let Some(session) = self.walk.session.as_mut().filter(|_| is_runnable && !is_given_else) {
            let walked = session.image();
            let image = row.map_or(Cow::Borrowed(&assembly.image), |row| row.as_run(&assembly.image, walked));
            if walked.segments == image.segments && walked.entry == image.entry {
                same = Some((session, image));
            }
        }
        let is_same = same.is_some();
        if let Some((session, image)) = same {
            session.relabel(image.into_owned(), assembly.sources.clone());
            self.walk.is_of_present_text();
        } else {
            self.walk.is_stale = self.walk.session.is_some();
        }
        is_same
    }

    /// Takes up a walk that was left.
    pub(crate) fn take_up(&mut self, parked: Parked) {
        let Parked { mut session, moved, is_stale, runs, beside, name, of_row, is_dropped: _ } = parked;
        // What was found out about branches of the walk that is left now is true of none of this one.
        if let Some(left) = &self.walk.session {
            session.branch_apart(left);
        }
        self.walk.sounded = session.tones().len();
        self.walk.begin(session);
        (self.walk.moved, self.walk.is_stale, self.walk.runs) = (moved, is_stale, runs);
        (self.walk.beside, self.walk.name, self.walk.of_row) = (beside, name, of_row);
        if self.is_assembled() {
            self.compare_walk(false);
        }
    }

    /// Takes up the walk of last time; false when there is none of this program.
    pub(crate) fn take_up_last(&mut self) -> bool {
        // It waits on until it is there.
        let record = self.walk.of_last_time.clone();
        let Some(record) = record.filter(|_| self.is_current()) else { return false };
        let replay = Replay::repeat(self.fresh_session(), record);
        let is_one = replay.is_some();
        if let Some(replay) = replay {
            self.walk.replay = Some(Box::new(Replaying { replay, moved: Moved::default() }));
        }
        is_one
    }

    /// The replay is done: its walk takes the place of the one there was.
    pub(crate) fn take_replay(&mut self, replaying: Replaying) {
        let Replaying { replay, moved } = replaying;
        if replay.is_repeated() {
            self.walk.of_last_time = None;
        }
        let before = self.walk.park();
        self.walk.begin(replay.into_session());
        self.note_walk("another text", before);
        self.walk.moved = moved;
        // The text may have become another one on the way.
        if self.is_assembled() {
            self.compare_walk(false);
        }
    }

    /// A walk of the present text, before its first step.
    pub(crate) fn new_session(&mut self) {
        let typed = self.typed().map(|(typed, _)| typed.to_vec()).unwrap_or_default();
        self.new_session_typed(&typed);
    }

    /// A run of the present text, to which nothing was given yet.
    fn fresh_session(&self) -> Session {
        let program = &self.program;
        let session = Session::new(program.assembly.image.clone(), self.settings());
        let session = session.with_sources(program.assembly.sources.clone());
        match program.history {
            Some(bytes) => session.with_budget(bytes),
            None => session,
        }
    }

    /// The same with this typed ahead.
    pub(crate) fn new_session_typed(&mut self, typed: &[u8]) {
        let mut session = self.fresh_session();
        if !typed.is_empty() {
            session.type_input(typed);
        }
        self.walk.runs += 1;
        self.walk.sounded = 0;
        let script = self.given.events.as_ref().map(|(_, text)| Script::read(text, &session));
        self.walk.not_played = None;
        match script {
            Some(Ok(script)) => session.set_script(script),
            Some(Err(error)) => self.walk.not_played = Some(error.to_string()),
            None => {}
        }
        self.walk.begin(session);
    }

    /// Begins a run of the present text that is given what the walk was given.
    pub(crate) fn begin_replay(&mut self) -> Result<(), NoReplay> {
        let (session, piece) =
            self.walk.session.as_ref().zip(self.present_piece().copied()).ok_or(NoReplay::Nothing)?;
        let moved = self.moved_instructions(session);
        if !moved.contains_key(&piece.address) {
            return Err(NoReplay::NoPlace);
        }
        let version = Version {
            image: self.program.assembly.image.clone(),
            sources: self.program.assembly.sources.clone(),
            settings: self.settings(),
            moved,
        };
        let replay = Replay::new(session, version).ok_or(NoReplay::Forgotten)?;
        self.walk.replay = Some(Box::new(Replaying { replay, moved: Moved::default() }));
        Ok(())
    }

    /// Where each instruction of the program that is walked through is in the present one: by its line, and by its
    /// place among what that line became.
    fn moved_instructions(&self, session: &Session) -> BTreeMap<Addr, Addr> {
        let mut now: BTreeMap<(FileId, u32), Vec<Addr>> = BTreeMap::new();
        for line in &self.program.assembly.image.lines {
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
}
