//! The diagnostics found so far.

use crate::codes::CodeInfo;
use wendax_source::{Diagnostic, Span};

/// So many are kept; a text that is no assembly at all would otherwise give one a character.
const MOST: usize = 2000;

#[derive(Debug, Default)]
pub(crate) struct Problems {
    found: Vec<Diagnostic>,
}

impl Problems {
    /// Nothing was found.
    pub(crate) fn is_empty(&self) -> bool {
        self.found.is_empty()
    }

    /// Takes in a diagnostic.
    pub(crate) fn push(&mut self, diagnostic: Diagnostic) {
        if self.found.len() < MOST {
            self.found.push(diagnostic);
        }
    }

    /// Something has been found on this very place already: one cause gives one problem.
    pub(crate) fn has(&self, span: Span) -> bool {
        self.found.iter().rev().take(8).any(|known| known.primary.span == span)
    }

    /// All of them, in order of place.
    pub(crate) fn finish(mut self) -> Vec<Diagnostic> {
        self.found.sort_by_key(|diagnostic| (diagnostic.primary.span.start, diagnostic.severity));
        self.found
    }
}

/// A diagnostic of a kind.
pub(crate) fn diagnostic(info: CodeInfo, span: Span, message: impl Into<String>) -> Diagnostic {
    Diagnostic::new(info.code, info.severity, span, message)
}
