//! Names that several files of a program have, each for itself: what they mean where, and nothing is taken for another.

use wendax_isa::Addr;
use wendax_machine::Settings;
use wendax_session::{At, Cautions, Command, Names, Progress, Saving, Session, StopAt};
use wendax_source::MemoryFiles;

/// A program of files, run to its end.
fn ran(files: &[(&str, &str)]) -> Session {
    let all = files.iter().fold(MemoryFiles::default(), |all, (name, text)| all.with(*name, *text));
    let sources = files.iter().map(|(name, _)| (*name).to_owned()).collect();
    let inputs = wendax_asm::Inputs { sources, ..wendax_asm::Inputs::default() };
    let assembly = wendax_asm::Assembler::default().assemble(&inputs, &all);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let mut session = Session::new(assembly.image, Settings::default()).with_sources(assembly.sources);
    session.begin(Command::Go);
    while session.work(10_000) == Progress::Working {}
    session
}

const BEGIN: &str = "start: call other\n call third\n sys exit\n .extern other\n .extern third\n.equ OWN, 7\n";
const OTHER: &str = " .global other\nother: mov r1, 3\n@on: ldw r0, [count]\n djnz r1, @on\n ret\n.equ SIZE, 4\n.equ SAME, 1\n.data\ncount: .word 40\n";
const THIRD: &str = " .global third\nthird: mov r1, 2\n@on: ldw r0, [count]\n call other2\n djnz r1, @on\n ret\nother2: ret\n.equ SIZE, 8\n.equ SAME, 1\n.data\n.global shared\nshared: .word 1\ncount: .word 50\n";

const SPARE: &str = "spare: ret\nshared: ret\n.data\n.word 0\n";

fn program() -> Session {
    ran(&[("begin.asm", BEGIN), ("other.asm", OTHER), ("third.asm", THIRD), ("spare.asm", SPARE)])
}

fn label(session: &Session, name: &str) -> Addr {
    session.image().symbol(name).and_then(wendax_image::Symbol::address).expect("a label")
}

/// What a value is at the end of the run, asked at a place.
fn value(session: &Session, place: Addr, text: &str) -> Result<i64, String> {
    let names = Names::new(session.image(), session.machine().target(), place);
    let read = names.read(text).map_err(|error| error.message)?;
    read.value(&At::new(session.machine())).map_err(|error| error.message)
}

#[test]
fn a_name_means_what_the_file_around_the_place_calls_so() {
    let session = program();
    let (start, other, third) = (label(&session, "start"), label(&session, "other"), label(&session, "third"));
    assert_eq!(value(&session, other, "[count] + SIZE"), Ok(44));
    assert_eq!(value(&session, third, "[count] + SIZE"), Ok(58));
    // The loop of each is its own.
    assert_eq!(value(&session, third, "@on - third"), value(&session, other, "@on - other"));
    // Everybody knows the one that is made known, and what is the same everywhere is no question.
    assert_eq!(value(&session, start, "[shared]"), Ok(1));
    assert_eq!(value(&session, label(&session, "spare"), "shared - spare"), Ok(2));
    assert_eq!(value(&session, start, "SAME + OWN"), Ok(8));
    // From elsewhere it is not clear, and that is said with what it may be.
    let unclear = value(&session, start, "[count]").expect_err("it is not clear");
    assert!(
        unclear.starts_with("`count` is 0x03") && unclear.ends_with("in another: write which of these"),
        "{unclear}"
    );
    let unclear = value(&session, start, "SIZE").expect_err("it is not clear");
    assert_eq!(unclear, "`SIZE` is 4 in one file and 8 in another: write which of these");
}

