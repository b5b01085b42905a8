//! Names in expressions become symbols, once all definitions are known.

use super::Parser;
use crate::codes;
use crate::dialect::reads_as_register;
use crate::expr::{Scope, Step, SymbolId};
use crate::lexer::hexadecimal_of;
use crate::problems::diagnostic;
use crate::rv32;
use crate::syntax::Syntax;
use crate::unit::{Definition, Name};
use wendax_isa::SystemCall;
use wendax_source::{Diagnostic, Edit, Grade, Severity, Span, nearest};

/// So many unknown names are told; more have one cause.
const MOST: usize = 1000;

/// Names that a near one is looked for among, and for how many unknown ones.
pub(crate) const MOST_NEAR: usize = 5000;
pub(crate) const SEARCHED: usize = 60;

pub(super) fn resolve(parser: &mut Parser<'_>) {
    globals(parser);
    for index in 0..parser.unit.steps.len() {
        let (span, scope, is_size) = match parser.unit.steps[index] {
            Step::Name(span, scope) => (span, scope, false),
            Step::SizeOfName(span, scope) => (span, scope, true),
            _ => continue,
        };
        let found = find(parser, span, scope);
        let is_early = found.is_some() && !is_size && parser.present.contains_key(parser.spelling(span));
        parser.unit.steps[index] = if is_early {
            // Behind its first `.let` its value is taken at once.
            let name = parser.spelling(span);
            let message = format!("`{name}` has no value here yet: `.let` gives it the first one below");
            let info = diagnostic(codes::NOT_YET, span, message);
            let first = found.map(|id| parser.unit.name(id).span);
            let info = first.map_or(info.clone(), |first| info.with_other(first, "given a value here"));
            parser.report(info.with_expected(format!("`.let {name}, value` above its first use")));
            Step::Unknown
        } else if let Some(id) = found {
            parser.unit.names[id.0 as usize].used.get_or_insert(span);
            if is_size { size_of(parser, span, id) } else { Step::Symbol(id) }
        } else if let Some(id) = trusted(parser, index, span, scope, is_size) {
            Step::Symbol(id)
        } else {
            report(parser, index, span, scope);
            Step::Unknown
        };
    }
    bare_labels(parser);
    let ahead: Vec<(&str, Span)> = parser
        .numbered
        .iter()
        .flat_map(|(digits, (_, ahead))| ahead.iter().map(|(_, span)| (*digits, *span)))
        .collect();
    for (digits, span) in ahead {
        let found = diagnostic(codes::UNKNOWN_NAME, span, format!("there is no `{digits}:` below this"));
        parser.report(found.with_expected(format!("`{digits}:` below, or `{digits}b` for the last one above")));
    }
}

/// A plain name that is defined nowhere is another file's; what is to be told when no file has it is kept with it.
fn trusted(parser: &mut Parser<'_>, index: usize, span: Span, scope: Scope, is_size: bool) -> Option<SymbolId> {
    let name = parser.spelling(span);
    let is_call = parser.calls.binary_search(&index).is_ok();
    let is_plain = scope == Scope::Unit && !name.starts_with('@') && !is_size && !is_call;
    let is_lost = parser.is_partial || parser.told.contains(name) || parser.unit.trusted.len() >= MOST;
    if !parser.unit.syntax.trusts_names() || !is_plain || is_lost || rv32::reads_as_register(name) {
        return None;
    }
    let told = unknown(parser, span, scope);
    let id = SymbolId(u32::try_from(parser.unit.names.len()).unwrap_or(u32::MAX));
    let definition = Definition::Extern;
    parser.unit.names.push(Name { span, owner: Scope::Unit, definition, used: Some(span), global: None });
    parser.unit.spellings.push(name.to_owned());
    parser.plain.insert(name, id);
    parser.unit.trusted.push((id, told));
    Some(id)
}

