//! Programs and the world: demos that use it, files in their folder, events without hands, tones.

use crate::common::{run, until};
use std::path::{Path, PathBuf};

fn demos() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos")
}

#[test]
fn demos_are_listed_and_each_is_told() {
    let here = std::env::temp_dir();
    let (status, out, _) = run(&here, &["demo"], "");
    assert_eq!(status, 0);
    for name in ["first", "weighbridge", "sidings", "signals", "manifest", "axles", "crossing", "compiled", "derailed"]
    {
        assert!(out.contains(name), "{out}");
    }
    let (status, out, _) = run(&here, &["demo", "derailed"], "");
    let programs = out.lines().filter(|line| line.contains("  derailed/")).count();
    assert!(status == 0 && out.contains("derailed/handler") && programs == 24, "{out}");
    // Each is told in a whole sentence, whatever lines that takes.
    assert!(out.contains("word, high word.\n"), "{out}");
    assert!(out.lines().all(|line| line.chars().count() <= 80), "{out}");
    assert!(run(&here, &["demo", "derailed/nowhere"], "").2.contains("derailed/pops"));
}

/// Each does something else than it says it should, says nothing of why, and all of them assemble.
#[test]
fn derailed_programs_go_wrong() {
    let folder = demos().join("derailed");
    let mut count = 0;
    for entry in std::fs::read_dir(&folder).expect("the demo is there") {
        let path = entry.expect("an entry").path();
        if path.extension().is_none_or(|ending| ending != "asm") {
            continue;
        }
        count += 1;
        let text = std::fs::read_to_string(&path).expect("a source");
        let should =
            text.lines().find_map(|line| line.strip_prefix("; It should print: ")).expect("it says what it should");
        let file = path.display().to_string();
        let arguments = ["run", &file, "--clock", "virtual", "--steps", "300000"];
        let (status, out, err) = run(&folder, &arguments, "Penelope\n");
        assert!(out.trim() != should && !err.contains("problem"), "{file}: {status} {out} {err}");
    }
    assert_eq!(count, 24, "programs");
}

/// The first walk of RV32: what is typed is told as its page says, and every routine gives back what it should.
#[test]
fn the_scale_of_rv32_prints_what_its_page_says() {
    let folder = demos().join("axles");
    let run = |input: &str, more: &[&str]| run(&folder, &[&["run", "axles.asm"], more].concat(), input);
    assert_eq!(run("120\n99\n250\n0\n", &[]).1, "sum      469\nmean     156\nheaviest 250\nheavy    1\n");
    assert_eq!(run("-5\n-7\n", &[]).1, "sum      -12\nmean     -6\nheaviest -5\nheavy    0\n");
    let (status, out, _) = run("", &[]);
    assert_eq!((status, out.as_str()), (1, "no axles\n"));
    // No more than there is room for.
    let many = "7\n".repeat(40);
    assert!(run(&many, &[]).1.starts_with("sum      168\n"));
}

const CLOCKED: &[&str] = &["--clock", "virtual"];

/// The crossing follows its lever, blinks and counts, and ends by its key; what it interrupts keeps its registers.
#[test]
fn the_crossing_of_rv32_follows_its_lever() {
    let folder = demos().join("crossing");
    let events = tempfile::NamedTempFile::new().expect("a file");
    let lines = "{\"cycle\": 1000000, \"lever\": 0, \"up\": true}\n{\"cycle\": 4550000, \"lever\": 0, \"up\": false}\n\
                 {\"cycle\": 5000000, \"text\": \"xq\"}\n";
    std::fs::write(events.path(), lines).expect("written");
    let path = events.path().to_str().expect("a plain path");
    let folder_of_levels = tempfile::tempdir().expect("a folder");
    let levels = folder_of_levels.path().join("levels.vcd");
    let to = levels.to_str().expect("a plain path");
    let drawing =
        [&["draw", "run", "crossing.asm"], CLOCKED, &["--events", path, "--steps", "40000000", "-o", to]].concat();
    let (status, _, err) = run(&folder, &drawing, "");
    assert_eq!(status, 0, "{err}");
    let levels = std::fs::read_to_string(levels).expect("written");
    // Two lamps by turns for three and a half seconds, and the digit counts them.
    let shown = |place: &str, level: u32| {
        let line = format!("b{level:032b} {place}");
        levels.lines().filter(|there| *there == line).count()
    };
    assert_eq!((shown("!", 1), shown("!", 2)), (5, 4), "{levels}");
    for shape in [0x06, 0x5B, 0x4F] {
        assert_eq!(shown("#", shape), 1, "{levels}");
    }
    let arguments = [&["run", "crossing.asm"], CLOCKED, &["--events", path, "--steps", "40000000"]].concat();
    let (status, out, err) = run(&folder, &arguments, "");
    assert_eq!((status, out.as_str()), (0, "The road is open.\n"), "{err}");
}

