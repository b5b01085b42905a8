//! What is asked of a run in words: stops and shows that are read, and what is said of those that cannot be.

use wendax_isa::{Addr, Reg};
use wendax_machine::Settings;
use wendax_session::{Command, Names, Reading, Session, Show, Shown, StopAt, Thing, Times, Touch, Where};

const PROGRAM: &str = "\
start:  mov   r1, 0xFFF9
        mov   r6, list
        call  change
        sys   exit
change: stw   [total], r1
@end:   ret
.data
list:   .word 1, -2, 300
pairs:  .byte 1, 2, 3, 4
total:  .word 0
name:   .asciz \"Ostrey \\\"yard\\\"\"
";

fn session() -> Session {
    let (sources, file) = wendax_source::Sources::single("yard.asm", PROGRAM);
    let image = wendax_asm::assemble(&sources, file).image;
    Session::new(image, Settings::default()).with_sources(sources)
}

fn names(session: &Session) -> Names<'_> {
    Names::new(session.image(), session.machine().target(), session.image().entry)
}

fn address(session: &Session, name: &str) -> Addr {
    session.image().symbol(name).and_then(wendax_image::Symbol::address).expect("a label")
}

#[test]
fn stops_mean_what_their_words_say() {
    let session = session();
    let read = |text: &str| StopAt::read(text, &names(&session), session.sources()).expect(text);
    let at = |name: &str| address(&session, name);
    let touched = |touch, thing| Where::Touched(touch, thing);
    let total = Thing::Cells(at("total"), at("total") + 2);
    for (text, place) in [
        ("start + 2", Where::Address(at("start") + 2)),
        // A label of such a name is meant as itself, unless something belongs to the word.
        ("change", Where::Address(at("change"))),
        ("yard.asm:4", Where::Address(Addr(0x20A))),
        ("change total", touched(Touch::Change, total)),
        ("CHANGE [total]", touched(Touch::Change, total)),
        ("read list", touched(Touch::Read, Thing::Cells(at("list"), at("list") + 6))),
        ("write byte [list + 1]", touched(Touch::Write, Thing::Cells(at("list") + 1, at("list") + 2))),
        ("write list to list + 3", touched(Touch::Write, Thing::Cells(at("list"), at("list") + 4))),
        ("read sp", touched(Touch::Read, Thing::Register(Reg(13)))),
        ("call 0x12", Where::Call(Some(0x12))),
        ("call put_int if r0 > 3", Where::Call(Some(0x12))),
        ("print \"a\\nb\"", Where::Printed(Some(b"a\nb".to_vec()))),
        ("leave change", Where::Left(at("change"))),
        ("in change", Where::Among(vec![(at("change"), at("list"))])),
        ("op STW", Where::Op("stw".to_owned())),
    ] {
        let found = read(text).place;
        // What follows the last routine is its own affair.
        match (&found, &place) {
            (Where::Among(parts), Where::Among(wanted)) => assert_eq!(parts[0].0, wanted[0].0, "{text}"),
            _ => assert_eq!(found, place, "{text}"),
        }
    }
    let all = read("change total if r1 == 0xFFF9 every 1_000 once note r1, [total] + 1");
    assert_eq!((all.times, all.once, all.stops()), (Times::Every(1000), true, false));
    let noted: Vec<String> = all.note.expect("it notes").into_iter().map(|value| value.text).collect();
    assert_eq!(noted, ["r1", "[total] + 1"]);
}

#[test]
fn what_cannot_be_read_is_told_with_its_place() {
    let session = session();
    for (text, at, told) in [
        ("", 0, "a place is missing"),
        ("list from 0", 10, "a number from 1 on"),
        ("r1", 0, "has another value at every moment"),
        ("change [r6]", 7, "lies elsewhere at every moment"),
        ("change list to start", 7, "lies before where it begins"),
        ("when met == 3", 5, "cannot ask how often"),
        ("start if met > 2", 9, "cannot ask how often"),
        ("call sing", 5, "no call is named `sing`; there are exit"),
        ("trap 1 2", 7, "says nothing of a stop"),
        ("other.asm:3", 0, "no file of the program is named `other.asm`"),
        ("yard.asm:400", 0, "no instruction on line 400"),
        ("0x12345", 0, "addresses go from 0 to 0xFFFF"),
        ("in list", 3, "no code of the program"),
        ("start note r1,", 14, "a value is missing"),
    ] {
        let error = StopAt::read(text, &names(&session), session.sources()).expect_err(text);
        assert!(error.message.contains(told), "{text}: {}", error.message);
        assert_eq!(error.at, at, "{text}: {}", error.message);
    }
}

#[test]
fn values_are_shown_in_each_form() {
    let mut session = session();
    session.begin(Command::Until(Box::new(StopAt::address(address(&session, "change@end")))));
    while session.is_running() {
        session.work(1000);
    }
    let target = session.machine().target();
    let lines = |text: &str| {
        let show = Show::read(text, &names(&session)).expect(text);
        show.shown(&session, 7).lines(text, target)
    };
    for (text, wanted) in [
        ("r1", vec!["r1 = 65529"]),
        ("r1 as signed", vec!["r1 as signed = -7"]),
        ("r1 as binary", vec!["r1 as binary = 1111 1111 1111 1001"]),
        ("byte [name] as char", vec!["byte [name] as char = 'O'"]),
        ("r9", vec!["r9: not set"]),
        ("total", vec!["total = -7"]),
        ("name", vec!["name = \"Ostrey \\\"yard\\\"\""]),
        ("list", vec!["list, at 0x0300", "   0       1     -2    300"]),
        (
            "pairs as records 2 of byte byte",
            vec!["pairs as records 2 of byte byte, at 0x0306", "   0  01 02", "   1  03 04"],
        ),
        ("met * 2", vec!["met * 2 = 14"]),
        ("[0x5000]", vec!["[0x5000]: there is no memory at 0x5000"]),
        ("flags", vec!["C 0  Z 0  N 0  V 0  I 0"]),
        ("stack", vec!["FDFE  020A  way back from change"]),
    ] {
        assert_eq!(lines(text), wanted, "{text}");
    }
    let last = Show::read("last 2", &names(&session)).expect("steps").shown(&session, 0);
    let Shown::Last(steps) = last else { panic!("{last:?}") };
    assert_eq!(steps.iter().map(|(step, ..)| *step).collect::<Vec<_>>(), [2, 3]);
    let Shown::Value(Reading::Cells(cells)) = Show::read("list", &names(&session)).expect("a list").shown(&session, 0)
    else {
        panic!("a table")
    };
    assert_eq!((cells.address_of(2), cells.values[1]), (address(&session, "list") + 4, Some(0xFFFE)));
}
