//! `wendax draw`: a drawing of a program or of its run, to a file.
//!
//! The program is run to its end, quietly; then the walk goes to the moments that are asked for. What is drawn comes from
//! `wendax-draw`; here it is found out of what, and written.

use crate::cli::{Draw as Options, Look};
use crate::out::tell;
use crate::run::{self, Begun, World};
use crate::{Failure, files, program, tally};
use std::path::Path;
use wendax_draw::{Drawing, Form, Given, Grid, Picture, Scene};
use wendax_isa::{Addr, StepNo};
use wendax_machine::Event;
use wendax_session::{
    At, Command, Level, Levels, Names, Progress, Session, Show, State, StopAt, Sum, Tally, Why, place_in_words,
};
use wendax_tui::App;

/// Steps between two looks at signals.
const SLICE: u64 = 2_000_000;

/// The ground of a drawing: light, unless said otherwise.
pub(crate) fn look(look: Option<Look>) -> wendax_draw::Look {
    match look {
        Some(Look::Dark) => wendax_draw::Look::Dark,
        Some(Look::Light) | None => wendax_draw::Look::Light,
    }
}

pub(crate) fn draw(options: &Options, ground: Option<Look>) -> Result<u8, Failure> {
    let form = if options.output.as_os_str() == "-" { Ok(Form::Svg) } else { Form::of(&options.output, options.what) };
    let form = form.map_err(Failure::usage)?;
    let read: Vec<_> = options.things.iter().filter(|thing| thing.is_file()).cloned().collect();
    files::keep_apart(&read, &[("-o", &options.output)])?;
    if let Some(moment) = options.moment.get(1)
        && !matches!(options.what, Drawing::Data | Drawing::Screen)
    {
        return Err(Failure::usage(format!("--moment {moment}: only data and screen are drawn at several moments")));
    }
    may_have(options)?;
    if options.things.len() > 1 && options.what != Drawing::Tally {
        return Err(Failure::usage("only `draw tally` takes several programs"));
    }
    let mut status = 0;
    let scenes = match options.what {
        Drawing::Arithmetic => vec![of_arithmetic(options)?],
        Drawing::Tally => vec![of_tallies(options, &mut status)?],
        _ => of_run(options, ground, form == Form::Vcd, &mut status)?,
    };
    // A dump was written already.
    if !scenes.is_empty() {
        write(&options.output, form, &scenes, look(ground), None)?;
    }
    Ok(status)
}

/// No option is given that this drawing has no use for.
fn may_have(options: &Options) -> Result<(), Failure> {
    let (what, word) = (options.what, Drawing::word(options.what));
    let of = |has: fn(Drawing) -> bool| {
        let words: Vec<&str> = Drawing::ALL.iter().filter(|(what, ..)| has(*what)).map(|(_, word, _)| *word).collect();
        words.join(", ")
    };
    if !options.of.is_empty() && !what.is_of_something() {
        let text = format!("--of: `{word}` is drawn of all there is; it goes with {}", of(Drawing::is_of_something));
        return Err(Failure::usage(text));
    }
    if options.of.len() > 1 && what != Drawing::Run {
        return Err(Failure::usage(format!("--of {}: only `run` is drawn of several", options.of[1])));
    }
    if !options.moment.is_empty() && !what.has_moment() {
        let text = format!("--moment: `{word}` is the same at each; it goes with {}", of(Drawing::has_moment));
        return Err(Failure::usage(text));
    }
    if let Some(size) = options.size.as_ref().filter(|_| what != Drawing::Screen) {
        return Err(Failure::usage(format!("--size {size}: only `screen` has columns and rows")));
    }
    if what == Drawing::Arithmetic && !options.things.is_empty() {
        return Err(Failure::usage("`arithmetic` is drawn of numbers: --of '40000 + 40000', without a program"));
    }
    Ok(())
}

/// Writes pictures to a file; of SVG there is one to a file.
pub(crate) fn write(
    place: &Path,
    form: Form,
    scenes: &[Scene],
    look: wendax_draw::Look,
    author: Option<&str>,
) -> Result<(), Failure> {
    let bytes = form.bytes(scenes, look, author).map_err(|error| Failure::usage(error.to_string()))?;
    files::write_to(place, &bytes)
}

