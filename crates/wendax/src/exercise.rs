//! `wendax exercise`: the questions of an exercise with the answers that its program gives, for who teaches.

use crate::cli::ExerciseOptions;
use crate::{Failure, files, program};
use serde::Serialize;
use std::path::{Component, Path, PathBuf};
use wendax_machine::{Clock, Event, Settings};
use wendax_project::Seal;
use wendax_session::{Exercise, Session};

/// The ending of files with exercises.
const ENDING: &str = ".exercise.toml";

/// A file is named as exercises are.
pub(crate) fn is_exercise(path: &Path) -> bool {
    path.file_name().is_some_and(|name| name.to_string_lossy().ends_with(ENDING))
}

/// An exercise that was read.
pub(crate) struct Read {
    pub(crate) exercise: Exercise,
    pub(crate) text: String,
    /// Where its program lies.
    pub(crate) program: PathBuf,
}

/// Reads an exercise and finds its program, which lies beside it or below.
pub(crate) fn read(path: &Path) -> Result<Read, Failure> {
    let text = files::text_of(path, files::read(path)?)?;
    let wrong = |why: String| Failure::usage(format!("{}, {why}", path.display()));
    let exercise = Exercise::read(&text).map_err(wrong)?;
    let program = below(path, &exercise.program).map_err(wrong)?;
    Ok(Read { exercise, text, program })
}

/// The program that a file names, which lies beside it or below.
pub(crate) fn below(path: &Path, program: &str) -> Result<PathBuf, String> {
    let named = Path::new(program);
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    // Neither by its words nor by a link.
    let is_below = named.components().all(|part| matches!(part, Component::Normal(_)))
        && Seal::default().leads_outside(folder, program).is_none();
    if program.is_empty() || !is_below {
        return Err(format!(
            "`program` names a file beside this one or below it, as in program = \"axles.asm\"; it is {program:?}"
        ));
    }
    Ok(path.parent().unwrap_or(Path::new("")).join(named))
}

/// A question with its answer, as JSON.
#[derive(Serialize)]
struct Row<'a> {
    question: usize,
    ask: &'a str,
    step: u64,
    answer: String,
}

/// Tells each question with its answer.
pub(crate) fn exercise(options: &ExerciseOptions) -> Result<u8, Failure> {
    let seal = options.opening.bounds.seal(None);
    seal.may_read(&options.file).map_err(|why| Failure::usage(format!("{}: {why}", options.file.display())))?;
    let Read { exercise, program: place, .. } = read(&options.file)?;
    let how = program::How {
        at: None,
        target: None,
        belongs: program::Belongs::ToProject,
        seal,
        telling: program::Telling::of(&options.opening),
    };
    let program = program::load(&place, &how)?;
    let settings = Settings { clock: Clock::Cycles, ..Settings::default() };
    let mut session = Session::new(program.image().clone(), settings).with_sources(program.assembly.sources.clone());
    session.edit(Event::Typed(exercise.typed.clone().into_bytes()));
    session.edit(Event::InputEnds);
    let asked = exercise.asked(&session).map_err(|(number, why)| {
        Failure::usage(format!("{}, question {}: {why}", options.file.display(), number + 1))
    })?;
    let mut out = String::new();
    for (index, (question, asked)) in exercise.questions.iter().zip(&asked).enumerate() {
        let (number, answer) = (index + 1, asked.words(&session));
        if options.json {
            let row = Row { question: number, ask: &question.ask, step: asked.step.0, answer };
            out.push_str(&serde_json::to_string(&row).map_err(|error| Failure::usage(error.to_string()))?);
            out.push('\n');
        } else {
            out.push_str(&format!("{number}. {}\n   step {}: {answer}\n", question.ask, asked.step));
        }
    }
    files::write_to(Path::new("-"), out.as_bytes())?;
    Ok(0)
}