#[test]
fn both_ways_to_sort_a_train_agree() {
    let folder = demos().join("sidings");
    let (status, inserted, err) = run(&folder, &["run"], "");
    assert_eq!((status, err.as_str()), (0, ""));
    let (_, merged, _) = run(&folder, &["run", "--", "merge"], "");
    let weights: Vec<u32> = inserted.split_whitespace().map(|word| word.parse().expect("a number")).collect();
    assert!(inserted == merged && weights.len() == 24 && weights.is_sorted(), "{inserted}\n{merged}");
    assert_eq!(run(&folder, &["run", "--", "xyz"], "").0, 2);
}

#[test]
fn the_signal_box_is_run_without_hands() {
    let folder = tempfile::tempdir().expect("a folder");
    let source = demos().join("signals/signals.asm").display().to_string();
    let events = "{\"place\": \"idle\", \"after\": 100, \"levers\": 3}\n{\"place\": \"idle\", \"time\": 2000, \"lever\": 4, \
                  \"up\": true, \"bounce\": {\"times\": 2, \"apart\": 300}}\n{\"cycle\": 20000000, \"text\": \"q\"}\n";
    std::fs::write(folder.path().join("hand.jsonl"), events).expect("written");
    let arguments = [
        "run",
        &source,
        "--events",
        "hand.jsonl",
        "--each",
        "when [lamps] & 8 == 0",
        "--show",
        "cycles",
        "--shows",
        "-",
    ];
    let (status, out, err) = run(folder.path(), &arguments, "");
    assert_eq!((status, err.as_str()), (0, ""));
    assert!(out.ends_with("The shift is over; all signals stand at danger.\n"), "{out}");
    // Two bounces; then nine seconds of a million cycles until the signal falls back.
    let cycles: Vec<u64> =
        out.lines().filter_map(|line| line.strip_prefix("cycles = ")?.replace(' ', "").parse().ok()).collect();
    assert!(cycles.len() == 3 && (8_000_000..10_000_000).contains(&cycles[2]), "{cycles:?}\n{out}");
    let (status, _, err) = run(folder.path(), &["run", &source, "--events", "none.jsonl"], "");
    assert!(status == 110 && err.contains("none.jsonl"), "{err}");
    std::fs::write(folder.path().join("bad.jsonl"), "\n{\"step\": 1}\n").expect("written");
    let (status, _, err) = run(folder.path(), &["run", &source, "--events", "bad.jsonl"], "");
    assert!(status == 110 && err.contains("bad.jsonl, line 2: a line needs one thing"), "{err}");
}

const WRITER: &str = "start:  mov r0, name\n        mov r1, 1\n        sys file_open\n        jc done\n        mov r1, text\n\
                      \x20       mov r2, 4\n        mov r6, r0\n        sys file_write\n        mov r0, r6\n        sys file_close\n\
                      \x20       clr r0\ndone:   sys exit\n        .data\nname:   .asciz \"report.txt\"\ntext:   .ascii \"gate\"\n";

