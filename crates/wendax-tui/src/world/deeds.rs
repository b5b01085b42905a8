//! What was done by hand and can be taken back, and what was taken back and can be done again.
//!
//! A deed holds the other side of itself: the stops, the walk as they were before; taken back, it holds what they were
//! after. So doing again is the mirror of taking back, and nothing that lay ahead of a moment is gone for good.

use super::World;
use super::documents::{Document, DocumentId};
use super::editor::{Editor, LineShift};
use super::stops::{Stop, follow_line};
use super::walk::Parked;
use wendax_session::Session;

/// Something done by hand.
#[derive(Debug, Clone)]
pub(crate) enum Deed {
    /// Stops are other ones.
    Stops(Vec<Stop>),
    /// Texts were changed by one command: in which state each is on this side of it.
    Texts(Vec<(DocumentId, u64)>),
    /// The walk is another one, by this.
    Walk(&'static str, Box<Parked>),
}

/// What became of taking something back, or doing it again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Taken {
    /// There is nothing more.
    Nothing,
    Stops,
    /// So many texts.
    Texts(usize),
    /// The walk, by what it had become another one.
    Walk(&'static str),
    /// The program runs, or goes through its past.
    NotNow,
}

/// What was done by hand, the latest last.
#[derive(Debug, Clone, Default)]
pub(crate) struct Deeds {
    done: Vec<Deed>,
    undone: Vec<Deed>,
    /// Walks that nothing taken back or done again leads to any more, and what each was left by.
    left: Vec<(&'static str, Box<Parked>)>,
}

impl Deeds {
    /// Deeds that are remembered.
    const MOST: usize = 200;
    /// Walks among them.
    const MOST_WALKS: usize = 20;
    /// Bytes that the pasts of those may take; the latest one is there whatever it takes.
    const MOST_BYTES: usize = 512 << 20;

    /// Notes how things were before they were changed.
    pub(crate) fn note(&mut self, deed: Deed) {
        let lost = self.undone.drain(..).filter_map(|deed| match deed {
            Deed::Walk(by, parked) => Some((by, parked)),
            Deed::Stops(_) | Deed::Texts(_) => None,
        });
        self.left.extend(lost);
        self.forget_runs();
        self.done.push(deed);
        let excess = self.done.len().saturating_sub(Self::MOST);
        self.done.drain(..excess);
        let (mut walks, mut bytes) = (0, 0);
        let walk_too_many = self.done.iter().rposition(|deed| match deed {
            Deed::Walk(_, parked) => {
                walks += 1;
                bytes += parked.bytes();
                walks > Self::MOST_WALKS || walks > 1 && bytes > Self::MOST_BYTES
            }
            Deed::Stops(_) | Deed::Texts(_) => false,
        });
        // What has a name stays as a run.
        let named = self.done.drain(..walk_too_many.map_or(0, |at| at + 1)).filter_map(|deed| match deed {
            Deed::Walk(by, parked) if !parked.name.is_empty() && !parked.is_dropped => Some((by, parked)),
            _ => None,
        });
        self.left.extend(named);
    }

    /// Of the walks that are kept beside, those without a name go first, the oldest of them before others.
    fn forget_runs(&mut self) {
        let bytes = |left: &[(&str, Box<Parked>)]| left.iter().map(|(_, parked)| parked.bytes()).sum::<usize>();
        while self.left.len() > Self::MOST_WALKS || bytes(&self.left) > Self::MOST_BYTES {
            let unnamed = self.left.iter().position(|(_, parked)| parked.name.is_empty());
            self.left.remove(unnamed.unwrap_or(0));
        }
    }

    fn lists(&mut self) -> impl Iterator<Item = &mut Deed> {
        self.done.iter_mut().chain(&mut self.undone)
    }

