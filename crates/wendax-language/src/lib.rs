//! The language of sources: its signs, words and tables, and what serves those who write, read or ask in it.
//!
//! `lexer` cuts a line into tokens; `syntax` says what differs between the machines, `rv32` has the words that are that
//! machine's alone, `directives` and `mnemonics` the others; `expr` are expressions, `codes` and `problems` what is told of
//! sources, `dialect` what people bring along from elsewhere. On these the assembler (`wendax-asm`) is built, and
//! services: [`guide()`], [`format()`], what may be written at a place ([`offers()`]), names by where they stand
//! ([`Written`]), and values that are asked of a run ([`ValueExpression`]).
//!
//! Nothing here assembles, runs or opens files. What is hidden in these pages is for the assembler.

mod cautions;
#[doc(hidden)]
pub mod codes;
mod completion;
#[doc(hidden)]
pub mod dialect;
#[doc(hidden)]
pub mod directives;
#[doc(hidden)]
pub mod expansion;
#[doc(hidden)]
pub mod expr;
mod format;
mod guide;
#[doc(hidden)]
pub mod lexer;
#[doc(hidden)]
pub mod mnemonics;
mod names;
#[doc(hidden)]
pub mod problems;
#[doc(hidden)]
pub mod rv32;
#[doc(hidden)]
pub mod syntax;
mod values;

pub use cautions::{CAUTIONS, CautionInfo, CautionKind, cautions_document};
pub use codes::{CODES, CodeInfo, UNREADABLE, code_info, problems_document};
pub use completion::{Offer, Offers, offers, operand_help};
pub use directives::{DIRECTIVES, DirectiveInfo};
pub use format::{COMMENTS, format};
pub use guide::{GuideEntry, code_apart, guide, guide_document, guide_nearest, guide_other_words, guide_words};
pub use lexer::{Lexeme, comment_column, lexemes, other_form};
pub use mnemonics::mnemonics;
pub use names::{Occurrence, RenameError, Written};
pub use syntax::machine_of;
pub use values::{BoundValue, Hangs, Moment, Named, Rest, Scope, Typed, ValueError, ValueExpression, Width, load};
