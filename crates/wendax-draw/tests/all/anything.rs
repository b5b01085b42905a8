//! Every drawing of random programs for either machine, at random moments: texts lie over nothing, ways run around them, all is on the picture.

use crate::common::{go, loaded, run_through, tally, texts, wrong};
use proptest::prelude::*;
use wendax_draw::{
    Part, Picture, Run, Scene, arithmetic, calls, data, flow, instruction, memory, pages, run, screen, stack, tallies,
    to_svg, tree,
};
use wendax_machine::StepNo;
use wendax_session::{At, Command, Flow, Levels, Names, Session, Show, Tally};

/// What routines are made of: `{l}` is one of the routine's labels, `{r}` a routine, `{d}` a label of the data.
const LINES: [&str; 16] = [
    "add r2, {n}",
    "cmp r2, {n}",
    "jz {l}",
    "jltu {l}",
    "jgt {l}",
    "djnz r5, {l}",
    "jmp {l}",
    "call {r}",
    "push r6-r7",
    "pop r6-r7",
    "ldw r3, [{d}]",
    "stw [{d}], r3",
    "stb [{d}], r5",
    "mov r4, {d}",
    "ret",
    "stw [0xFF30], r2",
];

/// The same for RV32; a routine keeps its way back as a person would, or loses it.
const LINES_RV32: [&str; 16] = [
    "addi a2, a2, {n}",
    "slti a2, a2, {n}",
    "beqz a2, {l}",
    "bltu a2, a3, {l}",
    "bgt a2, a3, {l}",
    "addi a5, a5, -1\n bnez a5, {l}",
    "j {l}",
    "call {r}",
    "addi sp, sp, -16\n sw ra, 12(sp)\n sw s0, 8(sp)",
    "lw ra, 12(sp)\n lw s0, 8(sp)\n addi sp, sp, 16",
    "lw a3, {d}",
    "sw a3, {d}, t0",
    "sb a5, {d}, t0",
    "la s0, {d}",
    "ret",
    "sw a2, -416(zero)",
];

/// Names that labels may have: short, long, and in letters that are not of this alphabet.
const NAMES: [&str; 6] =
    ["a", "loading_gauge", "the_longest_name_that_anyone_at_the_yard_would_write_on_a_wagon", "b2", "größe", "x"];

/// A program of routines, each with its lines.
fn program(is_rv32: bool, routines: &[Vec<(usize, usize, u16)>], names: usize, cells: &[u16]) -> String {
    let name = |index: usize| format!("{}_{index}", NAMES[(names + index) % NAMES.len()]);
    let datum = |index: usize| format!("{}_d{index}", NAMES[(names + index) % NAMES.len()]);
    let lines_of = if is_rv32 { &LINES_RV32 } else { &LINES };
    let mut text = if is_rv32 {
        format!(".target rv32\n_start: call {}\n li a0, 0\n sys exit\n", name(0))
    } else {
        format!("start:  call {}\n        halt\n", name(0))
    };
    for (index, lines) in routines.iter().enumerate() {
        text.push_str(&format!("{}:\n", name(index)));
        for (at, &(line, to, number)) in lines.iter().enumerate() {
            let line = lines_of[line]
                .replace("{n}", &(number % 300).to_string())
                .replace("{l}", &format!("@at{}", to % lines.len()))
                .replace("{r}", &name(to % routines.len()))
                .replace("{d}", &datum(to % cells.len()));
            text.push_str(&format!("@at{at}: {line}\n"));
        }
        text.push_str("        ret\n");
    }
    text.push_str(".data\n");
    for (index, cell) in cells.iter().enumerate() {
        text.push_str(&format!("{}: .word {cell}, {}\n", datum(index), datum((index + 1) % cells.len())));
    }
    text
}