#[test]
fn files_lie_in_the_folder_that_is_given_and_nowhere_else() {
    let folder = tempfile::tempdir().expect("a folder");
    let place = folder.path();
    std::fs::write(place.join("a.asm"), WRITER).expect("written");
    let (status, _, err) = run(place, &["run", "a.asm"], "");
    assert!(status == 4 && err.contains("--files DIR gives one"), "{status} {err}");
    assert!(!place.join("report.txt").exists());
    assert_eq!(run(place, &["run", "a.asm", "--files", "."], "").0, 0);
    assert_eq!(std::fs::read_to_string(place.join("report.txt")).expect("written"), "gate");
    let (status, _, err) = run(place, &["run", "a.asm", "--files", "none"], "");
    assert!(status == 110 && err.contains("no such folder for the program's files"), "{err}");
    // What we write ourselves goes over none of them.
    let (status, _, err) = run(place, &["run", "a.asm", "--files", ".", "--state", "report.txt"], "");
    assert!(status == 110 && err.contains("this is a file of the program's"), "{err}");
    let (status, _, err) = run(place, &["run", "a.asm", "--files", ".", "--trail", "report.txt"], "");
    assert!(status == 110 && err.contains("this is a file of the program's"), "{err}");
    for _ in 0..2 {
        assert_eq!(run(place, &["run", "a.asm", "--files", ".", "--state", "end.json"], "").0, 0);
    }
    let (status, _, err) = run(place, &["run", "a.asm", "--files", ".", "--tones", "report.txt"], "");
    assert!(status == 110 && err.contains("a sound file ends in .wav"), "{err}");
    assert_eq!(std::fs::read_to_string(place.join("report.txt")).expect("written"), "gate");
    // What was never closed is not there, and that is said.
    std::fs::write(place.join("b.asm"), WRITER.replace("sys file_close", "brk")).expect("written");
    std::fs::write(place.join("report.txt"), "old").expect("written");
    let (_, _, err) = run(place, &["run", "b.asm", "--files", "."], "");
    assert!(err.contains("report.txt was never closed, and stays as it was"), "{err}");
    assert_eq!(std::fs::read_to_string(place.join("report.txt")).expect("written"), "old");
    // A program cannot write over its own source.
    let own = WRITER.replace("report.txt", "c.asm");
    std::fs::write(place.join("c.asm"), &own).expect("written");
    assert_eq!(run(place, &["run", "c.asm", "--files", "."], "").0, 4);
    assert_eq!(std::fs::read_to_string(place.join("c.asm")).expect("written"), own);
}

/// Writes one file again and again, each time with another letter from end to end.
const AGAIN: &str = "start:  mov r7, 'a'\nround:  mov r0, name\n        mov r1, 1\n        sys file_open\n        mov r6, r0\n\
                     \x20       mov r1, buffer\n        mov r2, 30000\nfill:   stb [r1], r7\n        inc r1\n        djnz r2, fill\n\
                     \x20       mov r8, 10\nwrite:  mov r0, r6\n        mov r1, buffer\n        mov r2, 30000\n        sys file_write\n\
                     \x20       djnz r8, write\n        mov r0, r6\n        sys file_close\n        inc r7\n        cmp r7, 'z'\n\
                     \x20       jleu round\n        jmp start\n        .data\nname:   .asciz \"log.txt\"\nbuffer: .space 30000\n";

#[test]
fn killed_at_any_moment_a_file_is_an_old_one_or_a_new_whole_one() {
    let folder = tempfile::tempdir().expect("a folder");
    let place = folder.path();
    std::fs::write(place.join("a.asm"), AGAIN).expect("written");
    std::fs::create_dir(place.join("out")).expect("made");
    let log = place.join("out/log.txt");
    let whole = || {
        let bytes = std::fs::read(&log).ok()?;
        assert!(bytes.len() == 300_000 && bytes.iter().all(|byte| *byte == bytes[0]), "{} bytes", bytes.len());
        bytes.first().copied()
    };
    for round in 0..12 {
        let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"))
            .current_dir(place)
            .args(["run", "a.asm", "--files", "out"])
            .spawn()
            .expect("it runs");
        // At another moment each time, while it is being written.
        for _ in 0..=round {
            let before = whole();
            until("the file is written anew", || whole() != before);
        }
        child.kill().expect("it is killed");
        child.wait().expect("it ended");
        assert!(whole().is_some(), "an old one or a new one is there");
    }
}

#[test]
fn tones_are_written_as_sound_at_their_times() {
    let folder = tempfile::tempdir().expect("a folder");
    let text = "start: mov r0, 440\n mov r1, 250\n sys tone\n mov r0, 250\n sys wait_ms\n mov r0, 880\n mov r1, 500\n sys tone\n halt\n";
    std::fs::write(folder.path().join("a.asm"), text).expect("written");
    let (status, _, err) = run(folder.path(), &["run", "a.asm", "--tones", "a.wav", "--clock", "virtual"], "");
    assert_eq!((status, err.as_str()), (0, ""));
    let reader = hound::WavReader::open(folder.path().join("a.wav")).expect("a sound file");
    assert_eq!(reader.duration(), 44_100, "a second");
}

/// A board that runs, and the port it listens on.
struct Board {
    child: std::process::Child,
    port: String,
}

