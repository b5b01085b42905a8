//! Tokens to statements and names.
//!
//! Every line is taken for itself: a problem ends its line, never the next. Names are collected on the
//! way and looked up when all are known. Functions named `opt_` may find nothing and say nothing; the
//! others report what they miss and return `None`, which drops the line.
//!
//! `reader` feeds the lines: it follows conditions, includes, macros and repeats, `unfold` makes the lines
//! of the latter two.

mod block;
mod expression;
mod files;
mod foreign;
mod lookup;
mod operands;
mod reader;
mod unfold;

pub(crate) use lookup::{MOST_NEAR, SEARCHED};
pub(crate) use operands::listed;

use crate::codes;
use crate::dialect::{OtherDirective, call_for, other_directive, other_instruction};
use crate::directives::{DIRECTIVES, Directive};
use crate::expr::{Expr, Scope, Step, SymbolId};
use crate::lexer::{Kind, Mark, Token, unescape};
use crate::mnemonics::mnemonic;
use crate::problems::{diagnostic, quoted};
use crate::syntax::{Syntax, said};
use crate::texts::{Texts, Used};
use crate::unit::{Claim, Definition, Name, Section, SectionId, SectionKind, Statement, Unit, What};
use block::Block;
use reader::Condition;
use rustc_hash::{FxHashMap, FxHashSet};
use std::rc::Rc;
use std::sync::Arc;
use typed_arena::Arena;
use unfold::Macro;
use wendax_isa::w16::{TARGET, call_by_name};
use wendax_source::{Diagnostic, Edit, FileId, Files, Grade, Span, nearest};

/// Parses a text, which is in `texts` already; tells what it was made from.
pub(crate) fn parse(texts: &mut Texts, file: FileId, files: &dyn Files, syntax: Syntax) -> (Unit, Used) {
    let arena = Arena::new();
    let unfolded = texts.unfolded(file);
    let text: &str = arena.alloc(texts.sources.file(file).shared_text());
    let mut parser = Parser::new(&arena, texts, files, Unit::new(syntax, file, unfolded));
    // About one name and two steps for so many bytes: growing by moving is what costs.
    parser.unit.steps.reserve(text.len() / 32);
    parser.unit.names.reserve(text.len() / 128);
    parser.unit.spellings.reserve(text.len() / 128);
    let name = parser.texts.sources.file(file).name().to_owned();
    parser.used.texts.push((name, parser.texts.sources.file(file).shared_text()));
    parser.block = Block { file, base: 0, text, expansion: None };
    parser.read(parser.block);
    lookup::resolve(&mut parser);
    parser.compare_digits();
    parser.drop_followers();
    parser.tell_of_other_machine();
    parser.unit.find_ends();
    parser.unit.fix_constants();
    parser.unit.included = parser.used.texts.iter().skip(1).map(|(path, _)| path.clone()).collect();
    parser.unit.macros = parser.macros.keys().map(|name| (*name).to_owned()).collect();
    parser.unit.macros.sort_unstable();
    let (unit, used) = (parser.unit, parser.used);
    let text = wendax_source::SourceFile::new(
        format!("{}, unfolded", texts.sources.file(file).name()),
        unit.expansions.text.as_str(),
    );
    texts.sources.replace(unfolded, text);
    (unit, used)
}

/// The directive that says which machine a source is for.
const TARGET_WORD: &str = ".target";

/// Words that mean something in expressions.
const WORDS: [(&str, &str); 6] = [
    ("fl", "the flags"),
    ("here", "the present address"),
    ("hi", "a byte of a word"),
    ("lo", "a byte of a word"),
    ("sizeof", "the size of data"),
    ("defined", "whether a name is defined"),
];

/// What a name in the place of a definition means already, if anything.
fn meaning_of(syntax: Syntax, name: &str) -> Option<&'static str> {
    if syntax.register(name).is_some() {
        return Some("a register");
    }
    if name == "." && syntax.in_name(b'.') {
        return Some("the present address");
    }
    let has_flags = !syntax.target().flags.is_empty();
    let words = WORDS.iter().filter(|(word, _)| has_flags || *word != "fl");
    words.filter(|(word, _)| word.eq_ignore_ascii_case(name)).map(|(_, meaning)| *meaning).next()
}

/// A directive of others, with what can stand in its place.
fn with_directive(found: Diagnostic, span: Span, other: &OtherDirective) -> Diagnostic {
    let Some(instead) = other.instead else { return found };
    let grade = if other.is_same { Grade::Certain } else { Grade::Guess };
    let edits = vec![Edit { span, text: instead.to_owned() }];
    found.with_change(grade, format!("here it is `{instead}`"), edits)
}

/// Whether a NUL stands behind each text of a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Text {
    Plain,
    Ended,
}

/// The last label of a number, and the steps that mean the next one, each with where it stands.
type NumberedLabel = (Option<SymbolId>, Vec<(usize, Span)>);