    /// Lines of a document moved: what is remembered of them goes with them.
    pub(crate) fn follow(&mut self, id: DocumentId, shift: LineShift) {
        for deed in self.lists() {
            match deed {
                Deed::Stops(stops) => stops.retain_mut(|stop| follow_line(stop, id, shift)),
                Deed::Walk(_, parked) => parked.follow(id, shift),
                Deed::Texts(_) => {}
            }
        }
        for (_, parked) in &mut self.left {
            parked.follow(id, shift);
        }
    }

    /// The texts that were changed, or taken back, together with this one, when that is what happened to them last.
    fn texts_with(&self, again: bool, shown: DocumentId, now: impl Fn(DocumentId) -> Option<u64>) -> bool {
        let list = if again { &self.undone } else { &self.done };
        let Some(Deed::Texts(texts)) = list.last() else { return false };
        texts.iter().any(|(id, _)| *id == shown) && texts.iter().all(|(id, state)| now(*id) == Some(*state))
    }
}

/// Where a run that was left is kept.
#[derive(Debug, Clone, Copy)]
enum Kept {
    Done(usize),
    Undone(usize),
    Left(usize),
}

impl Deeds {
    /// Where the runs are that are other ones than the present run, those that were left last first.
    fn places(&self, present: Option<&Session>) -> Vec<Kept> {
        let done = (0..self.done.len()).rev().map(Kept::Done);
        let undone = (0..self.undone.len()).map(Kept::Undone);
        let all = done.chain(undone).chain((0..self.left.len()).rev().map(Kept::Left));
        let is_other =
            |parked: &Parked| !parked.is_dropped && present.is_none_or(|present| goes_elsewhere(parked, present));
        all.filter(|place| self.kept(*place).is_some_and(|(_, parked)| is_other(parked))).collect()
    }

    fn kept(&self, place: Kept) -> Option<(&'static str, &Parked)> {
        match place {
            Kept::Left(at) => self.left.get(at).map(|(by, parked)| (*by, &**parked)),
            Kept::Done(at) | Kept::Undone(at) => {
                let list = if matches!(place, Kept::Done(_)) { &self.done } else { &self.undone };
                match list.get(at) {
                    Some(Deed::Walk(by, parked)) => Some((*by, &**parked)),
                    _ => None,
                }
            }
        }
    }

    fn kept_mut(&mut self, place: Kept) -> Option<&mut Parked> {
        match place {
            Kept::Left(at) => self.left.get_mut(at).map(|(_, parked)| &mut **parked),
            Kept::Done(at) | Kept::Undone(at) => {
                let list = if matches!(place, Kept::Done(_)) { &mut self.done } else { &mut self.undone };
                match list.get_mut(at) {
                    Some(Deed::Walk(_, parked)) => Some(&mut **parked),
                    _ => None,
                }
            }
        }
    }

    /// Takes a run from the list. What Ctrl-Z or Ctrl-Y leads to stays for that.
    fn drop_run(&mut self, place: Kept) {
        if let Kept::Left(at) = place {
            self.left.remove(at);
        } else if let Some(parked) = self.kept_mut(place) {
            parked.is_dropped = true;
        }
    }
}

/// A run has something that the present one has not: it is no mere beginning of it.
fn goes_elsewhere(parked: &Parked, present: &Session) -> bool {
    let other = parked.session();
    match present.parts_from(other) {
        Some(step) => other.end() > step,
        None => !present.is_same_program(other) || other.end() > present.end(),
    }
}

impl World {
    /// The runs that were left for another one and go elsewhere than the present one, the latest first, and what each was left
    /// by.
    pub(crate) fn other_runs(&self) -> Vec<(&'static str, &Parked)> {
        let places = self.deeds.places(self.walk.session.as_ref());
        places.into_iter().filter_map(|place| self.deeds.kept(place)).collect()
    }

    /// One of them, by its place among them.
    pub(crate) fn other_run_mut(&mut self, nth: usize) -> Option<&mut Parked> {
        let place = *self.deeds.places(self.walk.session.as_ref()).get(nth)?;
        self.deeds.kept_mut(place)
    }

