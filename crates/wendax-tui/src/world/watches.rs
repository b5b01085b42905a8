//! Watches: values that are looked at all the time, in the words they were asked for in, and what the present routine
//! uses by itself.

use super::World;
use super::names::names_of;
use wendax_image::{SymbolKind, Variable};
use wendax_machine::Machine;
use wendax_session::{At, Reading, Session, Show, Story, Thing};

#[derive(Debug, Clone, Default)]
pub(crate) struct Watches {
    /// Those chosen, in their words.
    pub(crate) list: Vec<String>,
    /// What the present routine uses is among them, of a program that a compiler told of is not: see
    /// [`World::watches_routine`].
    pub(crate) with_routine: bool,
    /// As they are at the present moment.
    pub(crate) rows: Vec<Watched>,
    /// The machine before the last command, to tell what that changed.
    pub(crate) before: Option<Box<Machine>>,
}

/// A watch as it is now.
#[derive(Debug, Clone)]
pub(crate) struct Watched {
    pub(crate) words: String,
    /// It was not chosen: the routine uses it.
    pub(crate) is_of_routine: bool,
    /// What it is now, and was before the last command; or what is wrong with its words.
    pub(crate) now: Result<Reading, String>,
    pub(crate) was: Option<Reading>,
    /// When it is something that can be written: that, and who wrote it last.
    pub(crate) thing: Option<Thing>,
    pub(crate) story: Option<Story>,
}

impl World {
    /// Reads all watches anew, at the present moment.
    pub(crate) fn read_watches(&mut self) {
        let Some(session) = self.walk.session.as_ref().filter(|session| !session.is_running()) else { return };
        let watches = &self.watches;
        let chosen = watches.list.iter().map(|words| (words.clone(), false));
        let used = if self.watches_routine() { used_here(session) } else { Vec::new() };
        let used = used.into_iter().filter(|words| !watches.list.contains(words)).map(|words| (words, true));
        let before = watches.before.as_deref();
        let mut rows: Vec<Watched> = chosen
            .chain(used)
            .map(|(words, is_of_routine)| read(self, session, before, words, is_of_routine))
            .collect();
        for row in &mut rows {
            // What is known of it already stays known.
            let known = self.watches.rows.iter_mut().find(|known| known.words == row.words);
            row.story = known.and_then(|known| known.story.take()).filter(|story| story.is_of(session));
            if row.story.is_none() {
                row.story = row.thing.map(|thing| Story::new(session, thing));
            }
        }
        self.watches.rows = rows;
    }

    /// What the present routine uses is watched: of programs whose variables have names unless that was turned off, of others
    /// when it was turned on.
    pub(crate) fn watches_routine(&self) -> bool {
        self.watches.with_routine == self.program.assembly.image.variables.is_empty()
    }

    /// Who wrote something last is still to be found.
    pub(crate) fn is_watch_asked(&self) -> bool {
        self.watches.rows.iter().any(|row| row.story.as_ref().is_some_and(is_open))
    }

    /// Goes on finding who wrote what is watched.
    pub(crate) fn ask_of_watches(&mut self, budget: u64) {
        let Some(session) = &self.walk.session else { return };
        // Most are found at once; of the others as much is looked through as there is time for.
        for story in self.watches.rows.iter_mut().filter_map(|row| row.story.as_mut()).filter(|story| is_open(story)) {
            if !story.find_writer(session, budget) {
                return;
            }
        }
    }

    /// Adds a watch; its words must mean something now.
    pub(crate) fn watch(&mut self, words: &str) -> Result<(), String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        for show in Show::read_list(words, &names_of(session)).map_err(|error| error.message)? {
            if !self.watches.list.contains(&show.text) {
                self.watches.list.push(show.text);
            }
        }
        self.read_watches();
        Ok(())
    }
}

fn is_open(story: &Story) -> bool {
    story.written == wendax_session::Answer::Looking
}

fn read(world: &World, session: &Session, before: Option<&Machine>, words: String, is_of_routine: bool) -> Watched {
    let show = Show::read(&words, &names_of(session)).map_err(|error| error.message);
    let reading = |show: &Show, at: &At<'_>| {
        show.reading(session, at).ok_or_else(|| "registers, flags and stack have panes of their own".to_owned())
    };
    let now = show.as_ref().map_err(Clone::clone).and_then(|show| reading(show, &At::new(session.machine())));
    let was = show.as_ref().ok().zip(before).and_then(|(show, before)| show.reading(session, &At::new(before)));
    // Of `[total] as signed` the place is `[total]`.
    let place = words.split(" as ").next().unwrap_or(&words);
    let thing = world.thing_asked_for(place).ok();
    Watched { words, is_of_routine, now, was, thing, story: None }
}

/// What the routine around the present place uses: registers but for the stack pointer, and labels of data.
fn used_here(session: &Session) -> Vec<String> {
    let (image, machine) = (session.image(), session.machine());
    let target = machine.target();
    let Some(routine) = image.routine_around(session.present_address()) else { return Vec::new() };
    // What a compiler told of says more than the registers it chose.
    let next = session.present_address();
    let known = image.variables.locals_at(next);
    let is_own = |variable: &&&Variable| variable.home(next).is_some();
    let own = known.iter().filter(is_own).map(|variable| variable.name.clone());
    let own: Vec<String> = own.collect();
    let lines = image.lines.iter().filter(|line| routine.contains(line.address));
    let (mut registers, mut labels) = (0, Vec::new());
    for line in lines {
        if let Some(insn) = machine.instruction_at(line.address) {
            registers |= insn.uses.reads | insn.uses.writes;
        }
        let source = session.sources().get(line.span.file);
        let text = source.and_then(|file| file.text().get(line.span.range())).unwrap_or_default();
        let code = if image.variables.is_empty() { text.split(';').next().unwrap_or_default() } else { text };
        for word in code.split(|sign: char| !sign.is_alphanumeric() && sign != '_') {
            let is_data = image.symbol_from(word, line.address).is_some_and(|symbol| symbol.kind == SymbolKind::Data);
            if is_data && !labels.iter().any(|known| known == word) {
                labels.push(word.to_owned());
            }
        }
    }
    let used = target.registers().filter(|(register, _)| registers >> register.0 & 1 != 0);
    let used = used.filter(|(register, _)| *register != target.roles.stack).map(|(_, info)| info.name.to_owned());
    let used = used.filter(|_| image.variables.is_empty());
    used.chain(own).chain(labels).collect()
}
