//! An exercise that is under way: its questions at their moments, what was answered, and where it stands.

use super::World;
use wendax_session::{Asked, Exercise, Question};

/// An exercise under way.
#[derive(Debug, Clone)]
pub(crate) struct Exercised {
    pub(crate) exercise: Exercise,
    /// The questions at their moments, with what is right.
    asked: Vec<Asked>,
    /// What was answered so far, and whether it was right, in order of the questions.
    answers: Vec<(String, bool)>,
    /// The run that it is about.
    run: u64,
}

impl Exercised {
    pub(crate) fn new(exercise: Exercise, asked: Vec<Asked>, run: u64) -> Self {
        Self { exercise, asked, answers: Vec::new(), run }
    }

    /// The question that is not answered yet, with its number from 0 and its moment.
    pub(crate) fn open(&self) -> Option<(usize, &Question, &Asked)> {
        let at = self.answers.len();
        Some((at, self.exercise.questions.get(at)?, self.asked.get(at)?))
    }

    /// Notes an answer to the open question.
    pub(crate) fn note(&mut self, answer: &str, is_right: bool) {
        self.answers.push((answer.to_owned(), is_right));
    }

    /// Right answers, those given, and questions.
    pub(crate) fn count(&self) -> (usize, usize, usize) {
        (self.answers.iter().filter(|(_, is_right)| *is_right).count(), self.answers.len(), self.asked.len())
    }
}

impl World {
    /// The open question of an exercise about the present run.
    pub(crate) fn open_question(&self) -> Option<(usize, &Question, &Asked)> {
        self.exercise.as_ref().filter(|exercise| exercise.run == self.walk.runs)?.open()
    }

    /// The same when the walk stands at its moment.
    pub(crate) fn question_here(&self) -> Option<(usize, &Question, &Asked)> {
        let now = self.walk.session.as_ref()?.now();
        self.open_question().filter(|(.., asked)| asked.step == now)
    }

    /// A page about how the exercise went so far.
    pub(crate) fn exercise_page(&self) -> String {
        let (Some(exercised), Some(session)) = (&self.exercise, &self.walk.session) else {
            return "there is no exercise: “Exercise” in the palette takes one from a file".to_owned();
        };
        let (right, given, all) = exercised.count();
        let mut text = format!("# {}\n\n{}\n\n", exercised.exercise.title, exercised.exercise.about.trim());
        text.push_str(&format!("{right} of {given} answers were right; there are {all} questions.\n\n"));
        let rows = exercised.exercise.questions.iter().zip(&exercised.asked).zip(&exercised.answers);
        for (number, ((question, asked), (answer, is_right))) in (1..).zip(rows) {
            let told = if *is_right { "right".to_owned() } else { format!("it is {}", asked.words(session)) };
            text.push_str(&format!("- {number}. {} You said {answer}: {told}.\n", question.ask));
        }
        text
    }
}
