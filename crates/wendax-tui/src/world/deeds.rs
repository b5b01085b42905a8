//! What was done by hand and can be taken back, and what was taken back and can be done again.
//!
//! A deed holds the other side of itself: the stops, the walk as they were before; taken back, it holds what they were
//! after. So doing again is the mirror of taking back, and nothing that lay ahead of a moment is gone for good.

use super::World;
use super::documents::{Document, DocumentId};
use super::editor::{Editor, LineShift};
use super::stops::{Stop, follow_line};
use super::walk::Parked;

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
        self.undone.clear();
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
        self.done.drain(..walk_too_many.map_or(0, |at| at + 1));
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
    }

    /// The texts that were changed, or taken back, together with this one, when that is what happened to them last.
    fn texts_with(&self, again: bool, shown: DocumentId, now: impl Fn(DocumentId) -> Option<u64>) -> bool {
        let list = if again { &self.undone } else { &self.done };
        let Some(Deed::Texts(texts)) = list.last() else { return false };
        texts.iter().any(|(id, _)| *id == shown) && texts.iter().all(|(id, state)| now(*id) == Some(*state))
    }
}

impl World {
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