impl Board {
    fn start(options: &[&str]) -> Self {
        let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
        let mut child =
            command.arg("board").args(options).stdout(std::process::Stdio::piped()).spawn().expect("it runs");
        let mut line = String::new();
        let mut out = std::io::BufReader::new(child.stdout.take().expect("it was asked for"));
        std::io::BufRead::read_line(&mut out, &mut line).expect("it says where it listens");
        let port = line.split_whitespace().nth(4).expect("a port").trim_end_matches(';').to_owned();
        // What it draws goes nowhere, and must not stop it.
        std::thread::spawn(move || std::io::copy(&mut out, &mut std::io::sink()));
        Self { child, port }
    }
}

impl Drop for Board {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[test]
fn a_program_is_sent_to_the_stand_in_board_and_its_console_used() {
    let weighbridge = demos().join("weighbridge/weighbridge.asm").display().to_string();
    for options in [&["--listen", "127.0.0.1:0"][..], &[]] {
        let board = Board::start(options);
        let here = std::env::temp_dir();
        for typed in ["120\n99\n0\n", "300\n400\n"] {
            let (status, out, err) = run(&here, &["send", &weighbridge, "--port", &board.port], typed);
            assert!(
                status == 0 && err.contains("bytes sent to") && out.contains(" cwt on the bridge: "),
                "{out} {err}"
            );
        }
        let folder = tempfile::tempdir().expect("a folder");
        std::fs::write(folder.path().join("a.asm"), "start: mov r0, 5\n div r0, r1\n sys exit\n").expect("written");
        let (status, _, err) = run(folder.path(), &["send", "a.asm", "--port", &board.port], "");
        assert!(status == 112 && err.contains("on the board: fault at 0202: a division by zero"), "{status} {err}");
        let (status, out, _) = run(folder.path(), &["send", "a.asm", "--port", &board.port, "--load-only"], "");
        assert_eq!((status, out.as_str()), (0, ""));
    }
}

#[test]
fn what_goes_wrong_with_a_port_is_told() {
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::write(folder.path().join("a.asm"), "start: halt\n").expect("written");
    let told = |port: &str, status: i32, wanted: &str| {
        let (found, _, err) = run(folder.path(), &["send", "a.asm", "--port", port], "");
        assert!(found == status && err.contains(wanted), "{port}: {found} {err}");
    };
    told("/dev/nowhere", 110, "there is no such port");
    told("/dev/null", 110, "cannot be used as a serial port");
    told("192.0.2.1:80", 110, "only this machine's own address");
    // Someone listens, and says nothing; or something else.
    let silent = std::net::TcpListener::bind("127.0.0.1:0").expect("a socket");
    told(&silent.local_addr().expect("bound").to_string(), 114, "nothing answers there");
    let other = std::net::TcpListener::bind("127.0.0.1:0").expect("a socket");
    let address = other.local_addr().expect("bound").to_string();
    std::thread::spawn(move || {
        let (mut stream, _) = other.accept().expect("someone comes");
        // It answers whatever it is asked, until the other one goes.
        while std::io::Read::read(&mut stream, &mut [0; 64]).is_ok_and(|count| count > 0) {
            let _ = std::io::Write::write_all(&mut stream, b"220 welcome\r\n");
        }
    });
    told(&address, 114, "no board that speaks this protocol");
}

/// Everything that an object for RV32 leaves open, run: each way to name a place leads there.
#[test]
fn objects_for_rv32_are_linked_and_run() {
    let folder = tempfile::tempdir().expect("a folder");
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).expect("written");
    write(
        "parts.asm",
        ".target rv32\n.globl add3, table, room\nadd3: addi a0, a0, 3\n ret\n .data\ntable: .word 7, room + 4, add3\n .bss\n \
         .balign 4\nroom: .space 16\n",
    );
    write(
        "whole.asm",
        ".target rv32\n_start: la s0, table\n lw a0, 0(s0)\n call add3\n lw t0, 8(s0)\n jalr t0\n sw a0, room + 4, t1\n \
         lui t0, %hi(room + 4)\n lw a0, %lo(room + 4)(t0)\n addi t1, t0, %lo(room)\n sw a0, 8(t1)\n li t2, 1\n \
         sw t2, %lo(room)(t0)\n li t3, room\n lw t4, 0(t3)\n add a0, a0, t4\n lw t5, table + 4\n lw t6, 0(t5)\n \
         add a0, a0, t6\n beqz t4, add3\n bnez t4, 1f\n j add3\n1: jal ra, add3\n lw t0, room + 8\n add a0, a0, t0\n \
         sys put_int\n la t0, 2f\n jr t0\n2: call far\n sys exit\nfar: li a0, 0\n tail add3\n",
    );
    let run = |arguments: &[&str]| {
        let (status, out, err) = run(folder.path(), arguments, "");
        assert!(!err.contains("problem"), "{arguments:?}: {err}");
        (status, out)
    };
    for name in ["parts", "whole"] {
        let (source, object) = (format!("{name}.asm"), format!("{name}.o"));
        assert_eq!(run(&["build", &source, "--format", "object", "-o", &object]).0, 0);
    }
    let shown = run(&["image", "parts.o"]).1;
    assert!(shown.contains("makes known: add3 table room"), "{shown}");
    assert_eq!(run(&["build", "parts.asm", "--format", "library", "-o", "parts.a"]).0, 0);
    for (sources, name) in
        [(["whole.o", "parts.o"], "o.elf"), (["whole.asm", "parts.a"], "a.elf"), (["whole.asm", "parts.asm"], "s.elf")]
    {
        assert_eq!(run(&[&["build"], &sources[..], &["-o", name]].concat()).0, 0);
        // 7 + 3 + 3 + 1 + 13 + 3, and 13 again; then the status of what `tail` led to.
        assert_eq!(run(&["run", name]), (3, "43".to_owned()), "{name}");
    }
    let names = run(&["image", "o.elf", "--show", "symbols"]).1;
    assert_eq!(names.lines().count(), 6, "{names}");
}