fn of_arithmetic(options: &Options) -> Result<Scene, Failure> {
    let [text] = options.of.as_slice() else {
        return Err(Failure::usage("say what is reckoned: --of '40000 + 40000'"));
    };
    let sum = Sum::read(text, wendax_project::default_target().word_bits)
        .map_err(|why| Failure::usage(format!("--of {text}: {why}")))?;
    Ok(wendax_draw::arithmetic(&sum))
}

/// `status` becomes that of the first run that did not end by itself.
fn of_tallies(options: &Options, status: &mut u8) -> Result<Scene, Failure> {
    let here = [program::here(None).map(Path::to_owned)];
    let things: Vec<_> =
        if options.things.is_empty() { here.into_iter().collect::<Result<_, _>>()? } else { options.things.clone() };
    let tallies = things.iter().map(|thing| tally::one(thing, &options.conditions, &[], &[("-o", &options.output)]));
    let tallies = tallies.collect::<Result<Vec<_>, _>>()?;
    *status = tallies.iter().map(|one| one.status).find(|status| *status != 0).unwrap_or(0);
    Ok(wendax_draw::tallies(&tallies.iter().map(|one| &one.tally).collect::<Vec<_>>()))
}

/// Goes somewhere within the run, quietly.
pub(crate) fn go(session: &mut Session, world: &World, command: Command) -> Result<(), Failure> {
    session.begin(command);
    loop {
        match session.work(SLICE) {
            Progress::Working => world.may_go_on()?,
            // What was answered once comes from the log; behind the end of it nobody asks.
            Progress::Asks(_) => session.answer(Event::Waited),
            Progress::Arrived => return Ok(()),
        }
    }
}

/// Goes to a moment in words, as an option names it: a step, `start`, `end`, a stop.
pub(crate) fn go_to(session: &mut Session, world: &World, option: &str, text: &str) -> Result<(), Failure> {
    let wrong = |why: &str| Failure::usage(format!("{option} {text}: {why}"));
    let step = match text {
        "start" => Some(session.oldest()),
        "end" => Some(session.end()),
        text => text.replace('_', "").parse().ok().map(StepNo),
    };
    if let Some(step) = step {
        if step > session.end() {
            return Err(wrong(&format!("the run has {} steps", session.end())));
        }
        if step < session.oldest() {
            return Err(wrong(&format!("the past before step {} is no longer kept", session.oldest())));
        }
        return go(session, world, Command::Seek(step));
    }
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    let stop = StopAt::read(text, &names, session.sources()).map_err(|error| wrong(&error.message))?;
    go(session, world, Command::Seek(session.oldest()))?;
    go(session, world, Command::Until(Box::new(stop)))?;
    if *session.state() != State::Paused(Why::Until) {
        return Err(wrong("the run does not come to that"));
    }
    Ok(())
}

/// The drawing of one thing where a session stands. `here` is the instruction that is drawn when none is named.
pub(crate) fn scene(
    what: Drawing,
    of: Option<&str>,
    session: &Session,
    measured: Option<&Tally>,
    here: Addr,
    is_lit: bool,
) -> Result<Scene, String> {
    let here = match of.filter(|_| matches!(what, Drawing::Flow | Drawing::Instruction)) {
        Some(text) => place_in_words(session, text).map_err(|why| format!("{text}: {why}"))?,
        None => here,
    };
    let tallies: Vec<&Tally> = measured.into_iter().collect();
    let levels: (&[Level], StepNo) = (&[], session.end());
    wendax_draw::scene(what, &Given { session, tallies: &tallies, levels, here, sum: None, is_lit })
}

