//! Since when what a step used was as it was: the register it read, followed through copies to where its value was made.

use wendax_isa::{Reg, StepNo};
use wendax_machine::{InsnInfo, Sort};
use wendax_session::{Command, LastWriter, Progress, Session, Thing, last_write, line_words};

/// Copies that are followed, at most.
const MOST: usize = 8;

/// The line of a step's instruction; and with `is_print` since when the register it printed from was so.
pub(crate) fn since(session: &Session, step: StepNo, is_print: bool) -> (Option<String>, Option<String>) {
    let walk = at_step(session, step);
    let pc = walk.machine().pc();
    let line = walk.image().line_at(pc).map(|_| line_words(&walk, pc).unwrap_or_default());
    let since = if is_print { printed_from(&walk, step) } else { None };
    (line, since)
}

/// The run at one of its steps, the furthest at most.
pub(crate) fn at_step(session: &Session, step: StepNo) -> Session {
    let mut walk = session.clone();
    walk.begin(Command::Seek(step.min(walk.end())));
    work(&mut walk);
    walk
}

/// Goes on through steps that are known.
pub(crate) fn work(walk: &mut Session) {
    while walk.work(1_000_000) == Progress::Working {}
    walk.pause();
}

fn insn(walk: &Session, at: wendax_isa::Addr) -> Option<InsnInfo> {
    let machine = walk.machine();
    machine.instruction_of(at, machine.code_at(at))
}

/// Who made what the next step prints.
fn printed_from(walk: &Session, step: StepNo) -> Option<String> {
    let machine = walk.machine();
    let target = machine.target();
    let info = insn(walk, machine.pc())?;
    let mut register = match (info.call, info.sort) {
        (Some(number), _) => target.call(number)?.takes.first()?.0,
        (None, Sort::Store(_, register)) => register,
        _ => return None,
    };
    let mut before = step;
    for _ in 0..MOST {
        let Some(LastWriter::Step(effects)) = last_write(walk, Thing::Register(register), before) else {
            return None;
        };
        let made = machine.instruction_of(effects.pc, effects.code);
        if let Some(made) = made.filter(|made| made.sort == Sort::Copy)
            && let Some(from) = only(made.uses.reads)
            && from != register
            && last_write(walk, Thing::Register(from), effects.step).is_some()
        {
            (register, before) = (from, effects.step);
            continue;
        }
        let line = line_words(walk, effects.pc)?;
        return Some(format!("{} was last set on {line}", target.register_name(register)));
    }
    None
}

/// The one register of a set of them.
fn only(registers: u32) -> Option<Reg> {
    registers.is_power_of_two().then(|| Reg::at(registers.trailing_zeros() as usize))
}
