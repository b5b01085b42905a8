//! Certain fixes, applied and proved.
//!
//! A fix is kept only if it makes problems fewer and brings none that was not there, or brings up on its own line what
//! is certain as well: the program is assembled with it to know. Guesses are never applied here. Nothing is written: what the texts become is told.

use crate::disk::DiskFiles;
use crate::project::Project;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use wendax_asm::{Assembler, Assembly};
use wendax_source::{Code, Diagnostic, Edit, FileId, Fix, Grade, Severity, Span, apply_edits};

/// Rounds, since what is mended can bring up what was hidden by it.
const ROUNDS: usize = 8;

/// Assemblies in search of the fixes that hold, in all.
const MOST_TRIALS: usize = 400;

/// A fix that was applied.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Done {
    /// The file, as the program names it.
    pub file: String,
    /// The line at the time, from 1.
    pub line: u32,
    /// The column at the time, from 1.
    pub column: u32,
    /// What it did, as an order.
    pub title: String,
}

/// What certain fixes make of a program's texts.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Mended {
    /// The texts that changed by path: before and after.
    pub texts: BTreeMap<String, (Arc<str>, String)>,
    /// What was done, in order.
    pub done: Vec<Done>,
    /// Files outside of the program's folder that fixes were for, which are left as they are.
    pub foreign: BTreeSet<String>,
}

/// Problems and warnings by kind and message, numbers left out: those move when lines do.
type Count = BTreeMap<(Severity, Code, String), usize>;

fn count(found: &[Diagnostic]) -> Count {
    let mut count = Count::new();
    // Warnings are looked for once there is no problem; only then do they count.
    let has_problem = found.iter().any(|found| found.severity == Severity::Problem);
    let matters = |severity| severity == Severity::Problem || !has_problem && severity == Severity::Warning;
    for found in found.iter().filter(|found| matters(found.severity)) {
        let message: String = found.message.chars().filter(|c| !c.is_ascii_hexdigit()).collect();
        *count.entry((found.severity, found.code, message)).or_default() += 1;
    }
    count
}

/// Fewer are left, and none of them is new. What warnings come up once no problem is left was there before, unseen.
fn is_better(before: &Count, after: &Count) -> bool {
    let is_problem = |(severity, ..): &(Severity, Code, String)| *severity == Severity::Problem;
    let had_problems = before.keys().any(is_problem);
    let counts = |count: &Count| -> usize {
        count.iter().filter(|(key, _)| !had_problems || is_problem(key)).map(|(_, number)| number).sum()
    };
    let is_known = |(key, number): (&(Severity, Code, String), &usize)| {
        had_problems && !is_problem(key) || before.get(key).is_some_and(|known| known >= number)
    };
    counts(after) < counts(before) && after.iter().all(is_known)
}

/// A program whose fixes are tried.
struct Trial<'a> {
    project: &'a mut Project,
    assembler: &'a mut Assembler,
    disk: &'a mut DiskFiles,
    left: usize,
}

impl Trial<'_> {
    fn assemble(&mut self) -> (Assembly, Vec<Diagnostic>) {
        let (inputs, mut found) = self.project.inputs(self.assembler, &*self.disk);
        let assembly = self.assembler.assemble(&inputs, &*self.disk);
        found.extend(assembly.diagnostics.iter().cloned());
        (assembly, found)
    }

    /// What is found with these texts; they stay in place.
    fn with(&mut self, texts: &BTreeMap<String, String>) -> (Assembly, Vec<Diagnostic>) {
        self.left = self.left.saturating_sub(1);
        for (name, text) in texts {
            self.disk.edit(name, text.as_str().into());
        }
        self.assemble()
    }
}

/// The certain fixes among what was found. A hint is a question, which a person answers.
fn certain(found: &[Diagnostic]) -> Vec<(Span, Fix)> {
    let sure = found.iter().filter(|found| found.severity != Severity::Hint);
    let fixes = sure.filter_map(|found| Some((found.primary.span, found.fix.clone()?)));
    fixes.filter(|(_, fix)| fix.grade == Grade::Certain).collect()
}

/// Applies the certain fixes of a program that hold.
pub fn mend(project: &mut Project, assembler: &mut Assembler, disk: &mut DiskFiles) -> Mended {
    let mut trial = Trial { project, assembler, disk, left: MOST_TRIALS };
    let before = count(&trial.assemble().1);
    // What one mistake of a line hides of another is mended first; only what is better in the end is kept.
    let mended = mend_lines(&mut trial, true);
    let after = count(&trial.assemble().1);
    if mended.done.is_empty() || is_better(&before, &after) {
        return mended;
    }
    for (name, (text, _)) in &mended.texts {
        trial.disk.edit(name, Arc::clone(text));
    }
    trial.left = MOST_TRIALS;
    mend_lines(&mut trial, false)
}

