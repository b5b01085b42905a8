//! Programs that run, and what has to hold of each picture.

use wendax_draw::{Area, Item, Look, Point, Scene, to_pdf, to_svg};
use wendax_machine::Settings;
use wendax_session::{Command, Measuring, Progress, Session, Tally};

/// A program that was not run yet.
pub(crate) fn loaded(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("yard.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    Session::new(assembly.image, Settings::default()).with_sources(sources)
}

/// A program that ran to its end.
pub(crate) fn session(text: &str) -> Session {
    let mut session = loaded(text);
    go(&mut session, Command::Go);
    session
}

pub(crate) fn go(session: &mut Session, command: Command) {
    session.begin(command);
    while session.work(100_000) == Progress::Working {}
}

pub(crate) fn tally(session: &Session) -> Tally {
    let mut measuring = Measuring::all(session);
    while !measuring.work(session, 1_000_000) {}
    Tally { name: "yard".into(), ..measuring.tally(session) }
}

pub(crate) fn texts(scene: &Scene) -> Vec<&str> {
    fn text(item: &Item) -> Option<&str> {
        if let Item::Text { text, .. } = item { Some(text) } else { None }
    }
    scene.items.iter().filter_map(text).collect()
}

#[track_caller]
pub(crate) fn says(scene: &Scene, wanted: &[&str]) {
    let texts = texts(scene);
    for wanted in wanted {
        assert!(texts.iter().any(|text| text.contains(wanted)), "`{wanted}` is not in {}: {texts:#?}", scene.title);
    }
    is_sound(scene);
}

/// Everything lies on the picture and texts do not lie over each other; else what is wrong.
pub(crate) fn wrong(scene: &Scene) -> Option<String> {
    let areas: Vec<Area> = scene.items.iter().filter_map(Item::text_area).collect();
    let words = texts(scene);
    let is_on = |(x, y): Point| x >= 0.0 && y >= 0.0 && x <= scene.size.0 && y <= scene.size.1;
    for (index, area) in areas.iter().enumerate() {
        if let Some(other) = areas[..index].iter().position(|other| other.meets(area)) {
            return Some(format!("{}: `{}` lies over `{}`", scene.title, words[index], words[other]));
        }
        if !is_on((area.x, area.y)) || !is_on((area.x + area.width, area.y + area.height)) {
            return Some(format!("{}: `{}` lies outside", scene.title, words[index]));
        }
    }
    for item in &scene.items {
        let is_inside = match item {
            Item::Box { area, .. } => is_on((area.x, area.y)) && is_on((area.x + area.width, area.y + area.height)),
            Item::Path { points, .. } | Item::Surface { points, .. } => points.iter().all(|&point| is_on(point)),
            Item::Text { .. } => true,
        };
        if !is_inside {
            return Some(format!("{}: {item:?} is outside {:?}", scene.title, scene.size));
        }
    }
    None
}

/// Ways with an arrow run around texts, at right angles; else what is wrong.
pub(crate) fn run_through(scene: &Scene) -> Option<String> {
    let areas: Vec<Area> = scene.items.iter().filter_map(Item::text_area).collect();
    let words = texts(scene);
    for item in &scene.items {
        let Item::Path { points, has_arrow: true, .. } = item else { continue };
        for pair in points.windows(2) {
            let (from, to) = (pair[0], pair[1]);
            let (x, y) = (from.0.min(to.0), from.1.min(to.1));
            // A line is as wide as it is drawn.
            let line = Area {
                x: x - 0.5,
                y: y - 0.5,
                width: (from.0 - to.0).abs() + 1.0,
                height: (from.1 - to.1).abs() + 1.0,
            };
            if line.width > 1.1 && line.height > 1.1 {
                return Some(format!("{}: {from:?} to {to:?} is askew", scene.title));
            }
            if let Some(text) = areas.iter().position(|area| area.meets(&line)) {
                return Some(format!("{}: {from:?} to {to:?} runs through `{}`", scene.title, words[text]));
            }
        }
    }
    None
}

/// Nothing is wrong, and it is written in the same way each time, on both grounds.
#[track_caller]
pub(crate) fn is_sound(scene: &Scene) {
    assert_eq!(wrong(scene), None);
    for look in [Look::Light, Look::Dark] {
        let svg = to_svg(scene, look);
        assert_eq!(svg, to_svg(scene, look));
        assert!(svg.starts_with("<svg") && svg.trim_end().ends_with("</svg>"));
        let pdf = to_pdf(std::slice::from_ref(scene), look, Some("R. Ostrey")).expect("it can be made");
        assert!(pdf.starts_with(b"%PDF"));
        assert_eq!(pdf, to_pdf(std::slice::from_ref(scene), look, Some("R. Ostrey")).expect("it can be made"));
    }
}
