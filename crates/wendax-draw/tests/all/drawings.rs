//! Each drawing is made of a program that runs: it says what it should, its texts do not lie over each other, it is the same
//! each time, on both grounds, and its PDF holds its text.

use crate::common::{go, is_sound, says, session, tally, texts};
use std::process::{Command as Process, Stdio};
use wendax_draw::{
    Grid, Look, Part, Picture, Run, arithmetic, calls, data, flow, inside, instruction, memory, pages, run, screen,
    stack, tallies, to_pdf, to_vcd, tree,
};
use wendax_machine::StepNo;
use wendax_session::{At, Command, Flow, Levels, Names, Session, Show, Tally};

const YARD: &str = "\
start:  mov   r0, wagons
        mov   r1, 4
        call  total
        stw   [sum], r0
        call  light
        call  light
        mov   r0, 0
        sys   exit
total:  push  r6-r7
        clr   r6
@next:  ldw   r7, [r0]
        cmp   r7, 200
        jltu  @small
        add   r6, r7
@small: add   r0, 2
        djnz  r1, @next
        mov   r0, r6
        pop   r6-r7
        ret
light:  ldw   r2, [0xFF30]
        xor   r2, 5
        stw   [0xFF30], r2
        ret
.data
wagons: .word 120, 340, 260, 90
sum:    .word 0
first:  .word wagons
sign:   .asciz \"yard\"
";

#[test]
fn programs_and_runs_are_drawn() {
    let mut session = session(YARD);
    let measured = tally(&session);
    let address = session.image().symbol("total").and_then(wendax_image::Symbol::address).expect("a label");
    let drawn = Flow::of(&session, address, Some(&measured)).expect("there is code");
    // 120 and 90 are small: twice taken, twice not.
    says(
        &flow(&drawn, None, None),
        &["flow of total", "@small", "C = 1  2 \u{d7}", "C = 0  2 \u{d7}", "r1 \u{2260} 0  3 \u{d7}"],
    );
    let start = Flow::of(&session, session.image().entry, None).expect("there is code");
    says(&flow(&start, Some(0), None), &["flow of start", "sys exit"]);
    says(&calls(&measured), &["total", "light", "2 \u{d7}", "own "]);
    says(&tree(&measured), &["start", "total", "steps"]);
    says(&memory(&session, Some(&measured)), &["wagons", "no memory", "read 4, written 0", "code", "stack", "lamps"]);
    says(&memory(&session, None), &["wagons"]);
    says(&tallies(&[&measured]), &["own cycles by routine", "depth of the stack over time"]);
    let other = Tally { name: "other".into(), ..measured.clone() };
    says(&tallies(&[&measured, &other]), &["2 runs", "other"]);
    go(&mut session, Command::Seek(StepNo(6)));
    says(&stack(&session), &["way back to", "r6, saved", "total", "r7, saved"]);
    let at = session.machine().pc();
    says(
        &instruction(&session, at).expect("there is one"),
        &["ldw r7, [r0]", "destination register: r7", "base register"],
    );
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    let picture = |session: &Session, text: &str| {
        let reading = Show::read(text, &names).expect("it is data").reading(session, &At::new(session.machine()));
        Picture { step: session.now(), words: String::new(), reading: reading.expect("a value") }
    };
    let target = session.machine().target();
    says(&data("sum", &[picture(&session, "wagons as words 6")], target), &["120", "340"]);
    says(&data("sign", &[picture(&session, "sign as text")], target), &["y", "d"]);
    says(&data("first", &[picture(&session, "wagons as addresses 6")], target), &["0300"]);
}

#[test]
fn what_two_files_call_alike_is_drawn_apart() {
    let sum = "sum: add r0, 1\n add r0, 1\n ret\n";
    let files = wendax_source::MemoryFiles::default()
        .with("a.asm", format!("start: call sum\n call other\n sys exit\n .extern other\n{sum}"))
        .with("b.asm", format!("\n\n\n .global other\n{sum}other: call sum\n call sum\n ret\n"));
    let sources = vec!["a.asm".to_owned(), "b.asm".to_owned()];
    let inputs = wendax_asm::Inputs { sources, ..wendax_asm::Inputs::default() };
    let assembly = wendax_asm::Assembler::default().assemble(&inputs, &files);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let mut session = Session::new(assembly.image, wendax_machine::Settings::default()).with_sources(assembly.sources);
    go(&mut session, Command::Go);
    let measured = tally(&session);
    // A bar each, and the line of each file.
    let bars = ["sum (a.asm)", "sum (b.asm)", "a.asm:6  add r0, 1", "b.asm:6  add r0, 1"];
    says(&tallies(&[&measured]), &bars);
    says(&calls(&measured), &["sum (a.asm)", "sum (b.asm)"]);
}

