//! Sources, objects and libraries to a program, over and over: what did not change is not parsed again.

use crate::link::Program;
use crate::problems::{diagnostic, in_order, led_back};
use crate::syntax::{Syntax, machine_of};
use crate::texts::{Texts, Used};
use crate::unit::Unit;
use crate::{Assembly, checks, codes, emit, layout, parser};
use rustc_hash::FxHashMap;
use std::sync::Arc;
use wendax_image::{Image, Line, SymbolKind};
use wendax_isa::Target;
use wendax_source::{Diagnostic, FileId, Files, Severity, SourceFile, Sources, Span};

/// An object file or library.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Library {
    /// Its path.
    pub path: String,
    /// What names it, for problems with it; when nothing does they are told of the file itself.
    pub named: Option<Span>,
}

impl Library {
    /// One that no text names.
    pub fn at(path: impl Into<String>) -> Self {
        Self { path: path.into(), named: None }
    }
}

/// What a program is made of.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Inputs {
    /// Paths of the sources, in the order they lie in memory.
    pub sources: Vec<String>,
    /// Object files and libraries; of the latter only what is used becomes part of the program.
    pub libraries: Vec<Library>,
    /// The label to begin at, when something outside the sources says so, and where it does.
    pub entry: Option<(String, Span)>,
    /// Kinds of warnings and hints that are meant so.
    pub meant: Vec<crate::MeantKind>,
    /// The machine it is for, when something outside the sources says so. Else the first of them that says one does.
    pub target: Option<&'static Target>,
}

/// The bytes of an object file or library, the units they are, and the sources whose lines they speak of.
type Objects = (Arc<[u8]>, Vec<Arc<Unit>>, Used);

/// Assembles and links a program whenever it is asked to. Units of sources that are the same as before are
/// kept.
#[derive(Debug, Default)]
pub struct Assembler {
    texts: Texts,
    units: FxHashMap<String, (Arc<Unit>, Used)>,
    objects: FxHashMap<String, Objects>,
    /// Who writes is offered the files that lie around sources.
    is_offering: bool,
}

impl Assembler {
    /// One for a text that is being written: an assembly knows what could be included, which takes reading folders.
    #[must_use]
    pub fn offering() -> Self {
        Self { is_offering: true, ..Self::default() }
    }

    /// One like this that has done nothing yet.
    #[must_use]
    pub fn anew(&self) -> Self {
        Self { is_offering: self.is_offering, ..Self::default() }
    }

    /// One that has these texts already, by their names.
    pub(crate) fn with_sources(sources: Sources) -> Self {
        Self { texts: Texts::of(sources), ..Self::default() }
    }

    /// Takes in a text that is no source, such as a manifest, so that diagnostics can speak of it.
    pub fn place(&mut self, path: &str, text: &Arc<str>) -> FileId {
        self.texts.place(path, text)
    }

    /// Assembles and links. Always gives an image, as good as the sources allow.
    pub fn assemble(&mut self, inputs: &Inputs, files: &dyn Files) -> Assembly {
        self.assemble_unless(inputs, files, &|| false)
            .unwrap_or_else(|| Assembly::of_image(Image::new(Syntax::default().target()), Sources::new()))
    }

