//! The machine's world on the bench: the board with its levers, the program's files, keys struck, events of a file.

use crate::common::{Stage, hides, shows};
use crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use wendax_source::MemoryFiles;
use wendax_tui::Message;

const SIGNALS: &str = include_str!("../../../../demos/signals/signals.asm");

fn on_screen(stage: &mut Stage, text: &str) -> (u16, u16) {
    let screen = stage.screen();
    let (row, line) = screen.lines().enumerate().find(|(_, line)| line.contains(text)).expect("it is there");
    let column = line[..line.find(text).expect("it is there")].chars().count();
    (u16::try_from(column).expect("on a screen"), u16::try_from(row).expect("on a screen"))
}

/// The row of the board's lamps or levers.
fn row(stage: &mut Stage, name: &str) -> String {
    let screen = stage.screen();
    let signs = |line: &str| {
        let rest = line.rsplit_once(&format!(" {name} "))?.1.trim_start();
        rest.starts_with(['∙', '●', '▄', '▀']).then(|| rest.to_owned())
    };
    let signs = screen.lines().find_map(signs).expect("the board is there");
    signs.split_whitespace().take(5).collect::<Vec<_>>().join(" ")
}

#[test]
fn a_lever_moved_lights_a_lamp_and_stepping_back_shows_it_as_it_was() {
    let mut stage = Stage::new(SIGNALS);
    shows(&mut stage, "board");
    // As far as the idle loop, then two levers, and on until the lamps show it.
    stage.text("/idle:").keys("Enter .");
    assert_eq!(row(&mut stage, "lamps"), "∙∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙∙∙ 0000");
    stage.keys("1 4");
    shows(&mut stage, "lever 4 is up");
    assert_eq!(row(&mut stage, "levers"), "▄▄▄▄ ▄▄▄▄ ▄▄▄▀ ▄▄▀▄ 0012");
    shows(&mut stage, "the interrupt lever (A) comes before");
    stage.text("/show:").keys("Enter . Right Right Right");
    assert_eq!(row(&mut stage, "lamps"), "∙∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙●∙∙ 0004");
    shows(&mut stage, "was 0000");
    stage.keys("Left");
    assert_eq!(row(&mut stage, "lamps"), "∙∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙∙∙ 0000");
    // In the past another lever begins a new branch.
    stage.keys("Left Left 0");
    shows(&mut stage, "lever 0 is up; a new branch begins here");
    // By the mouse, and by choosing.
    let (x, y) = on_screen(&mut stage, "levers ");
    let kind = MouseEventKind::Down(MouseButton::Left);
    stage.message(Message::Mouse(MouseEvent { kind, column: x + 7, row: y, modifiers: KeyModifiers::NONE }));
    assert_eq!(row(&mut stage, "levers"), "▀▄▄▄ ▄▄▄▄ ▄▄▄▀ ▄▄▀▀ 8013");
    let (column, above) = on_screen(&mut stage, ": “strike keys”");
    let head = MouseEvent { kind, column, row: above, modifiers: KeyModifiers::NONE };
    stage.message(Message::Mouse(head));
    shows(&mut stage, "each key goes to the program at once now");
    stage.keys("Esc L Down Enter");
    assert_eq!(row(&mut stage, "levers"), "▀▀▄▄ ▄▄▄▄ ▄▄▄▀ ▄▄▀▀ C013");
}

#[test]
fn keys_are_struck_one_by_one_and_the_page_tells_how_interrupts_fared() {
    let mut stage = Stage::new(SIGNALS);
    stage.text("/idle:").keys("Enter .").keys(":strike_keys_each").text("xq").keys("Esc");
    shows(&mut stage, "typed here: \"x\"");
    stage.keys("Right L L");
    for wanted in ["console state", "a key waits, ready to print, keys interrupt", "handler 0x02EE (key)", "lever mask"]
    {
        shows(&mut stage, wanted);
    }
    stage.keys("g");
    shows(&mut stage, "finished, status 0");
    shows(&mut stage, "taken 2 ×; cycles to its handler: 4 least");
    stage.keys("L");
    hides(&mut stage, "lever mask");
    shows(&mut stage, "The shift is over");
}

