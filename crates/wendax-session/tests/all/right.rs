//! No false alarm: programs that are right are told nothing of, neither while they are written nor in the account of
//! any of their steps, and print what they are to print.

use wendax_machine::{Event, Settings};
use wendax_session::{Command, Progress, Session, State, explain};
use wendax_source::{Sources, Style, render_all};

/// Each begins with a line `== what it is ∙ what it prints < what is typed`.
const W16: &str = include_str!("right.txt");
const RV32: &str = include_str!("right-rv32.txt");

/// Steps that a program takes at most.
const STEPS: usize = 3000;

/// A program of the corpus.
pub(crate) struct Right {
    pub(crate) name: &'static str,
    pub(crate) text: String,
    pub(crate) printed: &'static str,
    pub(crate) typed: String,
}

/// The programs for both machines.
pub(crate) fn rights() -> Vec<Right> {
    let mut rights = Vec::new();
    for (machine, programs) in [("", W16), (" .target rv32\n", RV32)] {
        rights.extend(programs.trim_start_matches("== ").split("\n== ").map(|program| {
            let (head, text) = program.split_once('\n').expect("a line says what it is");
            let (name, printed) = head.split_once(" ∙ ").expect("it prints something");
            let (printed, typed) = printed.split_once(" < ").unwrap_or((printed, ""));
            Right { name, text: format!("{machine}{text}"), printed, typed: typed.replace("\\n", "\n") }
        }));
    }
    assert!(rights.len() >= 75, "{}", rights.len());
    rights
}

#[test]
fn programs_that_are_right_are_told_nothing_of() {
    let mut alarms = Vec::new();
    for Right { name, text, printed, typed } in rights() {
        let (sources, file) = Sources::single(name, text.as_str());
        let assembly = wendax_asm::assemble(&sources, file);
        if !assembly.diagnostics.is_empty() {
            alarms.push(render_all(&sources, &assembly.diagnostics, Style::Plain));
            continue;
        }
        let mut session = Session::new(assembly.image, Settings::default()).with_sources(assembly.sources);
        session.edit(Event::Typed(typed.into_bytes()));
        session.edit(Event::InputEnds);
        let mut steps = 0;
        while !matches!(session.state(), State::Finished(_) | State::Fault(_)) && steps < STEPS {
            steps += 1;
            let account = explain(&session);
            if let Some(caution) = account.caution {
                alarms.push(format!("{name}, {}: {caution}", account.text));
            }
            session.begin(Command::Step);
            while session.work(1000) == Progress::Working {}
        }
        let shown = String::from_utf8_lossy(session.printed_since(0)).into_owned();
        if *session.state() != State::Finished(0) || shown != printed {
            alarms.push(format!("{name}: {:?} after {steps} steps, printed {shown:?}", session.state()));
        }
    }
    assert!(alarms.is_empty(), "{}", alarms.join("\n"));
}