    /// The same, given up as soon as `stop` says so; it is asked before each source. `None` when it was. What was
    /// assembled until then is kept for the next time.
    pub fn assemble_unless(&mut self, inputs: &Inputs, files: &dyn Files, stop: &dyn Fn() -> bool) -> Option<Assembly> {
        let mut found = Vec::new();
        let mut units: Vec<Arc<Unit>> = Vec::with_capacity(inputs.sources.len());
        let syntax = syntax_of(inputs, files);
        for path in &inputs.sources {
            if stop() {
                return None;
            }
            units.extend(self.unit(path, files, syntax, &mut found));
        }
        let mut whole: Vec<Arc<Unit>> = units.clone();
        let mut members = Vec::new();
        for Library { path, named } in &inputs.libraries {
            match self.objects_of(path, files) {
                Ok((units, _)) if let Some((of, other)) = machines_of(&whole, &units) => {
                    let place = named.unwrap_or_else(|| self.empty_place(path));
                    let message = format!("`{path}` is for {other}, and the rest of the program for {of}");
                    let found_here = diagnostic(codes::MACHINE, place, message);
                    found.push(found_here.with_expected(format!("an object or a library for {of}")));
                }
                Ok((units, true)) => members.extend(units),
                Ok((units, false)) => whole.extend(units),
                Err(what) => {
                    let place = named.unwrap_or_else(|| self.empty_place(path));
                    let found_here = diagnostic(codes::FILE, place, format!("`{path}` cannot be linked: {what}"));
                    found.push(found_here.with_expected("objects and libraries, as `wendax build` makes them"));
                }
            }
        }
        self.units.retain(|path, _| inputs.sources.contains(path));
        let borrowed: Vec<&Unit> = whole.iter().map(AsRef::as_ref).collect();
        let offered: Vec<&Unit> = members.iter().map(AsRef::as_ref).collect();
        // A library that cannot be had is the cause of all that is missing by it.
        let is_partial = !found.is_empty();
        let (mut image, more) = link(&self.texts.sources, &borrowed, &offered, inputs, is_partial);
        found.extend(more);
        // Instructions that are written as one are shown as what they are.
        let target = image.target;
        let is_several = |line: &Line| line.is_several(target);
        let texts = image.lines.iter().any(is_several).then(|| self.texts.pieces());
        let mut of: Vec<FileId> = units.iter().map(|unit| unit.file).collect();
        let included = units.iter().flat_map(|unit| &unit.included);
        of.extend(included.filter_map(|path| self.texts.sources.find(path)));
        of.sort_unstable();
        of.dedup();
        let (told, meant) = crate::meant::hush(&self.texts.sources, &of, &inputs.meant, syntax, found);
        let mut around: Vec<Arc<[String]>> = units
            .iter()
            .filter(|_| self.is_offering)
            .filter_map(|unit| self.texts.sources.get(unit.file))
            .map(|source| files.around(source.name()))
            .collect();
        around.dedup_by(|one, other| Arc::ptr_eq(one, other));
        let mut sources = self.texts.sources.clone();
        if let Some(texts) = texts {
            wendax_image::unfold(&mut image, &mut sources, texts, &is_several);
        }
        Some(Assembly { image, diagnostics: in_order(told), meant, sources, around, units })
    }

    /// Assembles one source to an object file, in ELF form.
    pub fn object(
        &mut self,
        path: &str,
        target: Option<&'static Target>,
        files: &dyn Files,
    ) -> Result<Vec<u8>, Vec<Diagnostic>> {
        let mut found = Vec::new();
        let alone = Inputs { sources: vec![path.to_owned()], target, ..Inputs::default() };
        let syntax = syntax_of(&alone, files);
        let Some(unit) = self.unit(path, files, syntax, &mut found) else { return Err(found) };
        let mut program = Program::object(&unit);
        layout::lay_out(&mut program);
        let bytes = crate::objects::object(&self.texts.sources, &mut program);
        found.extend(program.problems[0].list().iter().map(|found| led_back(found.clone(), &unit.expansions)));
        if found.iter().all(|found| found.severity != Severity::Problem) { Ok(bytes) } else { Err(in_order(found)) }
    }

    /// All texts met so far.
    pub fn sources(&self) -> &Sources {
        &self.texts.sources
    }

    fn unit(
        &mut self,
        path: &str,
        files: &dyn Files,
        syntax: Syntax,
        found: &mut Vec<Diagnostic>,
    ) -> Option<Arc<Unit>> {
        if let Some((unit, used)) = self.units.get(path)
            && unit.syntax == syntax
            && used.is_current(files)
        {
            return Some(Arc::clone(unit));
        }
        match self.texts.read(path, files) {
            Ok((file, _)) => {
                let (unit, used) = parser::parse(&mut self.texts, file, files, syntax);
                let unit = Arc::new(unit);
                self.units.insert(path.to_owned(), (Arc::clone(&unit), used));
                Some(unit)
            }
            Err(error) => {
                let place = self.empty_place(path);
                let found_here = diagnostic(codes::FILE, place, format!("`{path}` cannot be read: {}", error.0));
                found.push(found_here.with_expected("a source that is there, in UTF-8"));
                None
            }
        }
    }

    /// The units of an object file or library, and whether it is the latter.
    fn objects_of(&mut self, path: &str, files: &dyn Files) -> Result<(Vec<Arc<Unit>>, bool), String> {
        let bytes = files.bytes(path).map_err(|error| error.0)?;
        let is_library = crate::objects::is_library(&bytes);
        if let Some((known, units, used)) = self.objects.get(path)
            && *known == bytes
            && used.is_current(files)
        {
            return Ok((units.clone(), is_library));
        }
        let mut used = Used::default();
        let units = crate::objects::read_objects(path, &bytes, &mut self.texts, files, &mut used)
            .map_err(|error| error.to_string())?;
        let units: Vec<Arc<Unit>> = units.into_iter().map(Arc::new).collect();
        self.objects.insert(path.to_owned(), (bytes, units.clone(), used));
        Ok((units, is_library))
    }