/// What a compiler put out as assembly, linked with a source in assembly, computes what its own source says: by either way to
/// name places, and optimised or not.
#[test]
fn assembly_of_a_compiler_runs_with_a_source_of_ours() {
    let compiled = Path::new(env!("CARGO_MANIFEST_DIR")).join("../wendax-asm/tests/all/sources/compiled");
    let folder = tempfile::tempdir().expect("a folder");
    let main = ".target rv32\n.globl elsewhere\n_start: li a0, 6\n call total\n call show\n call letters\n call show\n li s0, 0\n\
                1: mv a0, s0\n li a1, 5000\n call choose\n call show\n addi s0, s0, 1\n li t0, 9\n bltu s0, t0, 1b\n\
                lw a0, TOTAL\n call show\n li a0, 0\n sys exit\nelsewhere: addi a0, a0, 1000\n ret\n\
                show: sys put_uint\n li a0, ' '\n sys put_char\n ret\n";
    std::fs::write(folder.path().join("main.asm"), main).expect("written");
    let sum = (120 + 99 + 430 + 7_u32).wrapping_add(0xFFFF_FFFF).wrapping_add(0x8000_0000);
    let meant = format!("{sum} 6 305424896 185000 625 904 6000 2952 7048 10000 4294965248 {} ", sum.wrapping_add(5));
    for name in ["mixed0.s", "mixed2.s", "mixed2m.s"] {
        std::fs::copy(compiled.join(name), folder.path().join(name)).expect("copied");
        let (status, _, err) = run(folder.path(), &["build", "main.asm", name, "--target", "rv32", "-o", "x.elf"], "");
        assert_eq!(status, 0, "{name}: {err}");
        assert_eq!(run(folder.path(), &["run", "x.elf"], "").1, meant, "{name}");
    }
}

/// The drawing of an instruction of RV32 shows the standard's fields, each with the numbers of its bits.
#[test]
fn an_instruction_of_rv32_is_drawn_bit_by_bit() {
    let (status, out, err) =
        run(&demos().join("axles"), &["draw", "instruction", "axles.asm", "--of", "axles.asm:19", "-o", "-"], "");
    assert_eq!(status, 0, "{err}");
    let texts: Vec<&str> = out.split("</text>").filter_map(|part| part.rsplit('>').next()).map(str::trim).collect();
    let bits: Vec<&str> = texts.iter().copied().filter(|text| text.len() == 1 && ["0", "1"].contains(text)).collect();
    // `sw a0, 0(s0)`; the last number of a bit is a 0 as well.
    let word: String = bits.concat();
    assert!(word.starts_with("00000000101001000010000000100011"), "{word}");
    let numbers =
        texts.iter().filter(|text| text.len() <= 2 && text.parse::<u8>().is_ok_and(|number| number > 1)).copied();
    assert_eq!(numbers.collect::<Vec<_>>(), ["31", "25", "24", "20", "19", "15", "14", "12", "11", "7", "6"]);
    for wanted in
        ["00A42023", "rs2, read: a0", "rs1, read: s0", "funct3, which of a kind: sw", "opcode, what sort: stores"]
    {
        assert!(out.contains(wanted), "{wanted}: {texts:?}");
    }
}