#[test]
fn an_image_with_lines_tells_them_apart_as_its_sources_do() {
    let session = program();
    let bytes = wendax_image::elf::to_elf(session.image(), session.sources());
    let read = wendax_image::elf::from_elf(&bytes).expect("an image");
    let texts = [("begin.asm", BEGIN), ("other.asm", OTHER), ("third.asm", THIRD), ("spare.asm", SPARE)];
    let files = texts.iter().fold(MemoryFiles::default(), |all, (name, text)| all.with(*name, *text));
    let (image, sources) = read.with_sources(&files).expect("it has lines").expect("they are as they were");
    let mut walked = Session::new(image, Settings::default()).with_sources(sources);
    walked.begin(Command::Go);
    while walked.work(10_000) == Progress::Working {}
    for (place, text) in
        [("other", "[count]"), ("third", "[count]"), ("third", "@on"), ("start", "shared"), ("spare", "shared")]
    {
        let place = label(&session, place);
        assert_eq!(value(&walked, place, text), value(&session, place, text), "{text}");
    }
    assert!(value(&walked, label(&session, "start"), "[count]").is_err());
}

#[test]
fn a_stop_is_not_put_on_one_of_several() {
    let twice = "call work\n ret\nwork: ret\n";
    let session = ran(&[
        ("begin.asm", "start: call a\n call b\n sys exit\n .extern a\n .extern b\n"),
        ("a.asm", &format!(" .global a\na: {twice}")),
        ("b.asm", &format!(" .global b\nb: {twice}")),
    ]);
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    let refused = StopAt::read("enter work", &names, session.sources()).expect_err("it is not clear");
    assert!(
        refused.message.contains("in another: write which of these, or its line: file.asm:12"),
        "{}",
        refused.message
    );
    // As it says: by the line, or by the address.
    let by_line = StopAt::read("enter b.asm:4", &names, session.sources()).expect("one line");
    let address =
        session.image().symbols_named("work").iter().filter_map(|symbol| symbol.address()).max().expect("two");
    let by_address =
        StopAt::read(&format!("enter 0x{:04X}", address.0), &names, session.sources()).expect("an address");
    assert_eq!(by_line.place, by_address.place);
}

#[test]
fn a_caution_goes_by_the_label_of_its_own_file() {
    // A pointer runs on behind the list of the second file; the first has a shorter one of that name.
    let session = ran(&[
        (
            "begin.asm",
            "start: mov r4, list\n ldw r0, [r4]\n call other\n sys exit\n .extern other\n.data\nlist: .word 5\n",
        ),
        (
            "other.asm",
            " .global other\nother: mov r2, list\n ldw r1, [r2 + 8]\n ret\n.data\nlist: .word 1, 2, 3, 4\nafter: .word 9\n",
        ),
    ]);
    let mut cautions = Cautions::new(&session);
    while !cautions.work(&session, 1_000) {}
    let told: Vec<String> = cautions.list(&session).map(|caution| caution.words(&session)).collect();
    assert_eq!(told, ["this is 8 behind `list`, which has 8 bytes: this is `after`"]);
}

#[test]
fn what_is_saved_of_a_run_names_no_place_that_is_not_clear() {
    let wait = "mov r1, 3\nagain: ldw r0, [0xFF12]\n djnz r1, again\n ret\n";
    let mut session = ran(&[
        ("begin.asm", "start: call a\n call b\n sys exit\n .extern a\n .extern b\n"),
        ("a.asm", &format!(" .global a\na: {wait}")),
        ("b.asm", &format!(" .global b\nb: {wait}")),
    ]);
    let moments: Vec<u64> = (0..session.end().0).collect();
    for moment in moments.into_iter().rev() {
        session.begin(Command::Seek(wendax_isa::StepNo(moment)));
        while session.work(10_000) == Progress::Working {}
        // By hand, and not by `type_input`: that too is put before what lay ahead, and gives way to what is typed earlier.
        session.edit(wendax_machine::Event::Typed(b"k".to_vec()));
        session.begin(Command::Go);
        while session.work(10_000) == Progress::Working {}
        let mut saving = Saving::new(&session).expect("the run is known from its start");
        while !saving.work(&session, 1_000) {}
        let text = saving.text();
        let read = wendax_session::Script::read(text, &session);
        assert!(read.is_ok() && !text.contains("again"), "{text}: {read:?}");
    }
}