    /// Takes one of them from the list.
    pub(crate) fn drop_run(&mut self, nth: usize) {
        if let Some(place) = self.deeds.places(self.walk.session.as_ref()).get(nth) {
            self.deeds.drop_run(*place);
        }
    }

    /// Goes to one of them; that the present one was left for it can be taken back.
    pub(crate) fn go_to_run(&mut self, nth: usize) -> bool {
        if self.walk.is_running() || self.walk.replay.is_some() {
            return false;
        }
        let Some(other) = self.other_runs().get(nth).map(|(_, parked)| (*parked).clone()) else { return false };
        let before = self.walk.park();
        // What is gone to is no other run any more.
        self.drop_run(nth);
        self.take_up(other);
        self.note_walk("going to another run", before);
        true
    }

    /// In which of its states a text is, when someone looked at it.
    fn text_state(&self, id: DocumentId) -> Option<u64> {
        Some(self.documents.get(id)?.editor()?.state())
    }

    /// Changes the stops in a way that can be taken back.
    pub(crate) fn change_stops(&mut self, change: impl FnOnce(&mut Vec<Stop>)) {
        let before = self.stops.list.clone();
        change(&mut self.stops.list);
        if before != self.stops.list {
            self.deeds.note(Deed::Stops(before));
        }
    }

    /// Notes that a command changed these texts, so that it can be taken back as one.
    pub(crate) fn note_texts(&mut self, documents: &[DocumentId]) {
        let texts = documents.iter().filter_map(|id| Some((*id, self.text_state(*id)?))).collect();
        self.deeds.note(Deed::Texts(texts));
    }

    /// The last command changed this text and others, and nothing was changed since.
    pub(crate) fn is_changed_together(&self, shown: DocumentId, again: bool) -> bool {
        self.deeds.texts_with(again, shown, |id| self.text_state(id))
    }

    /// Notes the walk as it was before it became another one; nothing when there was none.
    pub(crate) fn note_walk(&mut self, by: &'static str, before: Option<Parked>) {
        if let Some(parked) = before {
            self.deeds.note(Deed::Walk(by, Box::new(parked)));
        }
    }

    /// Takes back what was done by hand last, or does again what was taken back last.
    pub(crate) fn take_back(&mut self, again: bool) -> Taken {
        let deed = loop {
            let from = if again { &mut self.deeds.undone } else { &mut self.deeds.done };
            match from.pop() {
                None => return Taken::Nothing,
                Some(deed @ Deed::Walk(..)) if self.walk.is_running() || self.walk.replay.is_some() => {
                    from.push(deed);
                    return Taken::NotNow;
                }
                // Texts that were written in since have an undo of their own.
                Some(Deed::Texts(texts)) if texts.iter().any(|(id, was)| self.text_state(*id) != Some(*was)) => {}
                Some(deed) => break deed,
            }
        };
        let (taken, mirror) = match deed {
            Deed::Stops(stops) => (Taken::Stops, Deed::Stops(std::mem::replace(&mut self.stops.list, stops))),
            Deed::Texts(texts) => {
                let ids: Vec<DocumentId> = texts.iter().map(|(id, _)| *id).collect();
                let go = if again { Editor::redo } else { Editor::undo };
                let mut count = 0;
                for id in &ids {
                    let editor = self.documents.get_mut(*id).and_then(Document::editor_mut);
                    count += usize::from(editor.is_some_and(go));
                }
                let texts = ids.iter().filter_map(|id| Some((*id, self.text_state(*id)?))).collect();
                (Taken::Texts(count), Deed::Texts(texts))
            }
            Deed::Walk(by, parked) => match self.walk.park() {
                Some(now) => {
                    self.take_up(*parked);
                    (Taken::Walk(by), Deed::Walk(by, Box::new(now)))
                }
                None => return Taken::Nothing,
            },
        };
        let to = if again { &mut self.deeds.done } else { &mut self.deeds.undone };
        to.push(mirror);
        taken
    }
}
