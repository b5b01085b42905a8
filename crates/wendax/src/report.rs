//! `wendax report`: one document of a program, to be handed in or kept with a commit.
//!
//! What goes into it is gathered as parts in order; a PDF is made of them by `wendax-draw`, Markdown here, with pictures
//! beside it as SVG.

use crate::cli::Report as Options;
use crate::run::{self, Begun, World};
use crate::{Failure, draw, files, program, tally};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use wendax_draw::{Drawing, Form, Look, Part, Scene};
use wendax_language::Written;
use wendax_session::{Command, Names, Session, Show, Shown, Tally, fault_causes, grouped, place};

/// Rows of each table.
const ROWS: usize = 15;
/// Lines of output that are shown.
const OUTPUT: usize = 200;

/// A part of the document, before it has a form.
enum Piece {
    Head(String),
    Text(String),
    /// Lines as they are: a listing, output.
    Code(Vec<String>),
    Table(wendax_session::Table),
    /// A picture, and a word for its file.
    Picture(String, Scene),
}

pub(crate) fn report(options: &Options) -> Result<u8, Failure> {
    let ending = wendax_session::ending(&options.output);
    if !matches!(ending.as_str(), "pdf" | "md") {
        let text = format!("{}: a report goes to a .pdf or a .md", options.output.display());
        return Err(Failure::usage(text));
    }
    let path = program::here(options.file.as_deref())?;
    let begun = run::begin(path, &options.conditions, &[("-o", &options.output)]);
    let mut status = 0;
    let (head, pieces, found) = match begun {
        Ok(begun) => {
            let head = Head::of(options, &begun, path);
            let pieces = gather(options, begun, path, &mut status)?;
            (head, pieces, 0)
        }
        // What is wrong with a program can be handed in too.
        Err(failure) if failure.status == crate::status::PROBLEMS => {
            let lines = without_colours(&failure.text).lines().map(str::to_owned).collect();
            let pieces = vec![
                Piece::Head("Problems".to_owned()),
                Piece::Text("The program could not be assembled, so it was not run.".to_owned()),
                Piece::Code(lines),
            ];
            (Head::bare(options, path), pieces, crate::status::PROBLEMS)
        }
        Err(failure) => return Err(failure),
    };
    if ending == "pdf" {
        let parts = parts(&head, &pieces);
        let pages = wendax_draw::pages(&head.title, &parts);
        draw::write(&options.output, Form::Pdf, &pages, Look::Light, head.author.as_deref())?;
    } else {
        markdown(&head, &pieces, &options.output)?;
    }
    if found > 0 {
        let text = format!("{}: the program has problems, which stand in the report", options.output.display());
        return Err(Failure { status: found, ..Failure::usage(text) });
    }
    Ok(status)
}

/// Problems as they were rendered for a terminal, for a document.
fn without_colours(text: &str) -> String {
    let mut pieces = text.split('\x1B');
    let first = pieces.next().unwrap_or_default().to_owned();
    pieces.fold(first, |text, piece| text + piece.split_once('m').map_or(piece, |(_, behind)| behind))
}

/// What the document is headed by.
struct Head {
    title: String,
    author: Option<String>,
    /// How the program was run.
    lines: Vec<String>,
}

impl Head {
    fn bare(options: &Options, path: &Path) -> Self {
        let whole = std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
        let name = whole.file_stem().map_or_else(|| "program".to_owned(), |stem| stem.to_string_lossy().into_owned());
        Self { title: options.title.clone().unwrap_or(name), author: options.author.clone(), lines: Vec::new() }
    }

