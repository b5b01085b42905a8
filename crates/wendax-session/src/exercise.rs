//! Exercises: questions about a run, whose answers the run itself gives.
//!
//! A question stands at a moment, and is about what is so behind the step there, or at another moment further on. Nobody
//! writes the answers down: they are found by going there, and so are right whatever becomes of the program.

mod read;

use crate::explain::explain;
use crate::journey::{Command, Progress, State, Why};
use crate::session::Session;
use crate::stops::StopAt;
use crate::values::{At, Names};
use crate::words::number_words;
use wendax_isa::StepNo;
use wendax_language::ValueError;
use wendax_machine::{Event, Need};

/// Work that is done at most to come to all questions of an exercise, in plain steps: to look for a value at each costs more.
const MOST: u64 = 20_000_000;

/// Steps between two looks at how many there were.
const SLICE: u64 = 100_000;

/// A question.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Question {
    /// What is asked, for people.
    pub ask: String,
    /// Where: a stop in words, met for the first time behind the question before. Without one at the same moment as that.
    pub at: Option<String>,
    /// Up to where: a stop in words; without one the step there.
    pub until: Option<String>,
    /// What is to be said: a value in words, as it is then; `taken`, or `prints`.
    pub guess: String,
    /// For who does not get on.
    pub hint: String,
}

/// An exercise: questions about the run of a program.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Exercise {
    /// What it is called.
    pub title: String,
    /// What is to be known before.
    pub about: String,
    /// The program, as a path from the file of the exercise.
    pub program: String,
    /// What is typed to it.
    pub typed: String,
    /// The questions, in the order the run comes to them.
    pub questions: Vec<Question>,
}

/// The right answer of a question.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Truth {
    /// A value.
    Value(u32),
    /// The jump is taken, or not.
    Taken(bool),
    /// This is printed.
    Printed(String),
}

/// A question at its moment, with its answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Asked {
    /// The moment it is asked at.
    pub step: StepNo,
    /// The moment behind it, at which the answer is seen.
    pub behind: StepNo,
    /// The right answer.
    pub truth: Truth,
}

impl Asked {
    /// The right answer in words.
    pub fn words(&self, session: &Session) -> String {
        match &self.truth {
            Truth::Value(value) => number_words(session.machine().target(), *value),
            Truth::Taken(true) => "taken".to_owned(),
            Truth::Taken(false) => "not taken".to_owned(),
            Truth::Printed(text) if text.is_empty() => "nothing".to_owned(),
            Truth::Printed(text) => format!("{text:?}"),
        }
    }

    /// An answer that someone gave is right; names and registers in it mean what they hold at the session's moment.
    ///
    /// # Errors
    ///
    /// It is no answer, and what would be one.
    pub fn is_right(&self, session: &Session, answer: &str) -> Result<bool, String> {
        let answer = answer.trim();
        match &self.truth {
            Truth::Taken(is_taken) => match answer.to_ascii_lowercase().as_str() {
                "taken" | "yes" => Ok(*is_taken),
                "not taken" | "not" | "no" => Ok(!*is_taken),
                _ => Err("expected `taken` or `not taken`".to_owned()),
            },
            Truth::Printed(text) => {
                let is_nothing = answer.eq_ignore_ascii_case("nothing") && text.is_empty();
                let plain = answer.trim_matches('"').replace("\\n", "\n");
                Ok(is_nothing || plain == *text || plain.trim() == text.trim())
            }
            Truth::Value(value) => {
                if answer.is_empty() {
                    return Err("expected a value: 12, -3, 0x1F, 'k', a label".to_owned());
                }
                // Who writes the name before it means the same: `r1 = 5`.
                let number = answer.rsplit_once('=').map_or(answer, |(_, number)| number).trim();
                let machine = session.machine();
                let names = Names::new(session.image(), machine.target(), session.present_address());
                let told = |error: ValueError| format!("`{answer}`: {}", error.message);
                let given = names.read(number).map_err(told)?.value(&At::new(machine)).map_err(told)?;
                Ok(given & i64::from(machine.target().word_mask()) == i64::from(*value))
            }
        }
    }
}

