//! What macros and repeats were unfolded to: one text for a unit, and where each piece of it came from.
//!
//! Unfolded lines are parsed like any others, so spans point into this text. [`Expansions::origin`] leads
//! back to what a person wrote. Pieces tile the text in order.

use crate::expr::Scope;
use wendax_source::{FileId, Span};

/// Where a piece of the text came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Origin {
    /// The body of a macro or repeat.
    Body,
    /// What was given for a parameter.
    Argument,
}

#[derive(Debug, Clone, Copy)]
pub struct Piece {
    /// First byte in the text.
    pub at: u32,
    pub origin: Origin,
    /// Where it was copied from, of the same length.
    pub from: Span,
}

/// One macro or round of a repeat, unfolded.
#[derive(Debug, Clone, Copy)]
pub struct Expansion {
    /// First byte in the text.
    pub at: u32,
    /// The name of the macro or `.repeat` where it is defined.
    pub definition: Span,
    /// What was unfolded.
    pub call: Span,
    /// The expansion the call stands in.
    pub parent: Option<u32>,
    /// Where a name with `@` is looked for that is not found in it; nowhere for macros.
    pub around: Option<Scope>,
}

/// A place in an unfolded text, led back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Led {
    pub origin: Origin,
    /// In a text a person wrote.
    pub span: Span,
}

#[derive(Debug)]
pub struct Expansions {
    /// The file the text is kept as.
    pub file: FileId,
    pub text: String,
    pub list: Vec<Expansion>,
    pieces: Vec<Piece>,
}

impl Expansions {
    pub fn new(file: FileId) -> Self {
        Self { file, text: String::new(), list: Vec::new(), pieces: Vec::new() }
    }

    /// Takes in a piece, which goes on where the text ends.
    pub fn push(&mut self, origin: Origin, from: Span, text: &str) {
        if text.is_empty() {
            return;
        }
        self.pieces.push(Piece { at: self.length(), origin, from });
        self.text.push_str(text);
    }

    pub fn length(&self) -> u32 {
        u32::try_from(self.text.len()).unwrap_or(u32::MAX)
    }

    fn piece(&self, at: u32) -> Option<&Piece> {
        self.pieces[..self.pieces.partition_point(|piece| piece.at <= at)].last()
    }

    /// The expansion that holds a place of the text.
    pub fn expansion_at(&self, at: u32) -> Option<u32> {
        let after = self.list.partition_point(|expansion| expansion.at <= at);
        u32::try_from(after).ok()?.checked_sub(1)
    }

    /// The expansion a name was written in: that of its text, or, for an argument, that of the call or
    /// none when a person wrote the call.
    pub fn writer(&self, mut span: Span) -> Option<u32> {
        while span.file == self.file {
            let piece = self.piece(span.start)?;
            if piece.origin == Origin::Body {
                return self.expansion_at(span.start);
            }
            span = Span { file: piece.from.file, ..shifted(piece, span) };
        }
        None
    }

    /// The chain of calls that led to a place, innermost first; the last stands in a text a person wrote.
    pub fn calls(&self, span: Span) -> Vec<&Expansion> {
        let mut chain = Vec::new();
        let mut at = if span.file == self.file { self.expansion_at(span.start) } else { None };
        while let Some(expansion) = at.and_then(|at| self.list.get(at as usize)) {
            chain.push(expansion);
            at = expansion.parent;
        }
        chain
    }

    /// Where a place of the text was written; `None` for places that are not of this text.
    pub fn origin(&self, span: Span) -> Option<Led> {
        if span.file != self.file {
            return None;
        }
        let mut led = Led { origin: Origin::Body, span };
        let mut first = true;
        while led.span.file == self.file {
            let piece = self.piece(led.span.start)?;
            if first || piece.origin == Origin::Argument {
                led.origin = piece.origin;
            }
            first = false;
            led.span = self.led_by(piece, led.span);
        }
        Some(led)
    }

    /// A span led back through the piece it begins in. When it ends in another piece of the same text
    /// further on, it reaches there; otherwise it ends with its first piece.
    fn led_by(&self, piece: &Piece, span: Span) -> Span {
        let start = shifted(piece, span);
        if start.end <= piece.from.end {
            return start;
        }
        let last = self.piece(span.end.saturating_sub(1).max(span.start));
        let end = last
            .filter(|last| last.origin == piece.origin && last.from.file == piece.from.file)
            .filter(|last| last.from.start >= piece.from.start)
            .map_or(piece.from.end, |last| last.from.start + (span.end - last.at));
        Span { end: end.max(start.start), ..start }
    }
}

/// A span moved to where its piece was copied from, however long it is.
fn shifted(piece: &Piece, span: Span) -> Span {
    let start = piece.from.start + (span.start - piece.at);
    Span { file: piece.from.file, start, end: start + (span.end - span.start) }
}
