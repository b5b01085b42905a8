//! Exercises: each question is at the moment that single steps come to, and its answer is what they see there.

use super::time::go;
use proptest::prelude::*;
use wendax_isa::StepNo;
use wendax_session::{Command, Exercise, Question, Session, Truth};

/// A sum of squares with a routine, for each machine, with mnemonics that can be asked for.
const PROGRAMS: [(&str, [&str; 5]); 2] = [
    (
        "start: mov r6, 9\nnext: mov r0, r6\n call square\n add r7, r0\n mov r0, '.'\n sys put_char\n djnz r6, next\n\
         clr r0\n sys exit\nsquare: mul r0, r0\n ret\n",
        ["mov", "call", "add", "djnz", "ret"],
    ),
    (
        " .target rv32\n_start: li s0, 9\n li s1, 0\n1: mv a0, s0\n call square\n add s1, s1, a0\n li a0, '.'\n sys put_char\n\
         addi s0, s0, -1\n bnez s0, 1b\n li a0, 0\n sys exit\nsquare: mul a0, a0, a0\n ret\n",
        ["addi", "jal", "add", "bne", "jalr"],
    ),
];

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("sum.asm", text.to_owned());
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    Session::new(assembly.image, wendax_machine::Settings::default()).with_sources(assembly.sources)
}

/// On to the next moment behind the present one at which an instruction of this name is next; false at the end.
fn on_to(session: &mut Session, name: &str) -> bool {
    loop {
        let before = session.now();
        go(session, Command::Step);
        let machine = session.machine();
        let is_it = machine.instruction_at(machine.pc()).is_some_and(|insn| insn.names.contains(&name));
        if session.now() == before || machine.finished().is_some() {
            return false;
        }
        if is_it {
            return true;
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn the_answers_are_what_single_steps_see(
        which in 0usize..2,
        questions in proptest::collection::vec((0usize..6, 0usize..6, 0usize..3), 1..7),
    ) {
        let (text, names) = PROGRAMS[which];
        let session = session(text);
        let target = session.machine().target();
        let register = *target.roles.results.first().expect("there is one");
        let guesses = [target.register_name(register), "cycles", "prints"];
        let question = |&(at, until, guess): &(usize, usize, usize)| Question {
            ask: "?".to_owned(),
            at: names.get(at).map(|name| format!("op {name}")),
            until: names.get(until).map(|name| format!("op {name}")),
            guess: guesses[guess].to_owned(),
            hint: String::new(),
        };
        let exercise = Exercise { questions: questions.iter().map(question).collect(), ..Exercise::default() };
        let told = exercise.asked(&session);
        // By hand, one step at a time.
        let mut walk = session.clone();
        let mut at = StepNo::FIRST;
        for (index, &(place, until, guess)) in questions.iter().enumerate() {
            go(&mut walk, Command::Seek(at));
            if let Some(name) = names.get(place)
                && !on_to(&mut walk, name)
            {
                prop_assert_eq!(told.as_ref().err().map(|(question, _)| *question), Some(index), "{:?}", told);
                return Ok(());
            }
            at = walk.now();
            let printed = walk.machine().printed();
            let is_there = if let Some(name) = names.get(until) {
                on_to(&mut walk, name)
            } else {
                go(&mut walk, Command::Step);
                true
            };
            if !is_there {
                prop_assert_eq!(told.as_ref().err().map(|(question, _)| *question), Some(index), "{:?}", told);
                return Ok(());
            }
            let Ok(asked) = &told else {
                // A later one fails.
                prop_assert!(told.as_ref().is_err_and(|(question, _)| *question > index), "{:?}", told);
                continue;
            };
            let asked = &asked[index];
            prop_assert_eq!((asked.step, asked.behind), (at, walk.now()));
            let count = usize::try_from(walk.machine().printed() - printed).expect("it is little");
            let wanted = match guess {
                0 => Truth::Value(walk.machine().register(register)),
                1 => Truth::Value(u32::try_from(walk.machine().cycles()).expect("they are few") & target.word_mask()),
                _ => Truth::Printed(".".repeat(count)),
            };
            prop_assert_eq!(&asked.truth, &wanted);
            go(&mut walk, Command::Seek(at));
            prop_assert_eq!(asked.is_right(&walk, &asked.words(&walk).replace(" (", "; (").split(';').next().unwrap_or("").replace('"', "")), Ok(true));
        }
    }
}

#[test]
fn answers_are_taken_in_any_form_and_what_is_none_is_told() {
    let session = session(PROGRAMS[0].0);
    let asked = |truth: Truth| wendax_session::Asked { step: StepNo(0), behind: StepNo(1), truth };
    for (truth, answer, wanted) in [
        (Truth::Value(65_533), "-3", Ok(true)),
        (Truth::Value(65_533), "0xFFFD", Ok(true)),
        (Truth::Value(65_533), "r1 = 65533", Ok(true)),
        (Truth::Value(107), "'k'", Ok(true)),
        (Truth::Value(5), "2 + 3", Ok(true)),
        (Truth::Value(5), "6", Ok(false)),
        (Truth::Taken(true), "yes", Ok(true)),
        (Truth::Taken(true), "Not taken", Ok(false)),
        (Truth::Printed("a\n".to_owned()), "a", Ok(true)),
        (Truth::Printed("a\n".to_owned()), "\"a\\n\"", Ok(true)),
        (Truth::Printed(String::new()), "nothing", Ok(true)),
        (Truth::Printed("b".to_owned()), "a", Ok(false)),
    ] {
        assert_eq!(asked(truth.clone()).is_right(&session, answer), wanted, "{truth:?} {answer}");
    }
    assert!(asked(Truth::Taken(true)).is_right(&session, "5").is_err_and(|why| why.contains("`taken` or `not taken`")));
    assert!(asked(Truth::Value(1)).is_right(&session, "").is_err_and(|why| why.contains("expected a value")));
    assert!(asked(Truth::Value(1)).is_right(&session, "nobody").is_err_and(|why| why.contains("nobody")));
}