/// Names where a label would stand, without a colon: a jump to one says that it was meant so.
fn bare_labels(parser: &mut Parser<'_>) {
    for (span, id) in std::mem::take(&mut parser.bare_labels) {
        let name = parser.spelling(span);
        let found = diagnostic(codes::MISSING_COLON, span, format!("`{name}` would be a label, but has no colon"));
        let entry = id.and_then(|id| parser.unit.names.get_mut(id.0 as usize));
        let is_used = entry.is_some_and(|entry| entry.used.replace(entry.used.unwrap_or(span)).is_some());
        let grade = if is_used { Grade::Certain } else { Grade::Guess };
        let edits = vec![Edit { span: span.after(), text: ":".to_owned() }];
        parser.report(found.with_change(grade, format!("write `{name}:`"), edits));
    }
}

fn report(parser: &mut Parser<'_>, index: usize, span: Span, scope: Scope) {
    if parser.is_partial || parser.told.contains(parser.spelling(span)) {
        return;
    }
    if parser.unit.unknown.len() >= MOST {
        parser.unit.problems.one_more(Severity::Problem);
        return;
    }
    let call = parser.calls.binary_search(&index).is_ok();
    let found = if call { unknown_call(parser, span) } else { unknown(parser, span, scope) };
    if !call {
        parser.unit.unknown.push(span);
    }
    parser.report(found);
}

/// Only what stands in a section has a size.
fn size_of(parser: &mut Parser<'_>, span: Span, id: SymbolId) -> Step {
    match parser.unit.name(id).definition {
        Definition::Label { .. } | Definition::Extern => Step::SizeOf(id),
        Definition::Constant(_) => {
            let name = parser.spelling(span);
            let found = diagnostic(codes::OPERANDS, span, format!("`{name}` is a constant and has no size"));
            parser.report(found.with_expected("sizeof(label), with the label of some data"));
            Step::Unknown
        }
    }
}

/// Names said to be known to other files.
fn globals(parser: &mut Parser<'_>) {
    for span in std::mem::take(&mut parser.globals) {
        let name = parser.spelling(span);
        let found = match parser.plain.get(name).copied() {
            Some(id) if matches!(parser.unit.name(id).definition, Definition::Extern) => {
                let first = parser.unit.name(id).span;
                let found = diagnostic(codes::TWICE, span, format!("`{name}` cannot be both `.extern` and `.global`"));
                found.with_other(first, "said to be in another file").with_expected("`.global` where it is defined")
            }
            Some(id) => {
                parser.unit.names[id.0 as usize].global = Some(span);
                continue;
            }
            None if parser.is_partial => continue,
            None => {
                let found = unknown(parser, span, Scope::Unit);
                Diagnostic { message: format!("`{name}` is made known to others, but defined nowhere"), ..found }
            }
        };
        parser.report(found);
    }
}

fn find(parser: &Parser<'_>, span: Span, scope: Scope) -> Option<SymbolId> {
    let name = parser.spelling(span);
    if !name.starts_with('@') {
        return parser.plain.get(name).copied();
    }
    let mut scope = scope;
    loop {
        if let Some(id) = parser.local.get(&(scope, name)) {
            return Some(*id);
        }
        let Scope::Expansion(number) = scope else { return None };
        scope = parser.unit.expansions.list.get(number as usize)?.around?;
    }
}

fn unknown_call(parser: &Parser<'_>, span: Span) -> Diagnostic {
    let name = parser.spelling(span);
    let found = diagnostic(codes::UNKNOWN_CALL, span, format!("there is no system call `{name}`"));
    if let Some(call) = crate::dialect::call_for(name) {
        return found.with_guess(format!("here it is `{call}`"), span, call);
    }
    let names: Vec<&str> = calls(parser.unit.syntax).map(|call| call.name).collect();
    match nearest(name, names.iter().copied()) {
        Some(near) => found.with_guess(format!("did you mean `{near}`?"), span, near),
        None => found.with_expected(names.join(" ")),
    }
}

/// What `sys` calls by name.
fn calls(syntax: Syntax) -> impl Iterator<Item = &'static SystemCall> {
    syntax.target().calls.iter().filter(|call| call.is_own)
}

fn no_register(span: Span, name: &str, syntax: Syntax) -> Diagnostic {
    let all = match syntax {
        Syntax::W16 => "r0 to r11, fp, sp",
        Syntax::Rv32 => "zero ra sp gp tp, t0 to t6, s0 to s11, a0 to a7, or x0 to x31",
    };
    diagnostic(codes::OPERANDS, span, format!("`{name}` is no register")).with_expected(all)
}