pub(crate) struct Parser<'a> {
    /// Keeps the texts of included files and unfolded lines while parsing.
    arena: &'a Arena<Arc<str>>,
    texts: &'a mut Texts,
    files: &'a dyn Files,
    used: Used,
    pub(crate) unit: Unit,
    pub(crate) section: SectionId,
    /// The last plain label, which local ones belong to.
    scope: Option<SymbolId>,
    pub(crate) plain: FxHashMap<&'a str, SymbolId>,
    local: FxHashMap<(Scope, &'a str), SymbolId>,
    macros: FxHashMap<&'a str, Rc<Macro<'a>>>,
    /// Names of the macros that a text defines, wherever it does, with the text.
    macros_of: Option<(&'a str, FxHashSet<&'a str>)>,
    /// Names said to be known to other files.
    pub(crate) globals: Vec<Span>,
    /// Constants that `.let` gives anew, with their present value.
    present: FxHashMap<&'a str, i64>,
    /// Names about which something was told where they should be defined: their uses have that cause.
    told: FxHashSet<&'a str>,
    /// Mnemonics that a near one was looked for.
    searched: usize,
    /// The section is another one than the text wanted, which was told.
    is_wrong_section: bool,
    /// Names that stand where a label would, without a colon, and what they were defined as.
    bare_labels: Vec<(Span, Option<SymbolId>)>,
    /// Where in `steps` names stand that are operands of `sys`, in rising order.
    pub(crate) calls: Vec<usize>,
    /// Texts by the file they are of.
    real: Vec<(FileId, &'a str)>,
    /// Unfolded texts by where they begin.
    made: Vec<(u32, &'a str)>,
    /// The lines being read.
    block: Block<'a>,
    conditions: Vec<Condition>,
    /// Files being included, each with where.
    includes: Vec<(FileId, Span)>,
    /// Where files were included, all of them, and whether it was told that this is a second time.
    included_at: Vec<(FileId, Span, bool)>,
    /// Blocks within blocks.
    nesting: u32,
    /// Nothing further is unfolded: it grew beyond all bounds, which was reported.
    is_stopped: bool,
    /// Something is missing that would define names: unknown ones have that cause.
    is_partial: bool,
    /// Bytes of included files.
    included: usize,
    /// What is being unfolded, in a text a person wrote, and its line.
    site: Option<(Span, u32)>,
    /// Labels that are numbers: the last of each, and the steps that mean the next one, with where they stand.
    numbered: FxHashMap<&'a str, NumberedLabel>,
    /// Lines that begin with an instruction of another machine: how many, and the first of them; and how many begin with one
    /// of this machine.
    strangers: (u32, Option<Span>),
    natives: u32,
    /// Lines up to the next section are of no program.
    pub(crate) passes_over: bool,
    /// Decimal numbers of three and more digits, in order.
    decimals: Vec<(&'a str, Span)>,
    /// Hexadecimal ones made of decimal digits, where each first stood.
    hexadecimals: FxHashMap<&'a str, Span>,
    pub(crate) tokens: Vec<Token>,
    pub(crate) at: usize,
    line: u32,
    /// Where the line's tokens end.
    pub(crate) line_end: u32,
    depth: u32,
}

impl<'a> Parser<'a> {
    fn new(arena: &'a Arena<Arc<str>>, texts: &'a mut Texts, files: &'a dyn Files, unit: Unit) -> Self {
        let block = Block { file: unit.file, base: 0, text: "", expansion: None };
        Self {
            arena,
            texts,
            files,
            used: Used::default(),
            unit,
            section: SectionId::CODE,
            scope: None,
            plain: FxHashMap::default(),
            local: FxHashMap::default(),
            macros: FxHashMap::default(),
            macros_of: None,
            globals: Vec::new(),
            present: FxHashMap::default(),
            told: FxHashSet::default(),
            searched: 0,
            is_wrong_section: false,
            bare_labels: Vec::new(),
            calls: Vec::new(),
            real: Vec::new(),
            made: Vec::new(),
            block,
            conditions: Vec::new(),
            includes: Vec::new(),
            included_at: Vec::new(),
            nesting: 0,
            is_stopped: false,
            is_partial: false,
            included: 0,
            site: None,
            numbered: FxHashMap::default(),
            strangers: (0, None),
            natives: 0,
            passes_over: false,
            decimals: Vec::new(),
            hexadecimals: FxHashMap::default(),
            tokens: Vec::new(),
            at: 0,
            line: 0,
            line_end: 0,
            depth: 0,
        }
    }

    /// The number of a register.
    pub(crate) fn register(&self, name: &str) -> Option<u8> {
        self.unit.syntax.register(name)
    }

    // ---- the cursor

    pub(crate) fn peek(&self) -> Option<Token> {
        self.tokens.get(self.at).copied()
    }

    pub(crate) fn at_mark(&self, mark: Mark) -> bool {
        self.peek().is_some_and(|token| token.kind == Kind::Mark(mark))
    }

    pub(crate) fn bump(&mut self) -> Option<Token> {
        let token = self.peek()?;
        self.at += 1;
        Some(token)
    }

    pub(crate) fn eat(&mut self, mark: Mark) -> Option<Token> {
        if self.at_mark(mark) { self.bump() } else { None }
    }

    pub(crate) fn span(&self, token: Token) -> Span {
        Span { file: self.block.file, start: token.start, end: token.end }
    }

    /// Right behind the last token taken.
    pub(crate) fn behind(&self) -> Span {
        let end = self.at.checked_sub(1).and_then(|at| self.tokens.get(at)).map_or(self.line_end, |token| token.end);
        Span { file: self.block.file, start: end, end }
    }

    pub(crate) fn spelling(&self, span: Span) -> &'a str {
        let (base, text) = if span.file == self.block.file && span.start >= self.block.base {
            (self.block.base, self.block.text)
        } else {
            self.text_with(span)
        };
        text.get((span.start - base) as usize..(span.end - base) as usize).unwrap_or_default()
    }

    /// The text that holds a span, and where in its file it begins.
    fn text_with(&self, span: Span) -> (u32, &'a str) {
        if span.file == self.unit.expansions.file {
            let after = self.made.partition_point(|(base, _)| *base <= span.start);
            return self.made[..after].last().copied().unwrap_or((span.start, ""));
        }
        let text = self.real.iter().find(|(file, _)| *file == span.file).map_or("", |(_, text)| text);
        (0, text)
    }

    pub(crate) fn report(&mut self, found: Diagnostic) {
        self.unit.problems.push(found);
    }

    /// A name that begins with a digit is told where it is defined; where it is used, its digits are no cause of their own.
    fn drop_followers(&mut self) {
        if self.told.is_empty() {
            return;
        }
        let mut problems = std::mem::take(&mut self.unit.problems);
        problems.retain(|found| {
            let is_number = found.code == codes::NUMBER.code && !found.message.contains("no name");
            !is_number || !self.told.contains(self.spelling(found.primary.span))
        });
        self.unit.problems = problems;
    }

    /// A source in which most instructions are those of another machine is told as that, and as nothing else.
    fn tell_of_other_machine(&mut self) {
        const LEAST: u32 = 3;
        let (count, Some(first)) = self.strangers else { return };
        if count < LEAST || count <= self.natives {
            return;
        }
        let here = self.unit.syntax;
        let other = if here == Syntax::W16 { Syntax::Rv32 } else { Syntax::W16 };
        let (here, other) = (here.target().name, other.target().name);
        let message = format!("this reads as a source for {other}, and it is assembled for {here}");
        let found = diagnostic(codes::MACHINE, first, message);
        let line = format!(".target {}", other.to_ascii_lowercase());
        let text = self.text_with(Span { file: self.unit.file, start: 0, end: 0 }).1;
        let found = if said(text).is_none() && first.file == self.unit.file {
            let start = u32::try_from(text.len() - text.trim_start_matches('\u{feff}').len()).unwrap_or(0);
            let place = Span { file: self.unit.file, start, end: start };
            let edits = vec![Edit { span: place, text: format!("        {line}\n") }];
            found.with_change(Grade::Guess, format!("begin the source with `{line}`"), edits)
        } else {
            found.with_expected(format!("instructions of {here}, or `{line}` in the first line"))
        };
        self.unit.problems.truncate(0);
        self.unit.trusted.clear();
        self.unit.unknown.clear();
        self.report(found);
        // Names that nothing defines are no second matter.
        for name in &mut self.unit.names {
            name.used = name.used.filter(|_| !matches!(name.definition, Definition::Extern));
        }
    }

    // ---- lines

    /// Takes in the line whose tokens were just read.
    fn line(&mut self, number: u32) {
        (self.at, self.line, self.depth) = (0, number, 0);
        self.line_end = self.tokens.last().map_or(0, |token| token.end);
        if self.passes_over && !self.opens_section() {
            return;
        }
        while self.opt_label() {}
        let Some(first) = self.peek() else { return };
        let span = self.span(first);
        if self.is_other_form(span) {
            return;
        }
        let done = match first.kind {
            Kind::Directive => self.directive(span),
            Kind::Name => self.instruction(span),
            Kind::Bad => {
                self.bad_start();
                None
            }
            Kind::Local => self.missing_colon(span),
            Kind::Number(_) | Kind::Numbered | Kind::Char(_) | Kind::Text | Kind::Mark(_) => {
                let found = diagnostic(
                    codes::UNKNOWN_MNEMONIC,
                    span,
                    "a line begins with a label, an instruction or a directive",
                );
                let example = match self.unit.syntax {
                    Syntax::W16 => "name:  mov r0, 1  ; comment",
                    Syntax::Rv32 => "name:  li a0, 1  # remark",
                };
                self.report(found.with_expected(example));
                None
            }
        };
        if done.is_some() {
            self.end_of_line();
        }
    }

    /// The line goes to another section, which ends what is passed over.
    fn opens_section(&mut self) -> bool {
        const WORDS: [&str; 6] = [".section", ".text", ".code", ".data", ".rodata", ".bss"];
        let word = self.peek().map(|token| self.spelling(self.span(token)));
        let opens = word.is_some_and(|word| WORDS.iter().any(|known| word.eq_ignore_ascii_case(known)));
        self.passes_over &= !opens;
        opens
    }

    fn end_of_line(&mut self) {
        let Some(extra) = self.peek().filter(|token| token.kind != Kind::Bad) else { return };
        let whole = self.span(extra).to(Span { end: self.line_end, ..self.span(extra) });
        let what = quoted(self.spelling(whole));
        let found = diagnostic(codes::EXTRA, whole, format!("`{what}` is left over at the end of the line"));
        self.report(found.with_expected("one instruction or directive a line; a comment begins with `;`"));
    }

    /// `name:` or `@name:`, if the line goes on with one.
    fn opt_label(&mut self) -> bool {
        let syntax = self.unit.syntax;
        let may_be = |token: &Token| match token.kind {
            Kind::Name | Kind::Local => true,
            Kind::Directive => syntax.in_name(b'.'),
            Kind::Number(_) => syntax.has_numbered_labels(),
            Kind::Text => syntax.in_name(b'.'),
            _ => false,
        };
        let Some(first) = self.peek().filter(may_be) else {
            return false;
        };
        let next = |by: usize| self.tokens.get(self.at + by).map(|token| token.kind);
        // `r0 := 5` is no label, and told as a whole.
        let is_assignment =
            next(2) == Some(Kind::Mark(Mark::Equals)) && self.register(self.spelling(self.span(first))).is_some();
        if next(1) != Some(Kind::Mark(Mark::Colon)) || is_assignment {
            return false;
        }
        self.at += 2;
        match first.kind {
            Kind::Number(_) => self.define_numbered(self.span(first)),
            _ => self.define_label(self.span(first), first.kind == Kind::Local),
        }
        true
    }

    /// `1:`.
    fn define_numbered(&mut self, span: Span) {
        let definition = Definition::Label { section: self.section, statement: self.statement_count() };
        let id = SymbolId(u32::try_from(self.unit.names.len()).unwrap_or(u32::MAX));
        self.unit.names.push(Name { span, owner: Scope::Numbered, definition, used: None, global: None });
        let digits = self.spelling(span);
        self.unit.spellings.push(digits.to_owned());
        let ahead = self.numbered.insert(digits, (Some(id), Vec::new())).map_or(Vec::new(), |(_, ahead)| ahead);
        for (step, used) in ahead {
            self.unit.names[id.0 as usize].used.get_or_insert(used);
            self.unit.steps[step] = Step::Symbol(id);
        }
    }

    /// How many statements the present section has.
    fn statement_count(&self) -> u32 {
        u32::try_from(self.unit.section(self.section).statements.len()).unwrap_or(u32::MAX)
    }

    /// What a name with `@` that stands here is private to.
    fn scope_of(&self, span: Span) -> Scope {
        let writer = self.block.expansion.and_then(|_| self.unit.expansions.writer(span));
        match (writer, self.scope) {
            (Some(expansion), _) => Scope::Expansion(expansion),
            (None, Some(label)) => Scope::Label(label),
            (None, None) => Scope::Unit,
        }
    }

    /// The body of a macro says it, not who called the macro, and not a repeat, which stands in its place.
    fn is_of_macro(&self, span: Span) -> bool {
        let mut writer = self.block.expansion.and_then(|_| self.unit.expansions.writer(span));
        while let Some(expansion) = writer.and_then(|number| self.unit.expansions.list.get(number as usize)) {
            match expansion.around {
                Some(Scope::Expansion(around)) => writer = Some(around),
                Some(_) => return false,
                None => return true,
            }
        }
        false
    }

    pub(crate) fn define_label(&mut self, span: Span, local: bool) {
        let definition = Definition::Label { section: self.section, statement: self.statement_count() };
        let owner = if local { self.scope_of(span) } else { Scope::Unit };
        if !local {
            // The scope changes even when the name is refused, so that its local labels find an owner. A macro's own
            // labels leave it: who calls it need not know them.
            let id = self.define(span, Scope::Unit, definition);
            self.scope = id.filter(|_| !self.is_of_macro(span)).or(self.scope);
        } else if owner != Scope::Unit {
            self.define(span, owner, definition);
        } else {
            let found = diagnostic(
                codes::NO_SCOPE,
                span,
                "a local label belongs to the plain label above it, and there is none",
            );
            let name = &self.spelling(span)[1..];
            self.report(found.with_guess(format!("make it a plain label, `{name}`"), span, name));
        }
    }

    /// Takes in a name, unless it is one already or reserved.
    fn define(&mut self, span: Span, owner: Scope, definition: Definition) -> Option<SymbolId> {
        let name = self.spelling(span);
        if let Some(meaning) = meaning_of(self.unit.syntax, name) {
            let found = diagnostic(codes::RESERVED, span, format!("`{name}` is {meaning} and cannot be defined"));
            self.report(found.with_expected("a name of its own, such as `total` or `next_axle`"));
            return None;
        }
        let id = SymbolId(u32::try_from(self.unit.names.len()).unwrap_or(u32::MAX));
        let known = match owner {
            Scope::Unit => *self.plain.entry(name).or_insert(id),
            owner => *self.local.entry((owner, name)).or_insert(id),
        };
        if known != id {
            let first = self.unit.name(known).span;
            if matches!(definition, Definition::Extern)
                && matches!(self.unit.name(known).definition, Definition::Extern)
            {
                // Saying twice that it is elsewhere is no contradiction.
                return Some(known);
            }
            if first == span && self.is_included_twice(span) {
                return Some(known);
            }
            let found = diagnostic(codes::TWICE, span, format!("`{name}` is defined a second time"));
            let mut found = found.with_label("again here").with_other(first, "first here");
            let same = name == self.spelling(first);
            if span.file == self.unit.expansions.file && matches!(definition, Definition::Label { .. }) {
                found = found.with_expected(format!("`@{name}` in a macro or repeat: each unfolding has its own"));
            } else if same {
                found = found.with_expected("a name of its own for one of them");
            }
            self.report(found);
            return Some(known);
        }
        self.unit.names.push(Name { span, owner, definition, used: None, global: None });
        let spelling = match owner {
            Scope::Label(owner) => format!("{}{name}", self.unit.spelling(owner)),
            Scope::Expansion(number) => {
                let definition = self.unit.expansions.list.get(number as usize).map(|expansion| expansion.definition);
                format!("{}.{number}{name}", definition.map_or("", |span| self.spelling(span)).trim_start_matches('.'))
            }
            Scope::Unit | Scope::Numbered => name.to_owned(),
        };
        self.unit.spellings.push(spelling);
        Some(id)
    }

    pub(crate) fn push(&mut self, what: What, from: Span) {
        let whole = from.to(self.behind());
        let (span, line, unfolded) = match self.site {
            Some((span, line)) => (span, line, Some(whole)),
            None => (whole, self.line, None),
        };
        let kind = self.unit.section(self.section).kind;
        let what = match what {
            // Room reads 0 anyhow.
            What::Align { to, fill: Some(fill) }
                if kind == SectionKind::Zeroed && matches!(self.unit.steps(fill), [Step::Number(0)]) =>
            {
                What::Align { to, fill: None }
            }
            what => what,
        };
        let is_room = matches!(what, What::Space { fill: None, .. } | What::Align { fill: None, .. } | What::Org(_));
        if kind == SectionKind::Zeroed && !is_room {
            let found = diagnostic(codes::OPERANDS, whole, "a zeroed section holds only room: it is not kept in files");
            self.report(found.with_expected(".space n, or the line in a data section"));
            return;
        }
        let statement = Statement { what, span, line, unfolded };
        self.unit.sections[self.section.0 as usize].statements.push(statement);
    }

    // ---- instructions

    fn instruction(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        if !self.unit.syntax.is_mnemonic(name) {
            return if let Some(found) = self.macros.get(name) {
                self.call_macro(&Rc::clone(found), span)
            } else {
                let others = [Syntax::W16, Syntax::Rv32].into_iter().filter(|other| *other != self.unit.syntax);
                if others.into_iter().any(|other| other.is_mnemonic(name)) {
                    self.strangers = (self.strangers.0 + 1, self.strangers.1.or(Some(span)));
                }
                self.unknown_start(span)
            };
        }
        self.natives += 1;
        self.bump();
        let what = match self.unit.syntax {
            Syntax::Rv32 => What::Rv32(self.rv32_instruction(span)?),
            Syntax::W16 => {
                let operands = self.operands()?;
                self.choose(mnemonic(name)?, span, &operands)?
            }
        };
        let section = self.unit.section(self.section);
        if section.kind != SectionKind::Code && self.is_wrong_section {
            return None;
        }
        if section.kind != SectionKind::Code {
            let found = diagnostic(
                codes::OPERANDS,
                span,
                format!("`{name}` stands in `.{}`, where nothing can be run", section.name),
            );
            self.report(found.with_expected("instructions after `.code`"));
            return None;
        }
        self.push(what, span);
        Some(())
    }

    /// A line that begins with a name that is no instruction: a label without its colon, or a misspelling.
    /// The mnemonic or macro that was probably meant. Who has very many unknown ones wrote no assembly.
    fn near_start(&mut self, name: &str) -> Option<&'a str> {
        const MOST: usize = 1000;
        if self.searched == MOST {
            return None;
        }
        self.searched += 1;
        let mut macros: Vec<&'a str> = self.macros.values().map(|known| known.name).collect();
        macros.sort_unstable();
        nearest(name, self.unit.syntax.mnemonics().iter().map(|(name, _)| *name).chain(macros))
    }

    fn unknown_start(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        let near = self.near_start(name);
        let next = self.tokens.get(self.at + 1).copied();
        let next_word = next.map(|token| self.spelling(self.span(token)));
        let before_statement = next.is_some_and(|token| token.kind == Kind::Directive)
            || next_word.is_some_and(|word| self.unit.syntax.is_mnemonic(word));
        let into = (span.start - self.block.base) as usize;
        let at_margin = into == 0 || self.block.text.as_bytes().get(into - 1) == Some(&b'\n');
        let gives_value = |word: &str| ["=", "equ", ".equ"].iter().any(|known| word.eq_ignore_ascii_case(known));
        if next_word.is_some_and(gives_value) {
            return self.equ_of_another_dialect(span);
        }
        let holds_data = |other: &&OtherDirective| {
            other.instead.is_some_and(|instead| [".byte", ".word", ".asciz", ".space"].contains(&instead))
        };
        if let Some(other) = next_word.and_then(other_directive).filter(holds_data)
            && next.is_some_and(|next| next.kind == Kind::Name)
        {
            return self.data_with_a_name(span, other);
        }
        if self.unit.syntax == Syntax::Rv32 {
            return self.rv32_start(span, near, (next.is_none(), at_margin, before_statement));
        }
        let ours = other_instruction(name);
        let call = call_by_name(&name.to_ascii_lowercase()).or_else(|| call_for(name).and_then(call_by_name));
        if before_statement || next.is_none() && ours.is_none() && call.is_none() && (at_margin || near.is_none()) {
            return self.missing_colon(span);
        }
        if let (Some(second), Some(Kind::Mark(Mark::Colon))) =
            (next.filter(|next| next.kind == Kind::Name), self.tokens.get(self.at + 2).map(|token| token.kind))
        {
            let whole = span.to(self.span(second));
            let found = diagnostic(codes::STRAY, whole, "a name has no blank in it");
            let right = format!("{name}_{}", next_word.unwrap_or_default());
            self.report(found.with_guess(format!("write `{right}`"), whole, right));
            self.told.extend([name, self.spelling(self.span(second))]);
            return None;
        }
        let mut found = diagnostic(codes::UNKNOWN_MNEMONIC, span, format!("`{name}` is no instruction"));
        if let Some(dotted) = self.unit.syntax.directive(&format!(".{name}")) {
            let closes = matches!(dotted.directive, Directive::EndIf | Directive::Else);
            found = if dotted.directive.is_block() && !closes {
                let right = "cmp and a jump such as jeq, while the program runs";
                found.with_expected(right).with_expected(format!("{}  while it is assembled", dotted.form))
            } else {
                found.with_fix(format!("it is a directive: `{}`", dotted.name), span, dotted.name)
            };
            if closes {
                self.turn_condition(dotted.directive, span);
            }
        } else if let Some(call) = call {
            let what =
                diagnostic(codes::UNKNOWN_MNEMONIC, span, format!("`{name}` is no instruction, but a system call"));
            let right = format!("sys {}", call.name);
            found = if next.is_none() {
                what.with_guess(format!("write `{right}`"), span, right)
            } else {
                let takes = call
                    .takes
                    .iter()
                    .map(|(register, what)| format!("{} is its {what}", TARGET.register_name(*register)));
                let takes: Vec<String> = takes.collect();
                what.with_expected(format!("{right}, before which {}", takes.join(", ")))
            };
        } else if let Some(other) = other_directive(name).filter(|_| ours.is_none()) {
            found = found.with_expected(other.form);
            found = with_directive(found, span, other);
        } else if let Some(ours) = ours {
            // Where what stands behind it does not fit, the word alone leads nowhere.
            let is_register = next_word.is_some_and(|word| self.register(word).is_some());
            found = match ours {
                "djnz" if !is_register => {
                    found.with_expected("djnz r1, label: counts r1 down, and goes on while it is not 0")
                }
                "sys" if next.is_none() => found.with_expected("sys and the name of a call, such as sys put_text"),
                "mod" | "div" | "mul" if !is_register => found.with_expected(format!("{ours} d, s")),
                ours => found.with_guess(format!("here it is `{ours}`"), span, ours),
            };
        } else if let Some(near) = near {
            found = found.with_guess(format!("did you mean `{near}`?"), span, near);
        } else {
            found = found.with_expected("an instruction of the table, such as mov, add, ldw, stw, cmp, jz, call");
        }
        self.report(found);
        None
    }

    /// The rest of [`Self::unknown_start`] for RV32.
    fn rv32_start(
        &mut self,
        span: Span,
        near: Option<&str>,
        (is_alone, at_margin, before): (bool, bool, bool),
    ) -> Option<()> {
        let name = self.spelling(span);
        let elsewhere = self.rv32_unknown(span);
        let near = self.nearest_rv32(name).or(near);
        let found = diagnostic(codes::UNKNOWN_MNEMONIC, span, format!("`{name}` is no instruction"));
        let own = wendax_isa::rv32::CALLS.iter().find(|call| call.is_own && call.name.eq_ignore_ascii_case(name));
        if before || is_alone && elsewhere.is_none() && own.is_none() && (at_margin || near.is_none()) {
            return self.missing_colon(span);
        }
        self.report(match (elsewhere, self.unit.syntax.directive(&format!(".{name}")), own, near) {
            (Some(found), ..) => found,
            (None, Some(dotted), ..) => found.with_fix(format!("it is a directive: `.{name}`"), span, dotted.name),
            (None, None, Some(call), _) => {
                let right = format!("sys {}", call.name);
                let message = format!("`{name}` is no instruction, but a system call");
                Diagnostic { message, ..found }.with_guess(format!("write `{right}`"), span, right)
            }
            (None, None, None, Some(near)) => found.with_guess(format!("did you mean `{near}`?"), span, near),
            _ => found.with_expected("an instruction of the table, such as li, addi, lw, sw, beq, j, call"),
        });
        None
    }

    /// `x dw 5`: data with its name before it, without a colon.
    fn data_with_a_name(&mut self, span: Span, other: &OtherDirective) -> Option<()> {
        let name = self.spelling(span);
        let word = self.span(*self.tokens.get(self.at + 1)?);
        self.told.insert(name);
        let found = diagnostic(codes::UNKNOWN_MNEMONIC, span, format!("`{name}` is no instruction"));
        let found = found.with_expected(format!("{name}: {}", other.form));
        self.report(match other.instead {
            Some(instead) => {
                let right = format!("{name}: {instead}");
                found.with_guess(format!("write `{right}`"), span.to(word), right)
            }
            None => found,
        });
        None
    }

    /// What lines look like that are right elsewhere and can only be told as a whole.
    fn is_other_form(&mut self, span: Span) -> bool {
        self.assignment(span) || self.dashed_label() || self.dotted_label(span) || self.stray_braces()
    }

    /// `r0 = 5`, `r0 := r1`: a register gets its value by an instruction.
    fn assignment(&mut self, span: Span) -> bool {
        let kind = |by: usize| self.tokens.get(self.at + by).map(|token| token.kind);
        let length = match (kind(1), kind(2)) {
            (Some(Kind::Mark(Mark::Equals)), _) => 2,
            (Some(Kind::Mark(Mark::Colon)), Some(Kind::Mark(Mark::Equals))) => 3,
            _ => return false,
        };
        if self.register(self.spelling(span)).is_none() {
            return false;
        }
        let whole = Span { end: self.line_end, ..span };
        let found = diagnostic(codes::UNKNOWN_MNEMONIC, whole, "a register gets a value by an instruction");
        let value = self
            .tokens
            .get(self.at + length)
            .map(|token| self.spelling(Span { end: self.line_end, ..self.span(*token) }));
        self.report(match value {
            Some(value) => {
                let right = format!("mov {}, {value}", self.spelling(span));
                found.with_guess(format!("write `{right}`"), whole, right)
            }
            None => found.with_expected("mov d, s"),
        });
        true
    }

    /// `my-loop:`.
    fn dashed_label(&mut self) -> bool {
        let rest = &self.tokens[self.at..];
        let is_colon = |token: &Token| token.kind == Kind::Mark(Mark::Colon);
        let Some(length) = rest.iter().position(is_colon).filter(|length| *length >= 3) else { return false };
        let parts = &rest[..length];
        let joined = parts.windows(2).all(|pair| pair[0].end == pair[1].start);
        let alternate = parts.iter().enumerate().all(|(index, token)| match index % 2 {
            0 => token.kind == Kind::Name,
            _ => token.kind == Kind::Mark(Mark::Minus),
        });
        if !joined || !alternate || length.is_multiple_of(2) {
            return false;
        }
        let words: Vec<&'a str> = parts.iter().step_by(2).map(|token| self.spelling(self.span(*token))).collect();
        let whole = self.span(parts[0]).to(self.span(parts[length - 1]));
        let name = self.spelling(whole);
        let found = diagnostic(codes::STRAY, whole, format!("`{name}` is no name: `-` is not allowed in one"));
        self.report(found.with_expected(format!("letters, digits and `_`: {}", words.join("_"))));
        self.told.extend(words);
        true
    }

    /// `.loop:`.
    fn dotted_label(&mut self, span: Span) -> bool {
        let is_label = self.peek().is_some_and(|token| token.kind == Kind::Directive)
            && self.tokens.get(self.at + 1).is_some_and(|next| next.kind == Kind::Mark(Mark::Colon));
        let name = self.spelling(span);
        if is_label {
            // A local label belongs to a plain one above it.
            let mark = if self.scope.is_some() { "@" } else { "" };
            let right = format!("{mark}{}", &name[1..]);
            let found =
                diagnostic(codes::UNKNOWN_DIRECTIVE, span, format!("`{name}` is no label: local ones begin with `@`"));
            self.report(found.with_guess(format!("write `{right}`"), span, right));
            self.told.insert(name);
        }
        is_label
    }

    /// Braces where nothing is unfolded and nothing is given to a macro.
    fn stray_braces(&mut self) -> bool {
        let is_brace = |token: &Token| matches!(token.kind, Kind::Mark(Mark::BraceOpen | Mark::BraceClose));
        let Some(at) = self.tokens.iter().position(is_brace) else { return false };
        let is_call = self.peek().is_some_and(|token| self.macros.contains_key(self.spelling(self.span(token))));
        if is_call {
            return false;
        }
        let open = self.span(self.tokens[at]);
        let close = self.tokens[at + 1..].iter().find(|token| token.kind == Kind::Mark(Mark::BraceClose));
        let close = close.map(|token| self.span(*token));
        let whole = close.map_or(open, |close| open.to(close));
        let inner = self.spelling(whole).trim_matches(['{', '}', ' ']);
        let is_list = inner.split([',', '-']).all(|word| self.register(word.trim()).is_some());
        let found = if let (true, Some(close)) = (is_list, close) {
            let found = diagnostic(codes::STRAY, whole, "registers stand in a list without braces");
            let edit = |span| Edit { span, text: String::new() };
            found.with_change(Grade::Certain, "take the braces away", vec![edit(open), edit(close)])
        } else {
            let found = diagnostic(codes::STRAY, whole, format!("`{}` names no parameter here", self.spelling(whole)));
            found.with_expected("a parameter of the macro or repeat this stands in, as in `mov {to}, 5`")
        };
        self.report(found);
        true
    }

    /// A line that begins with what was refused: what it would have defined is told with that.
    fn bad_start(&mut self) {
        let Some(first) = self.tokens.last().copied() else { return };
        let span = self.span(first);
        let rest = self.block.text.get((span.start - self.block.base) as usize..).unwrap_or_default();
        let line = rest.lines().next().unwrap_or_default();
        let mut words = line.split([' ', '\t']).filter(|word| !word.is_empty());
        let first = words.next().unwrap_or_default();
        // `#define NAME value`, and a label that begins with a digit.
        let defined = if first == "#define" { words.next() } else { first.split(':').next() };
        self.told.extend(defined);
    }

    fn missing_colon(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        if self.tokens.len() == 1 && ["data", "code", "text"].iter().any(|word| name.eq_ignore_ascii_case(word)) {
            let ours = if name.eq_ignore_ascii_case("data") { ".data" } else { ".code" };
            let found = diagnostic(codes::UNKNOWN_MNEMONIC, span, format!("`{name}` is no instruction"));
            self.report(found.with_guess(format!("this section is begun by `{ours}`"), span, ours));
            return None;
        }
        // Defined all the same, so that its uses do not become problems too. Whether it has any tells how sure it is that
        // it was meant as a label, so it is told when all names are known.
        let names = self.unit.names.len();
        self.define_label(span, name.starts_with('@'));
        let id = (self.unit.names.len() > names).then(|| SymbolId(u32::try_from(names).unwrap_or(u32::MAX)));
        self.bare_labels.push((span, id));
        None
    }

    /// `NAME = value`, `NAME equ value`.
    fn equ_of_another_dialect(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        self.at += 2;
        let value = self.expression()?;
        let whole = span.to(value.span);
        let right = format!(".equ {name}, {}", self.spelling(value.span));
        let found = diagnostic(codes::UNKNOWN_MNEMONIC, whole, format!("a value is given to `{name}` by `.equ`"));
        let found = found.with_expected(".equ NAME, value");
        if self.plain.contains_key(name) {
            // It is something else already, and keeps that.
            self.report(found.with_expected(format!("a name of its own: `{name}` is defined above")));
        } else {
            self.report(found.with_fix(format!("write `{right}`"), whole, right));
            self.define(span, Scope::Unit, Definition::Constant(value));
        }
        None
    }

    // ---- directives

    fn directive(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        if name.eq_ignore_ascii_case(TARGET_WORD) {
            self.bump();
            return self.target(span);
        }
        if let Some(other) = self.unit.syntax.other_directive(name) {
            self.bump();
            return self.rv32_directive(other, span);
        }
        let Some(info) = self.unit.syntax.directive(name) else {
            let mut found = diagnostic(codes::UNKNOWN_DIRECTIVE, span, format!("`{name}` is no directive"));
            if let Some(other) = other_directive(name) {
                found = with_directive(found.with_expected(other.form), span, other);
                self.other_directive(other, span);
            } else if let Some(near) = nearest(name, self.unit.syntax.directive_names()) {
                found = found.with_guess(format!("did you mean `{near}`?"), span, near);
            } else {
                let all: Vec<&str> = DIRECTIVES.iter().map(|info| info.name).collect();
                found = found.with_expected(all.join(" "));
            }
            self.report(found);
            return None;
        };
        self.bump();
        match info.directive {
            Directive::Code => self.go_to_section(SectionId::CODE),
            Directive::Data => self.go_to_section(SectionId::DATA),
            Directive::Section => self.open_section(info.form)?,
            Directive::Org => {
                let address = self.expression()?;
                self.push(What::Org(address), span);
            }
            Directive::Align => {
                let (to, fill) = self.value_and_fill()?;
                self.push(What::Align { to, fill }, span);
            }
            Directive::Space => {
                let (count, fill) = self.value_and_fill()?;
                self.push(What::Space { count, fill }, span);
            }
            Directive::Byte => self.bytes(None, info.form, span)?,
            Directive::Word => {
                self.numbers(2, ("words", ".byte \"text\", or .asciz \"text\" with a NUL behind it"), span)?;
            }
            Directive::Ascii => self.bytes(Some(Text::Plain), info.form, span)?,
            Directive::Asciz => self.bytes(Some(Text::Ended), info.form, span)?,
            Directive::Equ => self.equ(info.form)?,
            Directive::Let => self.set_anew(info.form)?,
            Directive::Entry => {
                let label = self.expression()?;
                if let Some((_, first)) = self.unit.entry {
                    let found = diagnostic(codes::TWICE, span.to(label.span), "the entry is named a second time");
                    let found = found.with_label("again here").with_other(first, "first here");
                    self.report(found.with_expected("one `.entry`"));
                    return None;
                }
                self.unit.entry = Some((label, span));
            }
            Directive::Global => {
                let names = self.names(info.form)?;
                self.globals.extend(names);
            }
            Directive::Extern => {
                for name in self.names(info.form)? {
                    self.define(name, Scope::Unit, Definition::Extern);
                }
            }
            Directive::Include => self.include(info.form)?,
            Directive::Embed => self.embed(info.form, span)?,
            Directive::Error => self.error(info.form, span)?,
            Directive::Assert => self.assert(span)?,
            Directive::Macro | Directive::EndMacro | Directive::Repeat | Directive::EndRepeat => {
                return self.misplaced(span);
            }
            Directive::If | Directive::ElseIf | Directive::Else | Directive::EndIf => return self.misplaced(span),
        }
        Some(())
    }

    /// `.target name`, where the source begins: what it says was seen before anything was read.
    fn target(&mut self, span: Span) -> Option<()> {
        const FORM: &str = ".target rv32";
        let place = self.peek_or_behind();
        let name = self.name_token(FORM)?;
        let known = wendax_isa::target_named(self.spelling(name));
        let here = self.unit.syntax.target();
        let found = match known {
            None => {
                let name = quoted(self.spelling(place));
                let all = wendax_isa::targets().map(|target| target.name.to_ascii_lowercase()).join(" or ");
                diagnostic(codes::MACHINE, place, format!("`{name}` is no machine"))
                    .with_expected(format!(".target {all}"))
            }
            Some(known) if !std::ptr::eq(known, here) => {
                let is_first = said(self.block.text).is_some_and(|(_, range)| self.place(range) == name);
                let message = if is_first {
                    format!("this source is for {}, and the program is for {}", known.name, here.name)
                } else {
                    format!(
                        "this would make the rest of the source one for {}, and it began as one for {}",
                        known.name, here.name
                    )
                };
                let right =
                    if is_first { "sources of one machine in a program" } else { "`.target` before everything else" };
                diagnostic(codes::MACHINE, span.to(name), message).with_expected(right)
            }
            Some(_) => return Some(()),
        };
        self.report(found);
        None
    }

    /// What an unknown directive would have done, as far as it matters for what is told of the rest.
    fn other_directive(&mut self, other: &OtherDirective, span: Span) {
        if other.word.starts_with("if") {
            self.open_unknown_condition(span);
        } else if let Some(name) = self.tokens.get(self.at + 1).filter(|token| token.kind == Kind::Name) {
            self.told.insert(self.spelling(self.span(*name)));
        }
    }

    /// A directive about whole lines behind a label.
    fn misplaced(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        let found = diagnostic(codes::EXTRA, span, format!("`{name}` must stand first on its line"));
        self.report(found.with_expected("the label on the line above"));
        None
    }

    pub(crate) fn go_to_section(&mut self, section: SectionId) {
        (self.section, self.is_wrong_section) = (section, false);
    }

    /// `.section name [, kind]`.
    fn open_section(&mut self, form: &str) -> Option<()> {
        let name = self.name_token(form)?;
        let spelling = self.spelling(name);
        let mut kind = None;
        if self.eat(Mark::Comma).is_some() {
            let word = self.name_token(form)?;
            let known = SectionKind::WORDS.iter().find(|(_, known)| self.spelling(word).eq_ignore_ascii_case(known));
            let Some((known, _)) = known else {
                let given = self.spelling(word);
                let found = diagnostic(codes::OPERANDS, word, format!("`{given}` is no kind of section"));
                self.report(found.with_expected("code, data or zeroed"));
                return None;
            };
            kind = Some(*known);
        }
        if let Some(id) = self.unit.section_named(spelling) {
            let &Section { kind: known_kind, span: first, .. } = self.unit.section(id);
            if let Some(other) = kind.filter(|kind| *kind != known_kind) {
                let message = format!("`{spelling}` is {}, and cannot be {} as well", known_kind.word(), other.word());
                let mut found = diagnostic(codes::TWICE, name, message);
                if let Some(first) = first {
                    found = found.with_other(first, "opened here first");
                }
                self.report(found.with_expected("one kind for a section; another name for another kind"));
                self.go_to_section(id);
                self.is_wrong_section = true;
                return None;
            }
            self.go_to_section(id);
            return Some(());
        }
        let id = self.unit.add_section(spelling, kind.unwrap_or(SectionKind::Data), Some(name));
        self.go_to_section(id);
        Some(())
    }

    /// A name that must be there.
    pub(crate) fn name_token(&mut self, form: &str) -> Option<Span> {
        if let Some(token) = self.peek().filter(|token| token.kind == Kind::Name) {
            self.bump();
            return Some(self.span(token));
        }
        if self.peek().is_none_or(|token| token.kind != Kind::Bad) {
            let place = self.peek_or_behind();
            let message = match self.peek().map(|token| token.kind) {
                None => "a name is missing here".to_owned(),
                Some(Kind::Local) => {
                    format!("`{}` is a local name, and a plain one stands here", self.spelling(place))
                }
                Some(_) => format!("`{}` is no name, and one is to stand here", quoted(self.spelling(place))),
            };
            self.report(diagnostic(codes::MISSING_VALUE, place, message).with_expected(form));
        }
        None
    }

    pub(crate) fn names(&mut self, form: &str) -> Option<Vec<Span>> {
        let mut names = vec![self.name_token(form)?];
        while self.comma_or_end()? {
            names.push(self.name_token(form)?);
        }
        Some(names)
    }

    /// A text that must be there, without its quotes.
    fn text(&mut self, form: &str) -> Option<(String, Span)> {
        let Some(token) = self.peek().filter(|token| token.kind == Kind::Text) else {
            if self.peek().is_none_or(|token| token.kind != Kind::Bad) {
                let place = self.peek_or_behind();
                self.report(diagnostic(codes::MISSING_VALUE, place, "a text is missing here").with_expected(form));
            }
            return None;
        };
        self.bump();
        let span = self.span(token);
        let mut bytes = Vec::new();
        unescape(self.spelling(span), self.unit.syntax, &mut bytes);
        Some((String::from_utf8_lossy(&bytes).into_owned(), span))
    }

    fn error(&mut self, form: &str, span: Span) -> Option<()> {
        let (text, place) = self.text(form)?;
        self.report(diagnostic(codes::OWN_ERROR, span.to(place), text));
        Some(())
    }

    fn assert(&mut self, span: Span) -> Option<()> {
        let expr = self.expression()?;
        let mut text = None;
        if self.eat(Mark::Comma).is_some() {
            text = Some(self.text(".assert value, \"text\"")?.0);
        }
        let expr = Expr { span: span.to(expr.span), ..expr };
        let (section, statement) = (self.section, self.statement_count());
        self.unit.claims.push(Claim { expr, text, section, statement });
        Some(())
    }

    fn value_and_fill(&mut self) -> Option<(Expr, Option<Expr>)> {
        let value = self.expression()?;
        let fill = if self.eat(Mark::Comma).is_some() { Some(self.expression()?) } else { None };
        Some((value, fill))
    }

    /// Values of so many bytes each; what such a list is called, and what a text in it should have been.
    pub(crate) fn numbers(&mut self, width: u32, (list, right): (&str, &str), span: Span) -> Option<()> {
        let from = self.unit.values.len();
        loop {
            if let Some(text) = self.peek().filter(|token| token.kind == Kind::Text) {
                let place = self.span(text);
                let found = diagnostic(codes::OPERANDS, place, format!("a text stands in a list of {list}"));
                self.report(found.with_expected(right));
                return None;
            }
            let value = self.expression()?;
            self.unit.values.push(value);
            if !self.comma_or_end()? {
                break;
            }
        }
        self.push_values(width, from, span);
        Some(())
    }

    fn push_values(&mut self, width: u32, from: usize, span: Span) {
        let count = |length: usize| u32::try_from(length).unwrap_or(u32::MAX);
        self.push(What::Values { width, from: count(from), to: count(self.unit.values.len()) }, span);
    }

    /// Texts and values of a byte each. Texts alone are kept as they are; `form` is told when neither is there.
    fn bytes(&mut self, text: Option<Text>, form: &str, span: Span) -> Option<()> {
        let (from, first) = (self.unit.bytes.len(), self.unit.values.len());
        // Texts are gathered as bytes until a value comes between them.
        let mut is_mixed = text.is_none();
        let mut is_open = false;
        loop {
            let token = self.peek();
            if let Some(token) = token.filter(|token| token.kind == Kind::Text) {
                self.bump();
                if text == Some(Text::Ended) && is_open {
                    self.byte(0, span, is_mixed);
                }
                let mut bytes = Vec::new();
                unescape(self.spelling(self.span(token)), self.unit.syntax, &mut bytes);
                for byte in bytes {
                    self.byte(byte, span, is_mixed);
                }
                is_open = true;
            } else if text.is_some() && (token.is_none() || !is_open) {
                if token.is_none_or(|token| token.kind != Kind::Bad) {
                    let place = self.peek_or_behind();
                    self.report(diagnostic(codes::MISSING_VALUE, place, "a text is missing here").with_expected(form));
                }
                return None;
            } else {
                if !is_mixed {
                    let texts = self.unit.bytes.split_off(from);
                    for byte in texts {
                        self.byte(byte, span, true);
                    }
                    is_mixed = true;
                }
                let value = self.expression()?;
                self.unit.values.push(value);
            }
            if !self.comma_or_end()? {
                break;
            }
        }
        if text == Some(Text::Ended) {
            self.byte(0, span, is_mixed);
        }
        if is_mixed {
            self.push_values(1, first, span);
        } else {
            let count = |length: usize| u32::try_from(length).unwrap_or(u32::MAX);
            self.push(What::Bytes { from: count(from), to: count(self.unit.bytes.len()) }, span);
        }
        Some(())
    }

    /// Takes in a byte of a list: as it is, or as a value among others.
    fn byte(&mut self, byte: u8, span: Span, as_value: bool) {
        if as_value {
            let value = self.constant(byte.into(), span);
            self.unit.values.push(value);
        } else {
            self.unit.bytes.push(byte);
        }
    }

    /// `.let NAME, value`.
    fn set_anew(&mut self, form: &str) -> Option<()> {
        let name = self.name_token(form)?;
        if let Some(sign) = self.eat(Mark::Equals) {
            let place = self.span(sign);
            let found = diagnostic(codes::MISSING_COMMA, place, "a comma stands between the name and its value");
            let found = found.with_expected(form);
            self.report(found.with_fix("write a comma", Span { start: name.end, ..place }, ","));
        } else {
            self.comma()?;
        }
        let place = self.peek_or_behind();
        let value = self.known_value()?;
        let spelling = self.spelling(name);
        let expr = self.constant(value, place.to(self.behind()));
        if self.present.contains_key(spelling) {
            if let Some(id) = self.plain.get(spelling) {
                self.unit.names[id.0 as usize].definition = Definition::Constant(expr);
            }
        } else if self.plain.contains_key(spelling) {
            // Told as defined twice.
            self.define(name, Scope::Unit, Definition::Constant(expr));
            return None;
        } else {
            self.define(name, Scope::Unit, Definition::Constant(expr))?;
        }
        self.present.insert(spelling, value);
        Some(())
    }

    pub(crate) fn peek_or_behind(&self) -> Span {
        self.peek().map_or(self.behind(), |token| self.span(token))
    }

    fn equ(&mut self, form: &str) -> Option<()> {
        let name = self.name_token(form)?;
        // The name is defined all the same: one cause gives one problem.
        let message = "a comma stands between the name and its value";
        if self.eat(Mark::Equals).is_some() {
            let place = self.span(self.tokens[self.at - 1]);
            let found = diagnostic(codes::MISSING_COMMA, place, message).with_expected(form);
            self.report(found.with_fix("write a comma", Span { start: name.end, ..place }, ","));
        } else if self.eat(Mark::Comma).is_none() {
            let place = self.behind();
            let found = diagnostic(codes::MISSING_COMMA, place, message).with_expected(form);
            self.report(if self.peek().is_some() { found.with_fix("put a comma there", place, ",") } else { found });
            self.peek()?;
        }
        let value = self.expression()?;
        let defined = self.define(name, Scope::Unit, Definition::Constant(value));
        if let Some(id) = defined.filter(|_| self.unit.steps(value).iter().any(|step| matches!(step, Step::Here))) {
            self.unit.stands.insert(id, (self.section, self.statement_count()));
        }
        Some(())
    }

    /// A comma that must be there.
    pub(crate) fn comma(&mut self) -> Option<()> {
        if self.eat(Mark::Comma).is_some() {
            return Some(());
        }
        if let Some(found) = self.fraction().or_else(|| self.word_operator(self.at)).or_else(|| self.equals_sign()) {
            self.report(found);
            return None;
        }
        let place = self.behind();
        if let Some(found) = self.texts_side_by_side() {
            self.report(found);
            return None;
        }
        let before = quoted(self.spelling(self.span(self.tokens[self.at - 1])));
        let found = diagnostic(codes::MISSING_COMMA, place, format!("a comma is missing after `{before}`"));
        let edits = vec![Edit { span: place, text: ",".to_owned() }];
        self.report(match self.comma_grade() {
            Some(grade) => found.with_change(grade, format!("put a comma after `{before}`"), edits),
            None => found.with_expected("a comma between operands; a comment begins with `;`"),
        });
        None
    }

    /// `.asciz "one" "two"`: with a comma each would have a NUL of its own.
    fn texts_side_by_side(&self) -> Option<Diagnostic> {
        let (before, next) = (self.tokens.get(self.at.checked_sub(1)?)?, self.peek()?);
        let word = self.tokens.iter().find(|token| token.kind == Kind::Directive)?;
        let is_ended = self.spelling(self.span(*word)).eq_ignore_ascii_case(".asciz");
        if before.kind != Kind::Text || next.kind != Kind::Text || !is_ended {
            return None;
        }
        let (one, other) = (self.span(*before), self.span(next));
        let found = diagnostic(codes::MISSING_COMMA, other, "two texts stand side by side");
        let found = found.with_expected("one text; with a comma between them each ends with a NUL of its own");
        // From the closing quote of one to the opening quote of the other.
        let between = Span { start: one.end - 1, end: other.start + 1, ..one };
        Some(found.with_guess("make them one text", between, ""))
    }

    /// `5 mod 2`, `not 5`: an operator by its word, where this token is one.
    fn word_operator(&self, at: usize) -> Option<Diagnostic> {
        let token = self.tokens.get(at).filter(|token| token.kind == Kind::Name)?;
        let span = self.span(*token);
        let word = self.spelling(span);
        let sign = match word.to_ascii_lowercase().as_str() {
            "mod" => "%",
            "div" => "/",
            "and" => "&",
            "or" => "|",
            "xor" => "^",
            "shl" => "<<",
            "shr" => ">>",
            "not" => "~",
            "eq" => "==",
            "ne" => "!=",
            _ => return None,
        };
        let found = diagnostic(codes::STRAY, span, format!("operators are signs: `{word}` is `{sign}`"));
        Some(found.with_guess(format!("write `{sign}`"), span, sign))
    }

    /// `mov r0 = 5`, `1 = 2`.
    fn equals_sign(&self) -> Option<Diagnostic> {
        let token = self.peek().filter(|token| token.kind == Kind::Mark(Mark::Equals))?;
        let (before, place) = (self.tokens.get(self.at.checked_sub(1)?)?, self.span(token));
        let whole = Span { start: self.span(*before).end, ..place };
        if self.register(self.spelling(self.span(*before))).is_some() {
            let found = diagnostic(codes::MISSING_COMMA, place, "a comma stands between operands");
            return Some(found.with_guess("write a comma", whole, ","));
        }
        let found = diagnostic(codes::STRAY, place, "`==` asks whether two values are the same");
        Some(found.with_guess("write `==`", place, "=="))
    }

    /// `1.5`.
    fn fraction(&self) -> Option<Diagnostic> {
        let (before, next) = (self.tokens.get(self.at.checked_sub(1)?)?, self.tokens.get(self.at)?);
        let is_fraction =
            matches!(before.kind, Kind::Number(_)) && next.kind == Kind::Directive && before.end == next.start;
        let whole = self.span(*before).to(self.span(*next));
        let message = format!("`{}` is no whole number, and there are no others", self.spelling(whole));
        is_fraction.then(|| {
            diagnostic(codes::NUMBER, whole, message)
                .with_expected("in a smaller unit: 1500 for 1.5, counted in thousandths")
        })
    }

    /// How sure it is that a comma belongs between the last token and the next one: between a whole operand and the
    /// beginning of another one nothing else can.
    fn comma_grade(&self) -> Option<Grade> {
        let is_register = |token: &Token| self.register(self.spelling(self.span(*token))).is_some();
        let before = self.at.checked_sub(1).and_then(|at| self.tokens.get(at));
        let (before, next) = before.zip(self.tokens.get(self.at))?;
        let ends = |token: &Token| match token.kind {
            Kind::Number(_) | Kind::Char(_) | Kind::Text | Kind::Mark(Mark::Close | Mark::ParenClose) => true,
            _ => is_register(token),
        };
        let begins = match next.kind {
            Kind::Number(_) | Kind::Char(_) | Kind::Text | Kind::Mark(Mark::Open) => true,
            Kind::Name | Kind::Local => is_register(next) || is_register(before),
            _ => false,
        };
        // An instruction with enough commas already has all its operands.
        let commas = self.tokens[..self.at].iter().filter(|token| token.kind == Kind::Mark(Mark::Comma)).count();
        let word = self.mnemonic_word();
        let is_full = commas >= self.unit.syntax.most_operands(&word).saturating_sub(1).max(1)
            && self.unit.syntax.is_mnemonic(&word)
            && !matches!(word.as_str(), "push" | "pop");
        // Where another operand can begin no comma leads on.
        let can_begin = matches!(
            next.kind,
            Kind::Number(_)
                | Kind::Char(_)
                | Kind::Text
                | Kind::Name
                | Kind::Local
                | Kind::Mark(Mark::Open | Mark::ParenOpen)
        );
        if is_full || !can_begin {
            return None;
        }
        Some(if ends(before) && begins { Grade::Certain } else { Grade::Guess })
    }

    /// Between the entries of a list: true when another one follows.
    pub(crate) fn comma_or_end(&mut self) -> Option<bool> {
        match self.peek() {
            None => Some(false),
            Some(token) if token.kind == Kind::Bad => None,
            Some(token) if token.kind == Kind::Mark(Mark::Comma) => {
                self.bump();
                Some(true)
            }
            Some(token) if matches!(token.kind, Kind::Mark(Mark::ParenClose | Mark::Close)) => {
                let place = self.span(token);
                let what = self.spelling(place);
                let found = diagnostic(codes::UNCLOSED, place, format!("`{what}` has no partner before it"));
                let before = self.at.checked_sub(1).and_then(|at| self.tokens.get(at)).map(|token| self.span(*token));
                let is_address = token.kind == Kind::Mark(Mark::Close);
                self.report(
                    match before.filter(|before| is_address && self.register(self.spelling(*before)).is_some()) {
                        Some(before) => {
                            let right = format!("[{}]", self.spelling(before));
                            found.with_guess(format!("write `{right}`"), before.to(place), right)
                        }
                        None => found.with_guess("take it away", place, ""),
                    },
                );
                None
            }
            Some(_) => self.comma().map(|()| true),
        }
    }
}