#[test]
fn a_run_is_drawn_with_what_is_followed_and_dumped() {
    let session = session(YARD);
    let things = ["r6", "sum", "lamps", "Z"].map(str::to_owned);
    let mut levels = Levels::read(&session, &things).expect("all have values");
    while !levels.work(&session, 10) {}
    let found: Vec<Vec<u64>> =
        levels.levels().iter().map(|level| level.changes.iter().map(|change| change.1).collect()).collect();
    // r6 is given back, so it is 0 again.
    assert_eq!(found[0], [0, 340, 600, 0]);
    assert_eq!(found[1], [0, 600]);
    assert_eq!(found[2], [0, 5, 0]);
    says(&run(&session, levels.levels(), levels.known_to()), &["depth of calls", "lamps", "bit 0", "bit 2", "r6"]);
    let dump = String::from_utf8(to_vcd(levels.levels(), levels.known_to(), session.end()).expect("memory takes all"))
        .expect("text");
    assert!(dump.contains("$timescale 1 ns $end") && dump.contains("$var wire 16 ! r6 $end"), "{dump}");
    assert!(dump.contains("$enddefinitions $end\n#0\n$dumpvars") && dump.contains("b0000000101010100 !\n"), "{dump}");
    // What there are too many changes of ends where it is known; cycles are told at the end only.
    let mut session = session;
    go(&mut session, Command::Seek(StepNo(3)));
    let cut = run(&session, levels.levels(), StepNo(20));
    says(&cut, &["not known behind step 20"]);
    assert!(!texts(&cut).iter().any(|text| text.contains(" cycles")), "{:?}", texts(&cut));
    // A reader of the format finds the same changes.
    let mut reader = vcd::Parser::new(dump.as_bytes());
    let header = reader.parse_header().expect("a header");
    let lamps = header.find_var(&["run", "lamps"]).expect("it is there").code;
    let changes = reader.map(|command| command.expect("a command"));
    let lamps: Vec<String> = changes
        .filter_map(|command| match command {
            vcd::Command::ChangeVector(code, value) if code == lamps => Some(value.to_string()),
            _ => None,
        })
        .collect();
    assert_eq!(lamps, ["0000000000000000", "0000000000000101", "0000000000000000"]);
}

#[test]
fn screens_are_drawn_with_their_signs_and_documents_have_pages() {
    let run = |column, text: &str| Run {
        column,
        text: text.into(),
        ink: (200, 200, 200),
        ground: Some((40, 40, 40)),
        is_bold: false,
        is_underlined: true,
    };
    let rows = vec![vec![run(0, "r0  0005  5")], vec![run(2, "a\u{2502}b")]];
    let grid = Grid { title: "registers".into(), size: (30, 2), ground: (20, 20, 20), rows };
    says(&screen(&[grid.clone(), grid]), &["0005", "a\u{2502}b", "registers"]);
    let lines: Vec<String> = (0..200).map(|line| format!("line {line} {}", "x".repeat(line))).collect();
    let parts = [
        Part::Title("A yard".into(), vec!["R. Ostrey".into()]),
        Part::Head("Listing".into()),
        Part::Text("wagons ".repeat(60)),
        Part::Lines(lines),
        Part::Picture(arithmetic(&wendax_session::Sum::read("40000 + 40000", 16).expect("a sum"))),
    ];
    let document = pages("A yard", &parts);
    assert!(document.len() >= 3, "{}", document.len());
    for page in &document {
        is_sound(page);
    }
    says(&document[0], &["A yard", "R. Ostrey", "1 of "]);
    let all: usize =
        document.iter().map(|page| texts(page).iter().filter(|text| text.starts_with("line ")).count()).sum();
    assert_eq!(all, 200, "no line is lost");
}

