//! The stack at a moment, frame by frame, with what each word is.

use crate::scene::{Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length, text_width};
use wendax_isa::Addr;
use wendax_machine::FrameKind;
use wendax_session::{Session, StackWord, WordKind, framed, grouped, place, read_stack};

/// Words drawn, at most.
const MOST: usize = 200;

/// The stack at the present moment: the newest word at the top.
pub fn stack(session: &Session) -> Scene {
    /// Words beside the cells have at least so much room.
    const WORDS: f32 = 430.0;
    let machine = session.machine();
    let target = machine.target();
    let words = read_stack(machine, MOST);
    let note = format!(
        "at step {}, {} words, sp = {}",
        grouped(session.now().0),
        words.len(),
        target.marked_address(machine.stack_pointer())
    );
    let mut scene = Scene::new("stack", &note);
    // Beside the digits of a word stands its number, at most the longest with its sign.
    let digits = text_width(&target.hex(0), SIZE) + 20.0;
    let number_width = text_width(&number(session, target.word_mask() / 2 + 2), SIZE);
    let wide = (digits + number_width + 10.0).max(150.0);
    let left = MARGIN + text_width(&target.hex_address(Addr::FIRST), SIZE) + 24.0;
    if words.is_empty() {
        scene.put((MARGIN, TOP + LINE), "the stack is empty", Ink::Quiet);
        return scene.finished();
    }
    let frames = machine.frames();
    let told: Vec<String> = words.iter().map(|word| words_of(session, word)).collect();
    let widest = told.iter().map(|text| text_width(text, SIZE) + 24.0).fold(WORDS, f32::max);
    let right = left + wide + widest;
    let mut y = TOP;
    // A call that pushes the way back does so in front of what its routine puts there; else the routine itself puts it by.
    let pushes = target.roles.link.is_none();
    let depth_of = |word: &StackWord| word.depth + usize::from(pushes && matches!(word.kind, WordKind::Return(_)));
    let mut begin = (y, depth_of(&words[0]));
    for (index, word) in words.iter().enumerate() {
        if depth_of(word) != begin.1 {
            bracket(&mut scene, session, (begin.0, y), right, begin.1, frames);
            y += 6.0;
            begin = (y, depth_of(word));
        }
        let is_back = matches!(word.kind, WordKind::Return(_));
        let fill = if is_back { Ink::Raised } else { Ink::Ground };
        scene.rectangle(
            Area { x: left, y, width: wide, height: LINE + 4.0 },
            Some(fill),
            Some(Stroke::thin(Ink::Rule)),
        );
        scene.put((MARGIN, y + LINE - 1.0), &target.hex_address(word.address), Ink::Place);
        let is_known = word.kind != WordKind::NeverWritten;
        let value = if is_known { target.hex(word.value) } else { "\u{b7}".repeat(target.hex(0).len()) };
        scene.put((left + 10.0, y + LINE - 1.0), &value, Ink::Text).bold();
        if is_known && !is_back {
            scene.put((left + digits, y + LINE - 1.0), &number(session, word.value), Ink::Quiet);
        }
        scene.put((left + wide + 14.0, y + LINE - 1.0), &told[index], Ink::Text);
        if index == 0 {
            let y = y + LINE / 2.0 + 2.0;
            scene.path(vec![(left - 18.0, y), (left - 1.0, y)], Stroke::thin(Ink::Time).wide(1.6), true);
        }
        y += LINE + 4.0;
    }
    bracket(&mut scene, session, (begin.0, y), right, begin.1, frames);
    scene.put((left, y + LINE), "older words below; the stack grows upwards here, to lower addresses", Ink::Faint);
    scene.finished()
}

fn number(session: &Session, value: u32) -> String {
    let target = session.machine().target();
    let signed = target.signed(value);
    if signed < 0 { format!("{value} ({signed})") } else { value.to_string() }
}

fn words_of(session: &Session, word: &StackWord) -> String {
    let target = session.machine().target();
    if let Some(held) = framed(session, word.address).filter(|_| !matches!(word.kind, WordKind::Return(_))) {
        return held;
    }
    match word.kind {
        WordKind::Return(frame) => {
            let what = match frame.kind {
                FrameKind::Call => "called".to_owned(),
                FrameKind::Trap(number) => format!("trap {}", target.trap_name(number)),
                FrameKind::Interrupt(number) => format!("interrupt {}", target.interrupt_name(number)),
            };
            let line =
                session.image().line_at(frame.site).map_or(String::new(), |line| format!(", line {}", line.line));
            format!("way back to {}; {what}{line}", place(session.image(), target, frame.back))
        }
        WordKind::Saved(register) => format!("{}, saved", target.register_name(register)),
        WordKind::Flags => "the flags, saved".to_owned(),
        WordKind::Other => match session.image().label_at(Addr(word.value)) {
            Some(label) => format!("a word; as an address: {}", label.name),
            None => "a word".to_owned(),
        },
        WordKind::NeverWritten => "never written".to_owned(),
    }
}

/// What the words between two heights belong to.
fn bracket(
    scene: &mut Scene,
    session: &Session,
    (from, to): (f32, f32),
    x: f32,
    depth: usize,
    frames: &[wendax_machine::Frame],
) {
    let name = match depth.checked_sub(1).and_then(|index| frames.get(index)) {
        Some(frame) => match session.image().nearest_label(frame.target) {
            Some((symbol, 0)) => symbol.name.clone(),
            _ => session.machine().target().marked_address(frame.target),
        },
        None => "outside of routines".to_owned(),
    };
    let points = vec![(x, from + 2.0), (x + 8.0, from + 2.0), (x + 8.0, to - 2.0), (x, to - 2.0)];
    scene.path(points, Stroke::thin(Ink::Place), false);
    scene.put((x + 16.0, from + LINE - 1.0), &name, Ink::Place).bold();
    scene.reach((x + 16.0, from + length(1)));
}