#[test]
fn slow_running_in_real_time_takes_levers_on_the_way() {
    let mut stage = Stage::new(SIGNALS);
    stage.keys("L k");
    assert_eq!(stage.tick, Some(20));
    for _ in 0..3 {
        stage.message(Message::Tick);
    }
    stage.keys("0 4");
    stage.message(Message::Tick);
    assert_eq!(row(&mut stage, "lamps"), "∙∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙●∙ 0002");
    shows(&mut stage, "in real time");
    stage.keys("k");
    shows(&mut stage, "paused");
}

#[test]
fn what_came_from_outside_is_saved_and_played_again() {
    let mut stage = Stage::new(SIGNALS);
    stage.text("/idle:").keys("Enter .").keys("2 4 .").keys(":").text("save what came").keys("Enter Enter");
    let (path, bytes) = stage.written.pop().expect("it is written");
    let events = String::from_utf8(bytes.clone()).expect("text");
    assert_eq!(path, "events.jsonl");
    assert!(events.lines().count() == 2 && events.contains("\"levers\":20"), "{events}");
    stage.folder.insert("hand.jsonl".to_owned(), bytes);
    stage.keys("0 :").text("run with what comes").keys("Enter").text("hand.jsonl").keys("Enter");
    shows(&mut stage, "2 events of hand.jsonl will come");
    stage.text("/show:").keys("Enter . . Right Right Right");
    assert_eq!(row(&mut stage, "lamps"), "∙∙∙∙ ∙∙∙∙ ∙∙∙● ∙∙∙∙ 0010");
    stage.folder.insert("bad.jsonl".to_owned(), b"{\"cycle\": 5, \"lever\": 99, \"up\": true}\n".to_vec());
    stage.keys(":").text("run with what comes").keys("Enter Ctrl-U").text("bad.jsonl").keys("Enter");
    shows(&mut stage, "bad.jsonl, line 1: \"lever\" is a whole number from 0 to 15");
}

const WRITER: &str = "start: mov r0, name\n mov r1, 1\n sys file_open\n mov r6, r0\n mov r1, text\n mov r2, 4\n sys file_write\n \
     mov r0, r6\n sys file_close\n clr r0\n sys exit\n .data\nname: .asciz \"report.txt\"\ntext: .ascii \"gate\"\n";

#[test]
fn a_file_is_written_gone_back_over_and_written_differently() {
    let mut stage = Stage::project(&["a.asm"], MemoryFiles::default().with("a.asm", WRITER));
    stage.keys("Right Right");
    shows(&mut stage, "file_open: open a file");
    stage.keys("Right Right Right Right Right :what_is_open");
    shows(&mut stage, "4 bytes written to report.txt at 0");
    shows(&mut stage, "1 written anew at 4; not on disk yet");
    assert!(stage.folder.is_empty(), "not before it is closed");
    stage.keys("g");
    assert_eq!(stage.folder["report.txt"], b"gate");
    // Going back shows it as it was, and leaves the disk alone.
    let told = stage.told;
    stage.keys("Left Left Left Left");
    shows(&mut stage, "not on disk yet");
    assert_eq!((stage.told, stage.folder["report.txt"].as_slice()), (told, &b"gate"[..]));
    // A new branch before it was written: for now it writes nothing, then something else.
    stage.keys("t").text("2").keys("Enter =").text("byte [text] = 'l'").keys("Enter");
    assert!(stage.folder.is_empty(), "{:?}", stage.folder);
    stage.keys("g");
    assert_eq!(stage.folder["report.txt"], b"late");
}

#[test]
fn without_a_folder_the_call_fails_and_says_how_to_give_one() {
    let mut stage = Stage::new(WRITER);
    stage.keys("Right Right");
    shows(&mut stage, "fails: not allowed");
    shows(&mut stage, "--files DIR");
}