/// What can be drawn of a session where it is, and of its run.
fn drawn(session: &Session, measured: &Tally, cells: usize) -> Vec<Scene> {
    let mut scenes = vec![
        calls(measured),
        tree(measured),
        memory(session, Some(measured)),
        memory(session, None),
        stack(session),
        tallies(&[measured]),
        tallies(&[measured, &Tally { name: "another one with a name of some length".into(), ..Tally::default() }]),
    ];
    scenes.extend(instruction(session, session.machine().pc()));
    let is_rv32 = session.machine().target().flags.is_empty();
    let things = if is_rv32 { ["a2", "lamps", "ra"] } else { ["r2", "lamps", "Z"] };
    let mut levels = Levels::read(session, &things.map(str::to_owned)).expect("they have values");
    while !levels.work(session, 1_000) {}
    scenes.push(run(session, levels.levels(), levels.known_to()));
    let target = session.machine().target();
    let names = Names::new(session.image(), target, session.image().entry);
    let labels = session.image().labels().filter(|label| label.name.ends_with("_d0"));
    let labels: Vec<String> = labels.map(|label| label.name.clone()).collect();
    let count = cells * 2;
    for words in
        [&format!("as words {count}"), &format!("as bytes {count}"), &format!("as addresses {count}"), "as text"]
    {
        for label in &labels {
            let shown = Show::read(&format!("{label} {words}"), &names).expect("it is data");
            let Some(reading) = shown.reading(session, &At::new(session.machine())) else { continue };
            let picture = |note: &str| Picture { step: session.now(), words: note.into(), reading: reading.clone() };
            scenes.push(data(label, &[picture("")], target));
            scenes.push(data(label, &[picture("before"), picture("and after")], target));
        }
    }
    scenes.extend(wendax_draw::inside(session));
    scenes
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn all_is_laid_out_well(
        is_rv32 in any::<bool>(),
        routines in proptest::collection::vec(proptest::collection::vec((0..LINES.len(), 0usize..40, any::<u16>()), 1..14), 1..6),
        names in 0..NAMES.len(),
        cells in proptest::collection::vec(any::<u16>(), 1..6),
        moments in proptest::collection::vec(0u64..3_000, 2),
    ) {
        let mut session = loaded(&program(is_rv32, &routines, names, &cells));
        go(&mut session, Command::Seek(StepNo(3_000)));
        let measured = tally(&session);
        for routine in &measured.routines {
            let Some(found) = Flow::of(&session, routine.address, Some(&measured)) else { continue };
            let scene = flow(&found, Some(0), found.way_now(session.present_address(), Some(true)));
            prop_assert_eq!(wrong(&scene), None);
            prop_assert_eq!(run_through(&scene), None);
            // Each instruction is in it, but for those that are folded.
            let all = texts(&scene).join("\n");
            for block in &found.blocks {
                for line in &block.lines {
                    prop_assert!(all.contains(&line.text) || all.contains(" more instructions"), "{} is not in\n{all}", line.text);
                }
            }
        }
        prop_assert_eq!(run_through(&calls(&measured)), None);
        for moment in moments {
            go(&mut session, Command::Seek(StepNo(moment)));
            for scene in drawn(&session, &measured, cells.len()) {
                prop_assert_eq!(wrong(&scene), None);
            }
        }
    }

    #[test]
    fn sums_of_all_widths_are_laid_out_well(
        one in any::<u32>(), other in any::<u32>(), operation in 0usize..5, bits in prop_oneof![Just(8u32), Just(16), Just(32)],
    ) {
        let sign = ["+", "-", "<<", ">>", ">>>"][operation];
        let mask = u32::MAX >> (32 - bits);
        let text = format!("{} {sign} {}", one & mask, if sign.len() > 1 { other % bits } else { other & mask });
        let sum = wendax_session::Sum::read(&text, bits).expect("it is a sum");
        prop_assert_eq!(wrong(&arithmetic(&sum)), None);
    }

    /// However long titles, heads and lines are, and in whatever letters: all of it stands on the pages, in its order.
    #[test]
    fn documents_of_any_text_have_it_on_their_pages(
        title in "[a-z語]{0,90}( [a-z]{1,20}){0,9}",
        parts in proptest::collection::vec((0u8..3, proptest::collection::vec("[a-z\t語é ]{0,150}", 1..40)), 0..8),
    ) {
        let mut all = vec![Part::Title(title.clone(), vec![title.clone()])];
        all.extend(parts.iter().map(|(kind, lines)| match kind {
            0 => Part::Head(lines[0].clone()),
            1 => Part::Text(lines.join(" ")),
            _ => Part::Lines(lines.clone()),
        }));
        let pages = pages(&title, &all);
        for page in &pages {
            prop_assert_eq!(wrong(page), None);
        }
        // Letters, without what separates them; the last text of a page is its foot.
        let letters = |text: &str| -> String { text.chars().filter(|letter| letter.is_alphabetic()).collect() };
        let mut wanted = letters(&title).repeat(2);
        for (kind, lines) in &parts {
            wanted.extend(lines.iter().take(if *kind == 0 { 1 } else { lines.len() }).map(|line| letters(line)));
        }
        let found: String = pages.iter().flat_map(|page| texts(page).split_last().map_or(Vec::new(), |all| all.1.to_vec())).map(letters).collect();
        prop_assert_eq!(found, wanted);
    }

    /// Whatever a program prints is in the picture of a screen, and the picture is well-formed.
    #[test]
    fn any_text_is_written_so_that_a_reader_takes_it(text in "\\PC{0,30}[<>&\"'\u{0}-\u{1f}]{0,4}") {
        let run = Run { column: 0, text: text.clone(), ink: (1, 2, 3), ground: None, is_bold: false, is_underlined: false };
        let grid = wendax_draw::Grid { title: text.clone(), size: (80, 1), ground: (0, 0, 0), rows: vec![vec![run]] };
        let svg = to_svg(&screen(&[grid]), wendax_draw::Look::Light);
        let mut rest = svg.as_str();
        // Each `<` begins a tag that ends, each `&` an entity, and no control but line ends is left.
        prop_assert!(svg.chars().all(|letter| letter == '\n' || !letter.is_control()), "{svg:?}");
        while let Some(at) = rest.find(['<', '&']) {
            let tail = &rest[at..];
            if let Some(entity) = tail.strip_prefix('&') {
                let name = entity.split_once(';').map(|entity| entity.0);
                prop_assert!(matches!(name, Some("lt" | "gt" | "amp" | "quot" | "apos" | "#39")), "{tail}");
                rest = entity;
            } else {
                let end = tail.find('>');
                prop_assert!(end.is_some_and(|end| !tail[1..end].contains('<')), "{tail}");
                rest = &tail[end.unwrap_or(0) + 1..];
            }
        }
    }
}