fn of_run(options: &Options, ground: Option<Look>, is_dump: bool, status: &mut u8) -> Result<Vec<Scene>, Failure> {
    let path = program::here(options.things.first().map(std::path::PathBuf::as_path))?;
    let Begun { program, mut session, mut world, .. } =
        run::begin(path, &options.conditions, &[("-o", &options.output)])?;
    world.be_quiet();
    if !options.unrun {
        let end = world.drive(&mut session, &Command::Go)?;
        World::goes_on_after(&end)?;
        world.end_files(&session)?;
        world.keep_apart("-o", &options.output)?;
        *status = run::note_end(&session, path, &end);
    }
    let measured =
        if options.unrun || !options.what.needs_tally() { None } else { Some(tally::measure(&session, &world)?) };
    let moments: Vec<String> = if options.moment.is_empty() { vec!["end".to_owned()] } else { options.moment.clone() };
    let of = options.of.first().map(String::as_str);
    go_to(&mut session, &world, "--moment", &moments[0])?;
    let is_present_lit = !options.moment.is_empty();
    Ok(match options.what {
        Drawing::Data => vec![of_data(&mut session, &world, of, &moments)?],
        Drawing::Screen => vec![of_screen(options, &program, &mut session, &world, &moments, ground)?],
        Drawing::Run => {
            let (levels, known) = follow(&session, &world, &options.of)?;
            if is_dump {
                let bytes = wendax_draw::to_vcd(&levels, known, session.end());
                let bytes = bytes.map_err(|error| Failure::usage(error.to_string()))?;
                files::write_to(&options.output, &bytes)?;
                return Ok(Vec::new());
            }
            vec![wendax_draw::run(&session, &levels, known)]
        }
        what => {
            // What is asked for nowhere else begins where the program does.
            let here = if what == Drawing::Flow { session.image().entry } else { session.present_address() };
            let scene = scene(what, of, &session, measured.as_ref(), here, is_present_lit);
            vec![scene.map_err(|why| Failure::usage(format!("draw: {why}")))?]
        }
    })
}

/// Follows things through the run; also the moment up to which they are known.
pub(crate) fn follow(session: &Session, world: &World, things: &[String]) -> Result<(Vec<Level>, StepNo), Failure> {
    let mut levels = Levels::read(session, things).map_err(|why| Failure::usage(format!("--of {why}")))?;
    let mut meter = tally::Meter::new("following");
    while !levels.work(session, SLICE) {
        world.may_go_on()?;
        meter.at(levels.progress());
    }
    let known = levels.known_to();
    if known < session.end() {
        tell(&format!("note: {}\n", wendax_draw::too_much_changes(known)));
    }
    Ok((levels.told(), known))
}

/// Data at some moments.
pub(crate) fn of_data(
    session: &mut Session,
    world: &World,
    of: Option<&str>,
    moments: &[String],
) -> Result<Scene, Failure> {
    let text = of.ok_or_else(|| Failure::usage("say which data: --of 'wagons as words 24'"))?;
    let show = {
        let names = Names::new(session.image(), session.machine().target(), session.image().entry);
        Show::read(text, &names).map_err(|error| Failure::usage(format!("--of {text}: {}", error.message)))?
    };
    let mut pictures = Vec::new();
    for moment in moments {
        go_to(session, world, "--moment", moment)?;
        let at = At::new(session.machine());
        let reading = show.reading(session, &at).ok_or_else(|| Failure::usage(format!("--of {text}: no data")))?;
        let is_step = moment.replace('_', "").parse::<u64>().is_ok();
        let words = if is_step { String::new() } else { moment.clone() };
        pictures.push(Picture { step: session.now(), words, reading });
    }
    Ok(wendax_draw::data(text, &pictures, session.machine().target()))
}

/// The bench, or a pane of it, at some moments.
fn of_screen(
    options: &Options,
    program: &program::Program,
    session: &mut Session,
    world: &World,
    moments: &[String],
    ground: Option<Look>,
) -> Result<Scene, Failure> {
    let size = options.size.as_deref().unwrap_or("160x50");
    let wrong = || Failure::usage(format!("--size {size}: expected columns and rows, such as 160x50"));
    let (columns, rows) = size.split_once('x').ok_or_else(wrong)?;
    let cells = (columns.parse().map_err(|_| wrong())?, rows.parse().map_err(|_| wrong())?);
    if !(60..=400).contains(&cells.0) || !(16..=200).contains(&cells.1) {
        return Err(Failure::usage(format!("--size {size}: from 60x16 to 400x200")));
    }
    let look = if ground == Some(Look::Dark) { wendax_tui::Look::Dark } else { wendax_tui::Look::Light };
    let theme = wendax_tui::Theme { look, colours: wendax_tui::Colours::Full };
    let mut grids: Vec<Grid> = Vec::new();
    for moment in moments {
        go_to(session, world, "--moment", moment)?;
        let name = options.things.first().map_or(".".to_owned(), |path| path.display().to_string());
        let settings = wendax_machine::Settings::default();
        let mut app = App::for_image_with_sources(name, program.assembly.clone(), settings, theme);
        app.show_walk(session.clone());
        let grid = app.grid(cells, options.of.first().map(String::as_str));
        grids.push(grid.map_err(|why| Failure::usage(format!("--of {why}")))?);
    }
    Ok(wendax_draw::screen(&grids))
}