/// Applies fixes round by round; with `leads_on` also those behind which the next mistake of their line shows itself.
fn mend_lines(trial: &mut Trial<'_>, leads_on: bool) -> Mended {
    let mut mended = Mended::default();
    for _ in 0..ROUNDS {
        let (assembly, found) = trial.assemble();
        let mut fixes = certain(&found);
        // What lies elsewhere may be part of something else.
        fixes.retain(|(_, fix)| {
            let mut names = fix.edits.iter().map(|edit| assembly.sources.file(edit.span.file).name());
            let foreign = names.find(|name| !trial.project.is_own(name)).map(str::to_owned);
            mended.foreign.extend(foreign.clone());
            foreign.is_none()
        });
        if fixes.is_empty() {
            break;
        }
        let base: BTreeMap<FileId, (String, Arc<str>)> = fixes
            .iter()
            .flat_map(|(_, fix)| &fix.edits)
            .map(|edit| {
                let file = assembly.sources.file(edit.span.file);
                (edit.span.file, (file.name().to_owned(), file.shared_text()))
            })
            .collect();
        let mut kept = Kept { texts: texts_with(&base, &[]), count: count(&found), fixes: Vec::new(), leads_on };
        halve(trial, &base, &fixes, &mut kept);
        trial.with(&kept.texts);
        if kept.fixes.is_empty() {
            break;
        }
        for (span, fix) in &kept.fixes {
            let place = assembly.sources.place(*span);
            let file = assembly.sources.file(span.file).name().to_owned();
            mended.done.push(Done { file, line: place.line, column: place.column, title: fix.title.clone() });
        }
        for (name, before) in base.values() {
            let after = kept.texts.get(name).cloned().unwrap_or_default();
            let first = mended.texts.get(name).map_or_else(|| Arc::clone(before), |(first, _)| Arc::clone(first));
            mended.texts.insert(name.clone(), (first, after));
        }
    }
    mended.texts.retain(|_, (before, after)| **before != **after);
    mended
}

/// What has been accepted so far in a round.
struct Kept {
    texts: BTreeMap<String, String>,
    count: Count,
    fixes: Vec<(Span, Fix)>,
    /// A fix may bring up the next mistake of its line.
    leads_on: bool,
}

/// Takes all of these fixes if they hold together, else what holds of either half.
fn halve(trial: &mut Trial<'_>, base: &BTreeMap<FileId, (String, Arc<str>)>, fixes: &[(Span, Fix)], kept: &mut Kept) {
    if fixes.is_empty() || trial.left == 0 {
        return;
    }
    let all: Vec<(Span, Fix)> = kept.fixes.iter().chain(fixes).cloned().collect();
    let texts = texts_with(base, &all);
    let (assembly, found) = trial.with(&texts);
    let count = count(&found);
    let leads_on = kept.leads_on;
    if is_better(&kept.count, &count) || leads_on && self::leads_on(base, &all, kept, (&assembly, &found, &count)) {
        *kept = Kept { texts, count, fixes: all, leads_on };
        return;
    }
    if fixes.len() > 1 {
        let (left, right) = fixes.split_at(fixes.len() / 2);
        halve(trial, base, left, kept);
        halve(trial, base, right, kept);
    }
}

/// The problems that are new stand on lines that were mended and have certain fixes: a line had several mistakes, of which
/// one hid the others.
fn leads_on(
    base: &BTreeMap<FileId, (String, Arc<str>)>,
    fixes: &[(Span, Fix)],
    kept: &Kept,
    (assembly, found, after): (&Assembly, &[Diagnostic], &Count),
) -> bool {
    let line_in = |text: &str, at: u32| text[..at as usize].matches('\n').count();
    let mended: Vec<(&str, usize)> = fixes
        .iter()
        .filter_map(|(span, _)| base.get(&span.file).map(|(name, text)| (name.as_str(), line_in(text, span.start))))
        .collect();
    let is_new = |found: &&Diagnostic| {
        let key = count(std::slice::from_ref(*found)).into_keys().next();
        key.is_some_and(|key| after.get(&key) > kept.count.get(&key))
    };
    found.iter().filter(|found| found.severity == Severity::Problem).filter(is_new).all(|found| {
        let span = found.primary.span;
        let file = assembly.sources.file(span.file);
        let place = (file.name(), line_in(file.text(), span.start));
        found.fix.as_ref().is_some_and(|fix| fix.grade == Grade::Certain) && mended.contains(&place)
    })
}

/// The texts with these fixes.
fn texts_with(base: &BTreeMap<FileId, (String, Arc<str>)>, fixes: &[(Span, Fix)]) -> BTreeMap<String, String> {
    base.iter()
        .map(|(file, (name, text))| {
            let edits: Vec<Edit> =
                fixes.iter().flat_map(|(_, fix)| &fix.edits).filter(|edit| edit.span.file == *file).cloned().collect();
            (name.clone(), apply_edits(text, &edits))
        })
        .collect()
}