    fn of(options: &Options, begun: &Begun, path: &Path) -> Self {
        let mut head = Self::bare(options, path);
        let manifest = begun.program.project.as_ref().map(|project| &project.manifest);
        if options.title.is_none() {
            let known = manifest.and_then(|manifest| manifest.title.clone().or(manifest.name.clone()));
            head.title = known.unwrap_or(head.title);
        }
        head.author = head.author.or(manifest.and_then(|manifest| manifest.author.clone()));
        head.lines.extend(head.author.clone());
        let target = begun.session.machine().target();
        head.lines.push(format!("for {}, made by wendax {}", target.name, env!("CARGO_PKG_VERSION")));
        head
    }
}

/// All that stands in the document.
fn gather(options: &Options, begun: Begun, path: &Path, status: &mut u8) -> Result<Vec<Piece>, Failure> {
    let Begun { program, mut session, mut world, settings } = begun;
    let mut pieces = Vec::new();
    world.be_quiet();
    let end = if options.unrun { None } else { Some(world.drive(&mut session, &Command::Go)?) };
    if let Some(end) = &end {
        World::goes_on_after(end)?;
        *status = run::note_end(&session, path, end);
        world.end_files(&session)?;
        world.keep_apart("-o", &options.output)?;
        pieces.push(Piece::Head("How it was run".to_owned()));
        pieces.push(Piece::Code(conditions(options, &settings, &session, end)));
        if !matches!(end, run::End::Program(wendax_session::State::Finished(_))) {
            for cause in causes(&session, end) {
                pieces.push(Piece::Text(cause));
            }
        }
        pieces.push(Piece::Head("Output".to_owned()));
        pieces.push(output(&world, &session));
    }
    let measured = if end.is_some() { Some(tally::measure(&session, &world)?) } else { None };
    if let Some(measured) = &measured {
        cost(&mut pieces, measured);
    }
    for moment in &options.moment {
        draw::go_to(&mut session, &world, "--moment", moment)?;
        pieces.push(Piece::Head(format!("At {}", moment_words(&session, moment))));
        pieces.push(Piece::Code(state(&session)));
    }
    let last = Command::Seek(session.end());
    draw::go(&mut session, &world, last)?;
    let wanted: Vec<String> = match (options.draw.is_empty(), end.is_some()) {
        (true, true) => vec!["calls".to_owned(), "tally".to_owned()],
        _ => options.draw.clone(),
    };
    if !wanted.is_empty() {
        pieces.push(Piece::Head("Drawings".to_owned()));
    }
    for text in &wanted {
        let (name, scene) = drawing(text, &mut session, &world, measured.as_ref())?;
        pieces.push(Piece::Picture(name, scene));
    }
    let remarks = program.remarks.trim_end();
    if !remarks.is_empty() {
        pieces.push(Piece::Head("Warnings and hints".to_owned()));
        pieces.push(Piece::Code(remarks.lines().map(str::to_owned).collect()));
    }
    pieces.push(Piece::Head("Listing".to_owned()));
    let listing = wendax_asm::listing(&program.assembly.sources, &program.assembly.files(), program.image());
    pieces.push(Piece::Code(listing.lines().map(str::to_owned).collect()));
    Ok(pieces)
}

/// How the program was run, and how that ended.
fn conditions(
    options: &Options,
    settings: &wendax_machine::Settings,
    session: &Session,
    end: &run::End,
) -> Vec<String> {
    let mut lines = Vec::new();
    let arguments: Vec<String> =
        settings.arguments.iter().map(|argument| String::from_utf8_lossy(argument).into_owned()).collect();
    if !arguments.is_empty() {
        let words = shlex::try_join(arguments.iter().map(String::as_str)).unwrap_or_else(|_| arguments.join(" "));
        lines.push(format!("arguments    {words}"));
    }
    if settings.seed != 0 {
        lines.push(format!("seed         {}", settings.seed));
    }
    if let Some(events) = &options.conditions.events {
        lines.push(format!("events       {}", events.display()));
    }
    let typed = session.all_input();
    if !typed.is_empty() {
        let text = String::from_utf8_lossy(&typed).into_owned();
        for (index, line) in text.lines().take(40).enumerate() {
            lines.push(format!("{}{line}", if index == 0 { "typed        " } else { "             " }));
        }
        if text.lines().count() > 40 {
            lines.push(format!("             … {} more lines", text.lines().count() - 40));
        }
    }
    lines.push(format!("ended        {}", run::end_words(session, end)));
    let machine = session.machine();
    lines.push(format!("took         {} steps, {} cycles", grouped(machine.steps().0), grouped(machine.cycles())));
    lines
}