/// What a general reader finds in a PDF, where there is one.
#[test]
fn a_general_reader_finds_the_text_of_a_pdf() {
    let session = session(YARD);
    let drawn = Flow::of(&session, session.image().entry, Some(&tally(&session))).expect("there is code");
    let pdf = to_pdf(&[flow(&drawn, None, None)], Look::Light, None).expect("it can be made");
    // Each glyph as wide as the drawing reckons with, and as readers that know whole numbers only take it.
    let plain = String::from_utf8_lossy(&pdf).into_owned();
    assert_eq!(plain.matches("/DW 602\n").count(), plain.matches("/W [0 65535 602.0508]").count(), "one for each font");
    assert_eq!(plain.matches("/DW 602\n").count(), 2);
    let folder = std::env::temp_dir().join(format!("wendax-draw-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("a folder");
    let path = folder.join("flow.pdf");
    std::fs::write(&path, pdf).expect("it is written");
    let text = Process::new("pdftotext")
        .args(["-layout".as_ref(), path.as_os_str(), "-".as_ref()])
        .stderr(Stdio::null())
        .output();
    let image = Process::new("pdftoppm").args(["-r", "40", "-png"]).arg(&path).arg(folder.join("page")).status();
    if let Ok(text) = text {
        let text = String::from_utf8_lossy(&text.stdout).into_owned();
        assert!(text.contains("flow of start") && text.contains("call total"), "{text}");
    }
    if let Ok(status) = image {
        assert!(status.success());
        let page = std::fs::read_dir(&folder)
            .expect("a folder")
            .flatten()
            .find(|entry| entry.path().extension().is_some_and(|ending| ending == "png"));
        assert!(page.is_some_and(|page| page.metadata().is_ok_and(|data| data.len() > 500)));
    }
    std::fs::remove_dir_all(&folder).expect("it can go");
}

#[test]
fn every_drawing_is_asked_for_by_its_word_and_its_form_by_the_ending() {
    use std::path::Path;
    use wendax_draw::{Drawing, Form};
    for (drawing, word, _) in Drawing::ALL {
        assert_eq!(Drawing::named(word), Some(drawing));
        assert_eq!(Form::of(Path::new("yard.SVG"), drawing), Ok(Form::Svg));
        assert_eq!(Form::of(Path::new("yard.pdf"), drawing), Ok(Form::Pdf));
        assert_eq!(Form::of(Path::new("yard.vcd"), drawing).is_ok(), drawing == Drawing::Run);
        let why = Form::of(Path::new("yard.png"), drawing).expect_err("there is no such form");
        assert!(why.contains("`yard.png`") && why.contains(".svg"), "{why}");
    }
    assert_eq!(Drawing::named("map"), None);
}

/// Where a register takes the way back, the word that a routine put it into is its own, and no other routine's.
#[test]
fn the_stack_of_a_machine_with_a_link_register_is_shared_out_by_routine() {
    let text = ".target rv32\n_start: call outer\n li a0, 0\n sys exit\nouter: addi sp, sp, -16\n sw ra, 12(sp)\n \
                call inner\n lw ra, 12(sp)\n addi sp, sp, 16\n ret\ninner: addi sp, sp, -16\n sw ra, 12(sp)\n \
                sw s0, 8(sp)\nhold: ebreak\n lw ra, 12(sp)\n addi sp, sp, 16\n ret\n";
    let session = session(text);
    let scene = stack(&session);
    let of = |wanted: &str| texts(&scene).iter().filter(|text| **text == wanted).count();
    assert_eq!((of("inner"), of("outer"), of("outside of routines")), (1, 1, 1), "{:?}", texts(&scene));
    says(&scene, &["(outer + 12); called, line 7", "s0, saved", "way back to 0x00010004", "7FFF"]);
}

/// Each transfer of each step has its arrow from one place to the next, and its words.
#[test]
fn what_goes_on_inside_is_drawn_as_it_is_told() {
    let mut session = session(YARD);
    for at in 0..session.end().0 {
        go(&mut session, Command::Seek(StepNo(at)));
        let taken = wendax_session::inside(&session).expect("there is a step");
        let scene = inside(&session).expect("it is drawn");
        let words: Vec<&str> = taken.transfers.iter().map(|transfer| transfer.words.as_str()).collect();
        says(&scene, &words);
        is_sound(&scene);
        let is_arrow = |item: &&wendax_draw::Item| matches!(item, wendax_draw::Item::Path { has_arrow: true, .. });
        let ways = taken.transfers.iter().filter(|transfer| transfer.from != transfer.to).count();
        assert_eq!(scene.items.iter().filter(is_arrow).count(), ways);
    }
    let end = session.end();
    go(&mut session, Command::Seek(end));
    assert!(inside(&session).is_none());
}
