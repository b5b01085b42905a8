//! Names in expressions become symbols, once all definitions are known.

use super::Parser;
use crate::codes;
use crate::expr::Step;
use crate::expr::SymbolId;
use crate::lexer::hexadecimal_of;
use crate::problems::diagnostic;
use wendax_isa::w16::{CALLS, call_by_name};
use wendax_source::{Diagnostic, Span, nearest};

pub(super) fn resolve(parser: &mut Parser<'_>) {
    for index in 0..parser.unit.steps.len() {
        let Step::Name(span, scope) = parser.unit.steps[index] else { continue };
        let found = find(parser, span, scope);
        parser.unit.steps[index] = if let Some(id) = found {
            parser.unit.names[id.0 as usize].used = true;
            Step::Symbol(id)
        } else {
            let call = parser.calls.binary_search(&index).is_ok();
            let found = if call { unknown_call(parser, span) } else { unknown(parser, span, scope) };
            parser.report(found);
            Step::Unknown
        };
    }
}

fn find(parser: &Parser<'_>, span: Span, scope: Option<SymbolId>) -> Option<SymbolId> {
    let name = parser.spelling(span);
    if name.starts_with('@') {
        return parser.local.get(&(scope?, name)).copied();
    }
    parser.plain.get(name).copied()
}

fn unknown_call(parser: &Parser<'_>, span: Span) -> Diagnostic {
    let name = parser.spelling(span);
    let found = diagnostic(codes::UNKNOWN_CALL, span, format!("there is no system call `{name}`"));
    match nearest(name, CALLS.iter().map(|call| call.name)) {
        Some(near) => found.with_fix(format!("did you mean `{near}`?"), span, near),
        None => found.with_expected(CALLS.iter().map(|call| call.name).collect::<Vec<_>>().join(" ")),
    }
}

/// Why a name is not known, with the nearest one.
fn unknown(parser: &Parser<'_>, span: Span, scope: Option<SymbolId>) -> Diagnostic {
    let name = parser.spelling(span);
    // In order of definition, so that of equally near ones the first is offered. Texts with very many
    // names are searched in part only: a thousand unknown names must not cost a million comparisons.
    let local = name.starts_with('@');
    let same_scope = |id: usize| parser.unit.names[id].owner == if local { scope } else { None };
    let candidates = (0..parser.unit.names.len()).filter(|&id| same_scope(id)).take(5000);
    let near = nearest(name, candidates.map(|id| parser.spelling(parser.unit.names[id].span)));
    let found = diagnostic(codes::UNKNOWN_NAME, span, format!("`{name}` is defined nowhere"));
    if let Some(near) = near.filter(|near| near.eq_ignore_ascii_case(name)) {
        return diagnostic(codes::WRONG_CASE, span, format!("`{name}` is defined as `{near}`: names differ by case"))
            .with_fix(format!("write `{near}`"), span, near);
    }
    let hex = hexadecimal_of(name).filter(|_| name.bytes().any(|b| b.is_ascii_digit()) || near.is_none());
    if let Some(hex) = hex {
        return diagnostic(codes::HEX_AS_NAME, span, format!("`{name}` reads as a name, and none is defined so"))
            .with_expected("hexadecimal numbers begin with 0x")
            .with_fix(format!("write `{hex}`"), span, hex);
    }
    if let Some(near) = near {
        return found.with_fix(format!("did you mean `{near}`?"), span, near);
    }
    if call_by_name(name).is_some() {
        return found.with_expected(format!("sys {name}"));
    }
    if local {
        let owner = scope.map_or("any label", |id| parser.unit.spellings[id.0 as usize].as_str());
        return diagnostic(codes::UNKNOWN_NAME, span, format!("`{name}` is not among the local labels of `{owner}`"));
    }
    found.with_expected(format!("{name}:  before an instruction or data, or  .equ {name}, value"))
}
