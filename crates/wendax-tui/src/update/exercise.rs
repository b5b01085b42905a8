//! Exercises: questions one behind the other, each asked at its moment.

use crate::actions::Text;
use crate::app::App;
use crate::message::Effect;
use crate::sheet::Sheet;
use crate::world::exercises::Exercised;
use wendax_session::{Command, Exercise, Session};

impl App {
    /// The file that is meant first: that beside the program.
    pub(super) fn first_exercise(&self) -> String {
        self.path().map_or(String::new(), |path| {
            let stem = path.rsplit_once('.').map_or(path, |(stem, _)| stem);
            format!("{stem}.exercise.toml")
        })
    }

    /// Begins an exercise that was to begin when there is a program.
    pub(crate) fn begin_wanted_exercise(&mut self, effects: &mut Vec<Effect>) {
        if !self.world.is_assembled() || !self.world.program.is_runnable() {
            return;
        }
        if let Some((path, text)) = self.world.wanted_exercise.take() {
            self.take_exercise(&path, &text, effects);
        }
    }

    /// Begins an exercise.
    pub(super) fn take_exercise(&mut self, path: &str, text: &str, effects: &mut Vec<Effect>) {
        let exercise = match Exercise::read(text) {
            Ok(exercise) => exercise,
            Err(why) => return self.screen.trouble(format!("{path}, {why}")),
        };
        if !self.world.is_assembled() || !self.world.program.is_runnable() {
            return self.say_not_ready();
        }
        if !exercise.typed.is_empty() {
            self.world.given.typed = Some(exercise.typed.clone().into_bytes());
        }
        self.begin_anew("an exercise");
        let Some(session) = self.session() else { return };
        match exercise.asked(session) {
            Err((number, why)) => self.screen.trouble(format!("{path}, question {}: {why}", number + 1)),
            Ok(asked) => {
                self.world.exercise = Some(Exercised::new(exercise, asked, self.world.walk.runs));
                self.next_question(effects);
            }
        }
    }

    /// To the moment of the open question; false when there is none.
    pub(super) fn next_question(&mut self, effects: &mut Vec<Effect>) -> bool {
        let Some(step) = self.world.open_question().map(|(.., asked)| asked.step) else { return false };
        if self.session().map(Session::now) == Some(step) {
            self.screen.say("→ takes your answer");
        } else {
            self.begin(Command::Seek(step), effects);
            self.screen.say("a question: → takes your answer");
        }
        true
    }

    /// Holds an answer against what is so, and shows it.
    pub(super) fn answer_exercise(&mut self, text: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let (session, (_, question, asked)) =
            self.session().zip(self.world.question_here()).ok_or("there is no question here")?;
        if text.trim() == "?" {
            let hint = question.hint.trim();
            return Err(if hint.is_empty() { "there is no hint".to_owned() } else { hint.to_owned() });
        }
        let is_right = asked.is_right(session, text)?;
        let truth = asked.words(session);
        let (step, behind) = (asked.step, asked.behind);
        let account = self.world.walk.explanation.as_ref().filter(|_| behind == step + 1);
        let because = account.and_then(|account| account.sentences.first().cloned());
        let because = because.map_or(String::new(), |because| format!("; {because}"));
        let exercised = self.world.exercise.as_mut().ok_or("there is no exercise")?;
        exercised.note(text.trim(), is_right);
        let (right, given, all) = exercised.count();
        let on = if given < all {
            "g goes on to the next question".to_owned()
        } else {
            format!("{right} of {all} were right")
        };
        self.begin(Command::Seek(behind), effects);
        if is_right {
            self.screen.say(format!("right{because}; {on}"));
        } else {
            self.screen.trouble(format!("it is {truth}{because}; {on}"));
        }
        if given == all {
            self.screen.sheet = Some(Sheet::Page { what: Text::Exercise, scroll: 0 });
        }
        Ok(())
    }
}