fn causes(session: &Session, end: &run::End) -> Vec<String> {
    match end {
        run::End::Program(wendax_session::State::Fault(fault)) => fault_causes(session, fault),
        _ => Vec::new(),
    }
}

fn output(world: &World, session: &Session) -> Piece {
    let (bytes, count) = (world.captured(), session.machine().printed());
    if count == 0 {
        return Piece::Text("It printed nothing.".to_owned());
    }
    let text = String::from_utf8_lossy(bytes).into_owned();
    let mut lines: Vec<String> = text.lines().take(OUTPUT).map(str::to_owned).collect();
    let all = text.lines().count();
    if all > OUTPUT || (bytes.len() as u64) < count {
        lines.push(format!("… {} bytes in all", grouped(count)));
    }
    Piece::Code(lines)
}

fn cost(pieces: &mut Vec<Piece>, measured: &Tally) {
    pieces.push(Piece::Head("What it cost".to_owned()));
    let summary = measured.summary();
    pieces.push(Piece::Code(summary.into_iter().map(|(name, figure)| format!("{name:<15}{figure}")).collect()));
    let wanted = ["routines", "lines", "sorts", "memory", "system"];
    for table in measured.tables().into_iter().filter(|table| wanted.contains(&table.name)) {
        pieces.push(Piece::Table(table));
    }
}

fn moment_words(session: &Session, moment: &str) -> String {
    let at = place(session.image(), session.machine().target(), session.machine().pc());
    let step = grouped(session.now().0);
    if moment.replace('_', "").parse::<u64>().is_ok() {
        format!("step {step}, {at}")
    } else {
        format!("{moment}: step {step}, {at}")
    }
}

/// Registers, flags and the stack as they are.
fn state(session: &Session) -> Vec<String> {
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    let target = session.machine().target();
    let mut lines = Vec::new();
    if let Some(text) = wendax_session::instruction_text(session, session.machine().pc()) {
        lines.extend([format!("next: {text}"), String::new()]);
    }
    for what in ["registers", "flags", "stack 12"] {
        let shown: Option<Shown> = Show::read(what, &names).ok().map(|show| show.shown(session, 0));
        lines.extend(shown.map_or(Vec::new(), |shown| shown.lines(what, target)));
        lines.push(String::new());
    }
    lines.pop();
    lines
}

/// A drawing by its words: `flow=weigh`, `calls`.
fn drawing(
    text: &str,
    session: &mut Session,
    world: &World,
    measured: Option<&Tally>,
) -> Result<(String, Scene), Failure> {
    let (what, of) = text.split_once('=').map_or((text, None), |(what, of)| (what.trim(), Some(of.trim())));
    let wrong = |why: &str| Failure::usage(format!("--draw {text}: {why}"));
    let expected = "expected flow=ROUTINE, calls, tree, memory, stack, tally, run, data=WHAT or instruction=PLACE";
    let kind = Drawing::named(what).ok_or_else(|| wrong(expected))?;
    let scene = match kind {
        Drawing::Screen | Drawing::Arithmetic => return Err(wrong(expected)),
        Drawing::Data => draw::of_data(session, world, of, &["end".to_owned()])?,
        Drawing::Run => {
            let things: Vec<String> =
                of.map_or(Vec::new(), |of| of.split(',').map(|of| of.trim().to_owned()).collect());
            let (levels, known) = draw::follow(session, world, &things)?;
            wendax_draw::run(session, &levels, known)
        }
        Drawing::Stack => {
            if let Some(moment) = of {
                draw::go_to(session, world, "--draw", moment)?;
            }
            let scene = wendax_draw::stack(session);
            let last = Command::Seek(session.end());
            draw::go(session, world, last)?;
            scene
        }
        kind => draw::scene(kind, of, session, measured, session.image().entry, false).map_err(|why| wrong(&why))?,
    };
    let name: String = text.chars().map(|c| if c.is_alphanumeric() || c == '_' { c } else { '-' }).collect();
    Ok((name, scene))
}