impl Exercise {
    /// Reads the file of an exercise.
    ///
    /// # Errors
    ///
    /// What is wrong, with its line: `line 3: …`.
    pub fn read(text: &str) -> Result<Self, String> {
        read::read(text)
    }

    /// Each question at its moment, with the answer that the run of a session gives; its input must have been typed.
    ///
    /// # Errors
    ///
    /// The index of the question that cannot be asked, and why.
    pub fn asked(&self, session: &Session) -> Result<Vec<Asked>, (usize, String)> {
        let mut walk = session.clone();
        walk.set_stops([]);
        let mut left = MOST;
        travel(&mut walk, Command::Seek(StepNo::FIRST), &mut left).map_err(|why| (0, why))?;
        let mut all = Vec::new();
        for (index, question) in self.questions.iter().enumerate() {
            all.push(question.asked(&mut walk, index == 0, &mut left).map_err(|why| (index, why))?);
        }
        Ok(all)
    }
}

impl Question {
    /// Goes to its moment, and finds the answer behind it.
    fn asked(&self, walk: &mut Session, is_first: bool, left: &mut u64) -> Result<Asked, String> {
        if let Some(words) = &self.at {
            let stop = stop_in(walk, words)?;
            let is_here = is_first && stop.place.code() == Some(walk.machine().pc());
            if !is_here {
                travel(walk, Command::Until(Box::new(stop)), left)?;
                arrived(walk, words)?;
            }
        }
        let step = walk.now();
        let taken = explain(walk).taken;
        let printed = walk.machine().printed();
        let mut further = walk.clone();
        if let Some(words) = &self.until {
            let stop = stop_in(walk, words)?;
            travel(&mut further, Command::Until(Box::new(stop)), left)?;
            arrived(&further, words)?;
        } else {
            travel(&mut further, Command::Step, left)?;
            if further.now() == step {
                return Err("there is no step behind it".to_owned());
            }
        }
        let truth = match self.guess.trim() {
            "taken" => Truth::Taken(taken.ok_or("there is no jump that hangs on something")?),
            "prints" => {
                let count = usize::try_from(further.machine().printed() - printed).unwrap_or(usize::MAX);
                let bytes = further.printed_since(printed);
                Truth::Printed(String::from_utf8_lossy(&bytes[..count.min(bytes.len())]).into_owned())
            }
            words => {
                let machine = further.machine();
                let names = Names::new(walk.image(), machine.target(), walk.present_address());
                let told = |error: ValueError| format!("`{words}`: {}", error.message);
                let value = names.read(words).map_err(told)?.value(&At::new(machine)).map_err(told)?;
                Truth::Value(u32::try_from(value & i64::from(machine.target().word_mask())).unwrap_or(0))
            }
        };
        Ok(Asked { step, behind: further.now(), truth })
    }
}

fn stop_in(session: &Session, words: &str) -> Result<StopAt, String> {
    let names = Names::new(session.image(), session.machine().target(), session.present_address());
    StopAt::read(words, &names, session.sources()).map_err(|error| format!("`{words}`: {}", error.message))
}

/// The walk has come to what it was to come to.
fn arrived(session: &Session, words: &str) -> Result<(), String> {
    if *session.state() == State::Paused(Why::Until) {
        return Ok(());
    }
    Err(format!("the run does not come to `{words}`"))
}

/// Carries a command out, within what is `left` of steps.
fn travel(session: &mut Session, command: Command, left: &mut u64) -> Result<(), String> {
    session.begin(command);
    loop {
        let slice = SLICE.min(*left);
        if slice == 0 {
            session.pause();
            return Err(format!("the run takes more work than {} plain steps", crate::numbers::grouped(MOST)));
        }
        match session.work(slice) {
            Progress::Arrived => return Ok(()),
            Progress::Working => *left -= slice,
            Progress::Asks(need) => {
                let own = u32::try_from(session.machine().own_milliseconds()).unwrap_or(u32::MAX);
                session.answer(match need {
                    Need::Clock => Event::Clock(own),
                    Need::Wait(_) | Need::Sound(_) => Event::Waited,
                    Need::Input | Need::File => {
                        session.pause();
                        return Err("the run asks for what comes from outside".to_owned());
                    }
                });
            }
        }
    }
}