    /// A place to speak of a file that has no text.
    fn empty_place(&mut self, path: &str) -> Span {
        let known = self.texts.sources.find(path);
        let file = known.unwrap_or_else(|| self.texts.sources.add(SourceFile::new(path, "")));
        Span::new(file, 0, 0)
    }
}

/// The machines of the program so far and of units that are to be linked to it, when they differ.
fn machines_of(program: &[Arc<Unit>], more: &[Arc<Unit>]) -> Option<(&'static str, &'static str)> {
    let of = program.first()?.syntax;
    let other = more.iter().find(|unit| unit.syntax != of)?;
    Some((of.target().name, other.syntax.target().name))
}

/// The machine that a program is for.
fn syntax_of(inputs: &Inputs, files: &dyn Files) -> Syntax {
    let of_source = |path: &String| machine_of(&files.text(path).ok()?);
    inputs.target.or_else(|| inputs.sources.iter().find_map(of_source)).map_or(Syntax::default(), Syntax::of)
}

fn link(
    sources: &Sources,
    units: &[&Unit],
    libraries: &[&Unit],
    inputs: &Inputs,
    is_partial: bool,
) -> (Image, Vec<Diagnostic>) {
    let mut program = Program::link(sources, units, libraries, is_partial);
    layout::lay_out(&mut program);
    let wanted = inputs.entry.as_ref().map(|(name, _)| name.as_str());
    let emitted = emit::emit(sources, &mut program, wanted);
    let mut found = Vec::new();
    if let Some((name, span)) = &inputs.entry
        && emit::begins(&emitted.image, name).is_none()
        && program.is_sound()
    {
        let known = emitted.image.best_symbol(name);
        let labels = emitted.image.labels().map(|symbol| symbol.name.as_str());
        let near = wendax_source::nearest(name, labels).filter(|_| known.is_none());
        let message = match known {
            Some(symbol) if symbol.kind == SymbolKind::Constant => format!("`{name}` is a constant, not a label"),
            Some(_) => format!("there is no instruction at `{name}`"),
            None => format!("no source has a label `{name}`"),
        };
        let problem = diagnostic(codes::BAD_ENTRY, *span, message);
        let problem = match known {
            Some(symbol) => {
                problem.with_label("the program is to begin here").with_other(symbol.span, "and this is the name")
            }
            None => problem,
        };
        found.push(match near {
            Some(near) => problem.with_guess(format!("did you mean `{near}`?"), *span, format!("\"{near}\"")),
            None => problem.with_expected("the name of a label before an instruction"),
        });
    }
    checks::check(sources, &mut program, &emitted);
    for (problems, unit) in program.problems.iter().zip(&program.units) {
        found.extend(problems.list().iter().map(|problem| led_back(problem.clone(), &unit.expansions)));
    }
    // Jumps out of a program that does not fit have that cause.
    if found.iter().any(|problem| problem.code == codes::NO_ROOM.code) {
        found.retain(|problem| problem.code != codes::FAR.code);
    }
    // What unfolds without end is too large by that.
    if found.iter().any(|problem| problem.code == codes::ENDLESS.code) {
        found.retain(|problem| problem.code != codes::NO_ROOM.code);
    }
    (emitted.image, found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use wendax_source::MemoryFiles;

    #[test]
    fn only_what_changed_is_parsed_again() {
        let files = MemoryFiles::default()
            .with("a.asm", ".include \"common.inc\"\nstart: mov r1, GATES\n sys exit\n")
            .with("b.asm", "other: nop\n ret\n")
            .with("common.inc", ".equ GATES, 3\n");
        let sources = vec!["a.asm".to_owned(), "b.asm".to_owned()];
        let inputs = Inputs { sources, ..Inputs::default() };
        let mut assembler = Assembler::default();
        let mut last = assembler.assemble(&inputs, &files);
        let mut kept = |files: &MemoryFiles| {
            let next = assembler.assemble(&inputs, files);
            let kept = last.units.iter().zip(&next.units).map(|(then, now)| Arc::ptr_eq(then, now)).collect::<Vec<_>>();
            last = next;
            kept
        };
        assert_eq!(kept(&files), [true, true]);
        assert_eq!(kept(&files.clone().with("b.asm", "other: nop\n nop\n ret\n")), [true, false]);
        assert_eq!(kept(&files), [true, false]);
        assert_eq!(kept(&files.clone().with("common.inc", ".equ GATES, 4\n")), [false, true]);
    }
}