fn parts(head: &Head, pieces: &[Piece]) -> Vec<Part> {
    let mut parts = vec![Part::Title(head.title.clone(), head.lines.clone())];
    for piece in pieces {
        match piece {
            Piece::Head(text) => parts.push(Part::Head(text.clone())),
            Piece::Text(text) => parts.push(Part::Text(text.clone())),
            Piece::Code(lines) => parts.push(Part::Lines(lines.clone())),
            Piece::Table(table) => {
                parts.push(Part::Text(format!("By {}", table.name)));
                parts.push(Part::Lines(table.to_text(ROWS).lines().map(str::to_owned).collect()));
            }
            Piece::Picture(_, scene) => parts.push(Part::Picture(scene.clone())),
        }
    }
    parts
}

/// The document in Markdown, its pictures in files beside it.
fn markdown(head: &Head, pieces: &[Piece], place: &Path) -> Result<(), Failure> {
    let mut out = format!("# {}\n\n", head.title);
    for line in &head.lines {
        let _ = writeln!(out, "{line}  ");
    }
    let stem = place.file_stem().map_or_else(|| "report".to_owned(), |stem| stem.to_string_lossy().into_owned());
    let mut pictures: Vec<(PathBuf, &Scene)> = Vec::new();
    for piece in pieces {
        match piece {
            Piece::Head(text) => {
                let _ = writeln!(out, "\n## {text}\n");
            }
            Piece::Text(text) => {
                let _ = writeln!(out, "{text}\n");
            }
            Piece::Code(lines) => {
                // A fence longer than any in what it holds.
                let longest =
                    lines.iter().map(|line| line.chars().take_while(|&c| c == '`').count()).max().unwrap_or(0);
                let fence = "`".repeat(longest.max(2) + 1);
                let _ = writeln!(out, "{fence}text\n{}\n{fence}\n", wendax_source::shown(&lines.join("\n")));
            }
            Piece::Table(table) => {
                let _ = writeln!(out, "By {}:\n\n{}", table.name, table.to_markdown(ROWS));
            }
            Piece::Picture(name, scene) => {
                // Words that differ in signs only would name one file.
                let path = (1..=pictures.len() + 1)
                    .map(
                        |number| if number == 1 { format!("{stem}-{name}") } else { format!("{stem}-{name}-{number}") },
                    )
                    .map(|name| place.with_file_name(format!("{name}.svg")))
                    .find(|path| pictures.iter().all(|(known, _)| known != path));
                let Some(path) = path else { continue };
                let file = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
                let place = if file.contains([' ', '(', ')']) { format!("<{file}>") } else { file };
                let _ = writeln!(out, "![{}]({place})\n", scene.title);
                pictures.push((path, scene));
            }
        }
    }
    // Pictures lie beside it under names nobody gave: those of the report that is written anew are its own.
    let before = std::fs::read_to_string(place).unwrap_or_default();
    for (path, _) in &pictures {
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        if path.exists() && !before.contains(&format!("({name})")) && !before.contains(&format!("(<{name}>)")) {
            let path = path.display();
            let text =
                format!("{path} is there already, and is no picture of this report; choose another name with -o");
            return Err(Failure::usage(text));
        }
    }
    for (path, scene) in &pictures {
        draw::write(path, Form::Svg, std::slice::from_ref(*scene), Look::Light, None)?;
    }
    files::write_to(place, out.as_bytes())
}
