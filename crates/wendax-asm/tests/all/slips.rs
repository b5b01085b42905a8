//! Slips people make: each has one problem for one cause, in its line, with what would be right.

use wendax_asm::{Assembly, assemble};
use wendax_source::{Sources, Style, render};

struct Slip {
    /// As it stands in the corpus.
    written: &'static str,
    text: String,
    /// The line that is wrong, from 1.
    line: u32,
}

/// What is written for one machine.
struct Corpus {
    text: &'static str,
    /// What stands before and behind a slip in code.
    code: (&'static str, &'static str),
    /// Before one in data.
    data: &'static str,
    /// Before a whole text.
    whole: &'static str,
}

const W16: Corpus = Corpus {
    text: include_str!("sources/slips.txt"),
    code: ("start:\n", "\n halt\n"),
    data: "start: halt\n.data\n",
    whole: "",
};
const RV32: Corpus = Corpus {
    text: include_str!("sources/slips-rv32.txt"),
    code: (".target rv32\n_start:\n", "\n ret\n"),
    data: ".target rv32\n_start: ret\n.data\n",
    whole: ".target rv32\n",
};

/// The slips of a corpus; its first lines say how they are written.
fn slips(corpus: &Corpus) -> Vec<Slip> {
    let lines = corpus.text.lines().filter(|line| !line.starts_with('#') && !line.is_empty());
    lines
        .map(|written| {
            let (kind, slip) = written.split_once(' ').expect("a kind, and the slip");
            let slip = slip.replace('⏎', "\n");
            let (head, tail) = match kind {
                "c" => corpus.code,
                "d" => (corpus.data, "\n"),
                "w" => (corpus.whole, "\n"),
                other => panic!("{other} is no kind of slip"),
            };
            let marked = slip.lines().position(|line| line.ends_with(";!")).unwrap_or(0);
            let line = u32::try_from(head.lines().count() + marked + 1).expect("few lines");
            Slip { written, text: format!("{head}{}{tail}", slip.replace(" ;!", "")), line }
        })
        .collect()
}

fn assembled(text: &str) -> (Sources, Assembly) {
    let (sources, file) = Sources::single("slip.asm", text);
    let assembly = assemble(&sources, file);
    (sources, assembly)
}

#[test]
fn each_slip_has_one_problem_in_its_line_with_what_is_right() {
    let mut wrong = Vec::new();
    for slip in [&W16, &RV32].into_iter().flat_map(slips) {
        let (sources, assembly) = assembled(&slip.text);
        let told: Vec<String> =
            assembly.diagnostics.iter().map(|found| render(&sources, found, Style::Plain)).collect();
        let why = match assembly.diagnostics.as_slice() {
            [] => "nothing is told",
            [one] if sources.place(one.primary.span).line != slip.line => "it is told of another line",
            // What a source says itself is all there is to say.
            [one] if [45, 46].contains(&one.code.0) => continue,
            [one] if one.expected.is_empty() && one.fix.is_none() => "nothing is said of what is right",
            [_] => continue,
            _ => "more than one thing is told",
        };
        wrong.push(format!("{}\n  {why}:\n{}", slip.written, told.join("")));
    }
    assert!(wrong.is_empty(), "{}: {}", wrong.len(), wrong.join("\n"));
}

#[test]
fn what_is_told_of_each_slip() {
    insta::assert_snapshot!(all_told(&W16));
}

#[test]
fn what_is_told_of_each_slip_for_rv32() {
    insta::assert_snapshot!(all_told(&RV32));
}

fn all_told(corpus: &Corpus) -> String {
    let mut out = String::new();
    for slip in slips(corpus) {
        let (sources, assembly) = assembled(&slip.text);
        out.push_str(&format!("{}\n", slip.written));
        for found in &assembly.diagnostics {
            let place = sources.place(found.primary.span);
            out.push_str(&format!("    {}:{} {} {}\n", place.line, place.column, found.code, found.message));
            found.expected.iter().for_each(|form| out.push_str(&format!("        right: {form}\n")));
            if let Some(fix) = &found.fix {
                let line = wendax_source::mended_line(&sources, fix).unwrap_or_default();
                out.push_str(&format!("        {:?}: {} → {}\n", fix.grade, fix.title, line.trim()));
            }
        }
    }
    out
}

/// What is offered helps: a guess, or what is certain, leads to a line with which nothing is wrong.
#[test]
fn nearly_all_that_is_offered_leads_to_a_line_that_is_right() {
    let (mut offered, mut wrong) = (0, Vec::new());
    for slip in [&W16, &RV32].into_iter().flat_map(slips) {
        let (sources, assembly) = assembled(&slip.text);
        for found in &assembly.diagnostics {
            let Some(fix) = &found.fix else { continue };
            offered += 1;
            let mended = wendax_source::apply_edits(&slip.text, &fix.edits);
            let (after, again) = assembled(&mended);
            let line = sources.place(found.primary.span).line;
            let is_problem = |found: &&wendax_source::Diagnostic| {
                // Files are not there, and conditions not whole, in a corpus of lines.
                let is_cut =
                    found.code.0 == 44 || found.message.contains("never closed") || found.message.contains("open here");
                !is_cut
                    && found.severity == wendax_source::Severity::Problem
                    && after.place(found.primary.span).line == line
            };
            if let Some(left) = again.diagnostics.iter().find(is_problem) {
                wrong.push(format!("{}\n    {} → {}", slip.written, fix.title, left.message));
            }
        }
    }
    assert!(offered > 350, "{offered}");
    assert!(wrong.len() * 50 <= offered, "{} of {offered}:\n{}", wrong.len(), wrong.join("\n"));
}