/// Why a name is not known, with the nearest one.
fn unknown(parser: &Parser<'_>, span: Span, scope: Scope) -> Diagnostic {
    let name = parser.spelling(span);
    // In order of definition, so that of equally near ones the first is offered. Texts with very many
    // names are searched in part only: a thousand unknown names must not cost a million comparisons.
    let local = name.starts_with('@');
    let same_scope = |id: usize| parser.unit.names[id].owner == if local { scope } else { Scope::Unit };
    // As many as are shown to a person are looked for to the end.
    let told = parser.unit.unknown.len() + parser.unit.trusted.len();
    let most = if told < SEARCHED { MOST_NEAR } else { 0 };
    let candidates = (0..parser.unit.names.len()).filter(|&id| same_scope(id)).take(most);
    let near = nearest(name, candidates.map(|id| parser.spelling(parser.unit.names[id].span)));
    if let Some((odd, plain)) = name.chars().find_map(|c| Some((c, super::foreign::latin(c)?))) {
        let mended: String = name.chars().map(|c| super::foreign::latin(c).unwrap_or(c)).collect();
        if parser.register(&mended).is_some() || parser.plain.contains_key(mended.as_str()) {
            let number = u32::from(odd);
            let message = format!("`{odd}` (U+{number:04X}) in `{name}` only looks like `{plain}`");
            return diagnostic(codes::STRAY, span, message).with_guess(format!("write `{mended}`"), span, mended);
        }
    }
    let syntax = parser.unit.syntax;
    let is_register = match syntax {
        Syntax::W16 => reads_as_register(name),
        Syntax::Rv32 => rv32::reads_as_register(name),
    };
    if is_register && (name.starts_with(['r', 'R']) || syntax == Syntax::Rv32) {
        return no_register(span, name, syntax);
    }
    if name.eq_ignore_ascii_case("pc") {
        return super::operands::about_pc(span);
    }
    let found = diagnostic(codes::UNKNOWN_NAME, span, format!("`{name}` is defined nowhere"));
    if let Some(near) = near.filter(|near| near.eq_ignore_ascii_case(name)) {
        let found =
            diagnostic(codes::WRONG_CASE, span, format!("`{name}` is defined as `{near}`: names differ by case"));
        let others = (0..parser.unit.names.len()).filter(|&id| same_scope(id)).take(MOST_NEAR);
        let same = others.filter(|&id| parser.spelling(parser.unit.names[id].span).eq_ignore_ascii_case(name)).count();
        let edits = vec![Edit { span, text: near.to_owned() }];
        let grade = if same > 1 { Grade::Guess } else { Grade::Certain };
        return found.with_change(grade, format!("write `{near}`"), edits);
    }
    let hex =
        hexadecimal_of(name).filter(|_| name.bytes().any(|b| b.is_ascii_digit()) || near.is_none() && name.len() > 1);
    if let Some(hex) = hex {
        return diagnostic(codes::HEX_AS_NAME, span, format!("`{name}` reads as a name, and none is defined so"))
            .with_expected("hexadecimal numbers begin with 0x")
            .with_guess(format!("write `{hex}`"), span, hex);
    }
    if is_register && near.is_none() {
        return no_register(span, name, syntax);
    }
    if let Some(near) = near {
        return found.with_guess(format!("did you mean `{near}`?"), span, near);
    }
    if calls(syntax).any(|call| call.name.eq_ignore_ascii_case(name)) {
        return found.with_expected(format!("sys {name}"));
    }
    if local {
        let owner = match scope {
            Scope::Label(id) => format!("the local labels of `{}`", parser.unit.spelling(id)),
            Scope::Expansion(_) => "the names private to what was unfolded here".to_owned(),
            Scope::Unit | Scope::Numbered => "the local labels of any label".to_owned(),
        };
        let found = diagnostic(codes::UNKNOWN_NAME, span, format!("`{name}` is not among {owner}"));
        return found.with_expected(format!("{name}:  between the same two plain labels as its use"));
    }
    found.with_expected(format!("{name}:  before an instruction or data, or  .equ {name}, value"))
}
