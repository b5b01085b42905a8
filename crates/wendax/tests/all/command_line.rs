//! The command line: what is written, what is told, and the exit statuses.

use assert_cmd::Command;
use std::path::{Path, PathBuf};

const SUM: &str = "start:  clr r6\n@next:  sys get_int\n        jc @end\n        add r6, r0\n        jmp @next\n@end:   mov r0, r6\n        sys put_int\n        sys exit\n";

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Self(tempfile::tempdir().expect("a folder"))
    }

    fn file(&self, name: &str, bytes: impl AsRef<[u8]>) -> PathBuf {
        let path = self.path(name);
        std::fs::write(&path, bytes).expect("written");
        path
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }
}

fn wendax(arguments: &[&str], files: &[&Path]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    command.args(&arguments[..1]).args(files).args(&arguments[1..]);
    command
}

/// Exit status, standard output and standard error.
fn told(command: &mut Command) -> (i32, String, String) {
    let output = command.output().expect("it runs");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(&output.stdout), text(&output.stderr))
}

/// What `--state` wrote about a run.
fn state(folder: &Folder, source: &str, more: &[&str]) -> (i32, serde_json::Value) {
    let file = folder.file("state.asm", source);
    let out = folder.path("state.json");
    let mut command = wendax(&["run", "--state"], &[&file]);
    let status = told(command.arg(&out).args(more)).0;
    let json = std::fs::read_to_string(out).expect("the state was written");
    (status, serde_json::from_str(&json).expect("it is JSON"))
}

#[test]
fn run_passes_input_output_and_status() {
    let folder = Folder::new();
    let file = folder.file("sum.asm", SUM);
    let (status, out, err) = told(wendax(&["run"], &[&file]).write_stdin("120\n99\n-7\n"));
    assert_eq!((status, out.as_str(), err.as_str()), (212, "212", ""));
    let (status, out, _) = told(wendax(&["run"], &[&file]).write_stdin("500"));
    assert_eq!(
        (status, out.as_str()),
        (0x1F4 & 0xFF, "500"),
        "a last line without its end counts; the status is its low byte"
    );
}

#[test]
fn run_passes_arguments_and_seed() {
    let folder = Folder::new();
    let file = folder.file("a.asm", "start: sys arg_count\n mov r6, r0\n mov r0, 1\n mov r1, b\n mov r2, 20\n sys arg_copy\n mov r0, b\n sys put_text\n mov r0, 0\n sys random\n sys put_hex\n mov r0, r6\n sys exit\n.data\nb: .space 20\n");
    let run = |seed: &str| told(&mut wendax(&["run", "--seed", seed, "--", "one", "two words"], &[&file]));
    let (status, out, _) = run("5");
    assert_eq!(status, 2);
    assert!(out.starts_with("two words"));
    assert_eq!(run("5").1, out);
    assert_ne!(run("6").1, out);
}

#[test]
fn the_state_says_how_each_run_ended() {
    let folder = Folder::new();
    let (status, json) = state(&folder, "start: mov r1, -2\n cmp r1, 1\n mov r0, 0x103\n sys exit", &[]);
    assert_eq!(status, 3);
    insta::assert_snapshot!(serde_json::to_string(&json).expect("JSON"));
    let stop = |source: &str, more: &[&str]| {
        let (status, json) = state(&folder, source, more);
        let mut stop = json["stop"].clone();
        if let Some(file) = stop.as_object_mut().and_then(|stop| stop.remove("file")) {
            assert!(file.as_str().is_some_and(|file| file.ends_with("state.asm")), "{file}");
        }
        (status, stop.to_string())
    };
    assert_eq!(
        stop("nop\nstart: div r1, r2\n halt", &[]),
        (112, r#"{"address":514,"kind":"fault","line":2,"trap":4}"#.into())
    );
    assert_eq!(
        stop("ldw r1, [0x8000]\n halt", &[]),
        (112, r#"{"address":32768,"kind":"fault","line":1,"trap":3}"#.into())
    );
    assert_eq!(stop("start: jmp start", &[]), (113, r#"{"address":512,"kind":"circling","line":1}"#.into()));
    assert_eq!(
        stop("start: inc r1\n jmp start", &["--steps", "7"]),
        (115, r#"{"address":514,"kind":"steps","line":2}"#.into())
    );
    assert_eq!(stop("brk\n halt", &[]), (116, r#"{"address":514,"kind":"paused","line":2}"#.into()));
    assert_eq!(stop("halt", &["--steps", "1"]), (0, r#"{"kind":"finished","status":0}"#.into()));
}

#[test]
fn faults_are_told_with_file_line_and_cause() {
    let folder = Folder::new();
    let file = folder.file("f.asm", "start: mov r1, 7\n div r1, r2\n halt\n");
    let (status, _, err) = told(&mut wendax(&["run"], &[&file]));
    assert_eq!(status, 112);
    assert!(err.contains("f.asm:2: at start + 2: fault, trap 4: a division by zero"), "{err}");
}

#[test]
fn problems_go_to_standard_error_and_nothing_is_written() {
    let folder = Folder::new();
    let file = folder.file("p.asm", "mov r0 5\n muv r1, 2\n");
    for command in ["run", "build"] {
        let (status, out, err) = told(&mut wendax(&[command], &[&file]));
        assert_eq!((status, out.as_str()), (111, ""));
        assert!(
            err.contains("p.asm:1:7  problem W010")
                && err.contains("p.asm:2:2  problem W012")
                && err.contains("2 problems"),
            "{err}"
        );
    }
    assert!(!folder.path("p.bin").exists());
    let (status, _, err) = told(&mut wendax(&["run"], &[&folder.file("u.asm", b"nop\nn\xFFp\n")]));
    assert_eq!(status, 111);
    assert!(err.contains("u.asm:2: the byte 0xFF is no UTF-8"), "{err}");
}

#[test]
fn fixes_are_applied_to_the_source_and_told() {
    let folder = Folder::new();
    let wrong = "start:  mov r1 5\n        jmp START // on\n";
    let file = folder.file("f.asm", wrong);
    let (status, out, _) = told(&mut wendax(&["build", "--show-fixes"], &[&file]));
    assert!(status == 0 && out.contains("-start:  mov r1 5\n") && out.contains("+start:  mov r1, 5\n"), "{out}");
    assert_eq!(std::fs::read_to_string(&file).expect("it is there"), wrong, "showing changes nothing");
    let (status, _, err) = told(&mut wendax(&["build", "--fix"], &[&file]));
    assert_eq!(status, 0, "{err}");
    assert!(err.contains("f.asm:1:15  done: put a comma after `r1`"), "{err}");
    assert_eq!(std::fs::read_to_string(&file).expect("it is there"), "start:  mov r1, 5\n        jmp start ; on\n");
    assert!(folder.path("f.elf").exists());
    let file = folder.file("h.asm", ".equ A, 0x100\nstart: cmp r1, A\n cmp r2, 100\n halt\n");
    assert!(told(&mut wendax(&["build", "--fix"], &[&file])).2.contains("hint W061"));
    assert!(std::fs::read_to_string(&file).expect("it is there").contains("r2, 100"), "a hint is only a question");
    // What cannot be mended stays as it is, and is still a problem.
    let file = folder.file("g.asm", "start:  mov r1, [\n");
    assert_eq!(told(&mut wendax(&["build", "--fix"], &[&file])).0, 111);
    let (status, out, err) = told(&mut wendax(&["build", "--show-fixes"], &[&file]));
    assert!((status, out.as_str()) == (0, "") && err.contains("no fix is certain"), "{err}");
    assert_eq!(std::fs::read_to_string(&file).expect("it is there"), "start:  mov r1, [\n");
}

#[test]
fn wrong_use_is_told_kindly() {
    let folder = Folder::new();
    let (status, _, err) = told(&mut wendax(&["run"], &[&folder.path("nowhere.asm")]));
    assert_eq!((status, err.contains("there is no such file")), (110, true), "{err}");
    let (status, _, err) = told(&mut wendax(&["run"], &[folder.0.path()]));
    assert_eq!((status, err.contains("there is no wendax.toml in this folder")), (110, true), "{err}");
    let file = folder.file("a.asm", "halt");
    assert_eq!(told(&mut wendax(&["run", "--at", "0x0201"], &[&file])).0, 110);
    assert_eq!(told(&mut wendax(&["run", "--at", "0x0200"], &[&file])).0, 110);
    assert_eq!(told(&mut wendax(&["run", "--steps", "many"], &[&file])).0, 110);
    assert_eq!(told(&mut wendax(&["build", "-o"], &[&file])).0, 110);
    assert_eq!(told(wendax(&["build", "-o"], &[&file]).arg(&file)).0, 110, "the source is not overwritten");
    assert_eq!(std::fs::read_to_string(&file).expect("it is there"), "halt");
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let (status, _, err) = told(command.args(["demo", "elsewhere"]));
    assert_eq!((status, err.contains("there are: first, weighbridge")), (110, true), "{err}");
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let (status, _, err) = told(command.arg(&file));
    assert_eq!((status, err.contains("needs a terminal")), (110, true), "{err}");
}

#[test]
fn images_are_built_and_run_again() {
    let folder = Folder::new();
    let file = folder.file("sum.asm", SUM);
    for format in ["bin", "hex"] {
        let (status, _, err) = told(&mut wendax(&["build", "--format", format], &[&file]));
        assert_eq!((status, err.as_str()), (0, ""));
        let image = folder.path(&format!("sum.{format}"));
        let (status, out, _) = told(wendax(&["run"], &[&image]).write_stdin("30\n12\n"));
        assert_eq!((status, out.as_str()), (42, "42"), "{format}");
        // Without a telling name, what is in it decides.
        let bare = folder.file("bare", std::fs::read(&image).expect("built"));
        assert_eq!(told(wendax(&["run"], &[&bare]).write_stdin("1\n")).0, 1, "{format}");
    }
    let first = std::fs::read(folder.path("sum.bin")).expect("built");
    told(&mut wendax(&["build"], &[&file]));
    assert_eq!(std::fs::read(folder.path("sum.bin")).expect("built"), first, "the same input gives the same image");
    let moved = told(wendax(&["run", "--at", "0x1000"], &[&folder.path("sum.bin")]).write_stdin("5\n"));
    assert_eq!(moved.0, 5, "this program does not mind where it lies");
}

/// A routine of RV32: makes room, puts the way back by, calls what follows, ends.
const OTHER_CODE: [u32; 9] =
    [0xFF01_0113, 0x0011_2623, 0x0050_0513, 0x00C0_00EF, 0x05D0_0893, 0x0000_0073, 0x00A5_0533, 0x0000_8067, u32::MAX];

#[test]
fn a_program_for_the_other_machine_is_shown_written_and_run() {
    let folder = Folder::new();
    let bytes: Vec<u8> = OTHER_CODE.iter().flat_map(|word| word.to_le_bytes()).collect();
    let raw = folder.file("other.bin", &bytes);
    let shown = |file: &Path, more: &[&str]| told(&mut wendax(&[&["image", "--show", "code"], more].concat(), &[file]));
    let (status, code, err) = shown(&raw, &["--target", "rv32"]);
    assert_eq!((status, err.as_str()), (0, ""));
    let wanted = ["addi sp, sp, -16", "sw ra, 12(sp)", "li a0, 5", "jal at_00010018", "li a7, 93", "ecall", "ret"];
    let mut rest = code.as_str();
    for line in wanted {
        let at = rest.find(line).unwrap_or_else(|| panic!("{line} in its place:\n{code}"));
        rest = &rest[at + line.len()..];
    }
    assert!(
        code.contains("at_00010018:\n        add a0, a0, a0\n") && code.contains(".byte 0xFF, 0xFF, 0xFF, 0xFF"),
        "{code}"
    );
    // Every form holds the same program; ELF says for which machine.
    for (name, more) in
        [("other.elf", &[][..]), ("other.hex", &["--target", "rv32"]), ("other.srec", &["--target", "rv32"])]
    {
        let made = folder.path(name);
        let mut command = wendax(&["image", "--target", "rv32", "-o"], &[]);
        assert_eq!(told(command.arg(&made).arg(&raw)).0, 0, "{name}");
        assert_eq!(shown(&made, more).1, code, "{name}");
        let again = folder.path("again.bin");
        let mut command = wendax(&[&["image"], more].concat(), &[&made]);
        assert_eq!(told(command.arg("-o").arg(&again)).0, 0, "{name}");
        assert_eq!(std::fs::read(&again).expect("it was written"), bytes, "{name}");
    }
    // And each is run to the same end.
    for (name, more) in [
        ("other.elf", &[][..]),
        ("other.hex", &["--target", "rv32"]),
        ("other.srec", &["--target", "rv32"]),
        ("other.bin", &["--target", "rv32"]),
    ] {
        let (status, out, err) = told(wendax(&[&["run"], more].concat(), &[&folder.path(name)]).write_stdin(""));
        assert_eq!((status, out.as_str(), err.as_str()), (10, "", ""), "{name}");
    }
    let (status, _, err) = shown(&folder.path("other.hex"), &[]);
    assert_eq!(status, 111, "{err}");
    assert!(err.contains("outside memory for programs") && err.contains("is it for rv32? --target rv32"), "{err}");
    for (at, wanted) in [
        ("0xFFFFFFFE", "lies at multiples of 4"),
        ("0xFFFFFFFC", "which goes from 0x00010000 to 0xFFFFFDFF\n"),
        ("0x7FEFFFFC", "36 bytes from address 0x7FEFFFFC reach past 0x7FEFFFFF"),
    ] {
        let (_, out, err) = shown(&raw, &["--target", "rv32", "--at", at]);
        assert!(out.is_empty() && err.contains(wanted), "{at}: {err}");
    }
    let (_, _, err) = shown(&raw, &["--target", "w32"]);
    assert!(err.contains("expected w16 or rv32"), "{err}");
}

#[test]
fn standard_output_takes_image_and_listing() {
    let folder = Folder::new();
    let file = folder.file("l.asm", "start: sys exit\n");
    let (_, out, _) = told(&mut wendax(&["build", "-o", "-", "--format", "hex"], &[&file]));
    assert_eq!(out, ":020200000001FB\n:0400000500000200F5\n:00000001FF\n");
    let (_, out, _) = told(&mut wendax(&["build", "--listing", "-"], &[&file]));
    assert!(out.contains("0200   0100") && out.contains("start: sys exit"), "{out}");
    let far = folder.file("far.asm", ".org 0x0400\nnop\nstart: halt\n");
    let (_, _, err) = told(&mut wendax(&["build", "--format", "bin"], &[&far]));
    assert!(err.contains("run it with --at 0x0400") && err.contains("its entry is 0x0402"), "{err}");
}

#[test]
fn help_has_examples_for_every_command() {
    for arguments in [&["--help"][..], &["demo"], &["new"], &["build"], &["image"], &["format"], &["guide"], &["run"]] {
        let arguments: Vec<&str> =
            arguments.iter().copied().filter(|word| *word != "--help").chain(["--help"]).collect();
        let (status, out, _) = told(Command::new(env!("CARGO_BIN_EXE_wendax")).args(&arguments));
        assert_eq!((status, out.contains("Examples:")), (0, true), "{arguments:?}");
    }
}

#[test]
fn the_guide_tells_of_words() {
    let guide = |words: &[&str]| told(Command::new(env!("CARGO_BIN_EXE_wendax")).arg("guide").args(words));
    let (status, out, _) = guide(&["djnz", "put_text"]);
    assert_eq!(status, 0);
    assert!(
        out.contains("djnz d, label          cycles 1, taken 2\n      │ A │ d │ x x │")
            && out.contains("gives in r0: length printed"),
        "{out}"
    );
    assert!(guide(&[]).1.contains("directives: .code .data"));
    let (status, _, err) = guide(&["dnjz"]);
    assert_eq!((status, err.contains("did you mean `djnz`?")), (110, true), "{err}");
}

#[test]
fn output_that_nobody_reads_any_more_ends_the_run() {
    let folder = Folder::new();
    let file = folder.file("endless.asm", "start: mov r0, 'x'\n sys put_char\n jmp start\n");
    let command = format!("{} run {} | head -c 5", env!("CARGO_BIN_EXE_wendax"), file.display());
    let output = std::process::Command::new("sh").args(["-c", &command]).output().expect("a shell");
    assert_eq!(String::from_utf8_lossy(&output.stdout), "xxxxx");
}

#[test]
fn all_output_arrives_however_much_and_fast() {
    let folder = Folder::new();
    let text = "w".repeat(310);
    let file = folder.file(
        "loud.asm",
        format!("start: mov r6, 40000\n@next: mov r0, text\n sys put_text\n djnz r6, @next\n mov r0, 0\n sys exit\n.data\ntext: .asciz \"{text}\\n\"\n"),
    );
    let output = wendax(&["run"], &[&file]).output().expect("it runs");
    assert_eq!((output.status.code(), output.stdout.len()), (Some(0), 40_000 * 311));
    assert!(output.stdout.ends_with(b"www\n"));
}

#[test]
fn the_console_registers_get_the_same_input_as_calls() {
    let folder = Folder::new();
    // Polls for keys and prints each one until the input ends, which bit 2 says; the first line goes to a call.
    let file = folder.file(
        "keys.asm",
        "start: sys get_int\n sys put_int\n@poll: ldw r1, [0xFF10]\n tst r1, 1\n jnz @key\n tst r1, 4\n jz @poll\n mov r0, 0\n sys exit\n\
         @key: ldw r0, [0xFF12]\n stw [0xFF12], r0\n jmp @poll\n",
    );
    let (status, out, err) = told(wendax(&["run"], &[&file]).write_stdin("12\nab\n"));
    assert_eq!((status, out.as_str(), err.as_str()), (0, "12ab\n", ""));
    let typed = folder.file("typed.txt", "7\nxyz");
    let (status, out, _) = told(wendax(&["run", "--input"], &[]).arg(&typed).arg(&file));
    assert_eq!((status, out.as_str()), (0, "7xyz"));
    // By interrupt.
    let file = folder.file(
        "interrupt.asm",
        "start: mov r1, key\n stw [18], r1\n mov r1, 16\n stw [0xFF10], r1\n ei\nmain: cmp r6, 3\n jltu main\n mov r0, 0\n sys exit\n\
         key: ldw r1, [0xFF12]\n stw [0xFF12], r1\n inc r6\n reti\n",
    );
    let (status, out, _) = told(wendax(&["run"], &[&file]).write_stdin("abc"));
    assert_eq!((status, out.as_str()), (0, "abc"));
    let (status, _, err) = told(wendax(&["run"], &[&file]).write_stdin("ab"));
    assert_eq!(status, 114, "{err}");
    assert!(err.contains("waits for a key") && err.contains("no more input will come"), "{err}");
}

#[test]
fn a_run_tells_warnings_causes_and_circles_with_their_lines() {
    let folder = Folder::new();
    let run = |source: &str| told(wendax(&["run"], &[&folder.file("told.asm", source)]).write_stdin(""));
    let (status, _, err) = run("start: mov r0, 1\n");
    assert_eq!(status, 112);
    assert!(err.contains("W051") && err.contains("ran past the end of the code"), "{err}");
    let (status, _, err) = run("start: call start\n");
    assert_eq!(status, 112);
    assert!(err.contains("the stack is full") && err.contains("called by `call start` on line 1"), "{err}");
    let (status, _, err) = run("start: inc r1\n dec r1\n jmp start\n");
    assert_eq!(status, 113);
    assert!(err.contains("circling: lines 1 to 3 repeat one state every 3 steps for ever"), "{err}");
    let (status, _, err) = run("start: nop\nstop: brk\n halt\n");
    assert_eq!(status, 116);
    assert!(err.contains("told.asm:2: at stop: stopped by a brk"), "{err}");
}

#[test]
fn a_source_of_a_project_runs_as_the_project_and_numbers_are_as_in_sources() {
    let folder = Folder::new();
    folder.file("wendax.toml", "sources = [\"*.asm\"]\n");
    folder.file("other.asm", " .global seven\nseven: mov r0, 7\n ret\n");
    let main = folder.file("main.asm", " .extern seven\nstart: call seven\n sys exit\n");
    assert_eq!(told(&mut wendax(&["run"], &[&main])).0, 7);
    let spin = folder.file("spin.bin", [0x01, 0x00, 0xFE, 0x80]);
    let (status, _, err) = told(&mut wendax(&["run", "--steps", "0x1_0", "--at", "0x0300"], &[&spin]));
    assert_eq!((status, err.contains("stopped after 16 steps")), (115, true), "{err}");
    let (status, _, err) = told(&mut wendax(&["run", "--at", "0300"], &[&spin]));
    assert_eq!((status, err.contains("write 0x0300")), (110, true), "{err}");
    let (status, _, err) = told(&mut wendax(&["run", "--seed", "-1"], &[&spin]));
    assert_eq!((status, err.contains("expected a number from 0 to")), (110, true), "{err}");
}

#[test]
fn standard_output_that_takes_no_more_gives_one_status_everywhere() {
    let folder = Folder::new();
    let file = folder.file("loud.asm", "start: mov r0, 'x'\n sys put_char\n mov r0, 0\n sys exit\n");
    let full = || std::fs::OpenOptions::new().write(true).open("/dev/full").expect("it is there");
    for arguments in [&["run"][..], &["image"], &["build", "--listing", "-", "-o", "/dev/null"]] {
        let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
        command.arg(arguments[0]).arg(&file).args(&arguments[1..]).stdout(full());
        assert_eq!(command.output().expect("it runs").status.code(), Some(117), "{arguments:?}");
    }
    for arguments in [&["guide"][..], &["--help"]] {
        let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
        assert_eq!(command.args(arguments).stdout(full()).output().expect("it runs").status.code(), Some(117));
    }
}

#[test]
fn interrupting_a_run_writes_its_state() {
    let folder = Folder::new();
    let file = folder.file("spin.asm", "start: add r1, 1\n adc r2, 0\n adc r3, 0\n jmp start\n");
    let out = folder.path("state.json");
    let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
    let mut child = command.arg("run").arg(&file).arg("--state").arg(&out).spawn().expect("it runs");
    crate::common::interrupt(&child);
    assert_eq!(child.wait().expect("it ends").code(), Some(130));
    let text = std::fs::read_to_string(out).expect("written");
    let json: serde_json::Value = serde_json::from_str(&text).expect("JSON");
    assert_eq!(json["stop"]["kind"], "interrupted");
    let places = ["\"r1\"", "\"r2\"", "\"r10\"", "\"fp\""].map(|name| text.find(name).expect("it is there"));
    assert!(places.is_sorted(), "registers stand in their own order: {text}");
    assert_eq!(json["registers"].as_object().expect("names").len(), 14);
}

#[test]
fn nothing_is_written_over_what_was_read_nor_twice_to_one_place() {
    let folder = Folder::new();
    let part = folder.file("part.bin", "        .byte 1\n");
    let main = folder.file("m.asm", "start: halt\n        .data\n        .include \"part.bin\"\n");
    let image = folder.path("m.elf");
    assert_eq!(told(wendax(&["build"], &[&main]).arg("-o").arg(&image)).0, 0);
    let before: Vec<Vec<u8>> = [&part, &main, &image].iter().map(|file| std::fs::read(file).expect("a file")).collect();
    let refused = |command: &mut Command, why: &str| {
        let (status, _, err) = told(command);
        assert_eq!((status, err.contains(why)), (110, true), "{command:?}: {err}");
    };
    let over = "would overwrite it";
    refused(wendax(&["build"], &[&main]).arg("-o").arg(&part), over);
    refused(wendax(&["build"], &[&main]).arg("--map").arg(&part), over);
    refused(wendax(&["image", "--format", "hex"], &[&image]).arg("-o").arg(&image), over);
    refused(wendax(&["image", "--format", "hex"], &[&image]).arg("-o").arg(&main), over);
    let other = folder.path("other.asm");
    refused(wendax(&["image", "--format", "hex"], &[&image]).arg("-o").arg(&other), "named like a source");
    refused(wendax(&["run"], &[&image]).arg("--state").arg(&image), over);
    refused(wendax(&["run"], &[&main]).arg("--state").arg(&main), over);
    let one = folder.path("one");
    refused(wendax(&["build"], &[&main]).arg("-o").arg(&one).arg("--listing").arg(&one), "would both be written to it");
    refused(wendax(&["build", "-o", "-"], &[&main]).args(["--map", "-"]), "standard output");
    refused(wendax(&["run"], &[&main]).arg("--log").arg(&image), "no log");
    assert!(!one.exists());
    let after: Vec<Vec<u8>> = [&part, &main, &image].iter().map(|file| std::fs::read(file).expect("a file")).collect();
    assert_eq!(before, after);
    assert_eq!(
        told(wendax(&["build", "-o", "/dev/null"], &[&main]).args(["--map", "/dev/null"])).0,
        0,
        "a device takes all"
    );
}

#[test]
fn sources_come_from_standard_input_and_pipes_too() {
    let folder = Folder::new();
    let text = "start: mov r0, 'A'\n sys put_char\n mov r0, 7\n sys exit\n";
    let (status, out, err) = told(wendax(&["run", "-"], &[]).write_stdin(text));
    assert_eq!((status, out.as_str()), (7, "A"), "{err}");
    let image = folder.path("a.elf");
    assert_eq!(told(wendax(&["build", "-"], &[]).arg("-o").arg(&image).write_stdin(text)).0, 0);
    assert_eq!(told(&mut wendax(&["run"], &[&image])).1, "A");
    let (status, _, err) = told(wendax(&["build", "-"], &[]).write_stdin(text));
    assert_eq!((status, err.contains("say with -o")), (110, true), "{err}");
    let (status, _, err) = told(wendax(&["run", "-"], &[]).write_stdin("start: mov r0 5\n"));
    assert_eq!((status, err.contains("-:1:14  problem W010")), (111, true), "{err}");
    let pipe = folder.path("pipe.asm");
    assert!(std::process::Command::new("mkfifo").arg(&pipe).status().expect("mkfifo runs").success());
    let writer = std::thread::spawn({
        let pipe = pipe.clone();
        move || std::fs::write(pipe, text)
    });
    assert_eq!(told(&mut wendax(&["run"], &[&pipe])).1, "A");
    writer.join().expect("it ends").expect("it was read");
}

#[test]
fn objects_and_libraries_are_taken_for_what_they_are_and_linked_without_a_manifest() {
    let folder = Folder::new();
    let main = folder.file("main.asm", "        .extern weigh\nstart: call weigh\n sys exit\n");
    let weigh = folder.file("weigh.asm", "        .global weigh\nweigh: mov r0, 42\n ret\n");
    let (object, library, image) = (folder.path("weigh.o"), folder.path("w.a"), folder.path("p.elf"));
    assert_eq!(told(&mut wendax(&["build", "--format", "object"], &[&weigh])).0, 0);
    assert!(object.exists(), "it lies beside its source");
    assert_eq!(told(wendax(&["build"], &[&object]).arg("-o").arg(&library)).0, 0, "a library of objects");
    for with in [&weigh, &object, &library] {
        let (status, _, err) = told(wendax(&["build"], &[&main, with]).arg("-o").arg(&image));
        assert_eq!(status, 0, "{err}");
        assert_eq!(told(&mut wendax(&["run"], &[&image])).0, 42);
    }
    for file in [&object, &library] {
        let (status, out, _) = told(&mut wendax(&["image"], &[file]));
        assert_eq!((status, out.contains("makes known: weigh")), (0, true), "{out}");
        for command in ["run", "image"] {
            let more: &[&str] = if command == "image" { &["--show", "code"] } else { &[] };
            let (status, _, err) = told(wendax(&[command], &[file]).args(more));
            assert_eq!((status, err.contains("`wendax build")), (110, true), "{err}");
        }
    }
    let (status, _, err) = told(wendax(&["build"], &[&main, &image]).arg("-o").arg(folder.path("x.elf")));
    assert_eq!((status, err.contains("needs no building")), (110, true), "{err}");
}

#[test]
fn images_that_are_cut_off_are_refused_with_what_is_missing() {
    let folder = Folder::new();
    let main = folder.file("m.asm", "start: mov r0, 5\n sys exit\n");
    for (ending, missing) in [("hex", "no end record"), ("srec", "no end record"), ("elf", "no whole ELF file")] {
        let whole = folder.path(&format!("m.{ending}"));
        assert_eq!(told(wendax(&["build"], &[&main]).arg("-o").arg(&whole)).0, 0);
        let bytes = std::fs::read(&whole).expect("it was written");
        std::fs::write(&whole, &bytes[..bytes.len().min(40)]).expect("it can be");
        if ending == "hex" {
            std::fs::write(&whole, bytes.split_inclusive(|byte| *byte == b'\n').next().expect("a line"))
                .expect("it can be");
        } else if ending == "srec" {
            let lines: Vec<&[u8]> = bytes.split_inclusive(|byte| *byte == b'\n').take(2).collect();
            std::fs::write(&whole, lines.concat()).expect("it can be");
        }
        let (status, _, err) = told(&mut wendax(&["run"], &[&whole]));
        assert_eq!((status, err.contains(missing)), (111, true), "{ending}: {err}");
    }
}

#[test]
fn a_state_is_never_that_of_an_earlier_run() {
    let folder = Folder::new();
    let place = folder.path("state.json");
    let kind = |source: &str| {
        std::fs::write(&place, "{\"stop\":{\"kind\":\"finished\"}}").expect("it can be");
        let file = folder.file("s.asm", source);
        told(wendax(&["run"], &[&file]).arg("--state").arg(&place).write_stdin(""));
        let json: serde_json::Value = serde_json::from_slice(&std::fs::read(&place).expect("a state")).expect("JSON");
        json["stop"]["kind"].as_str().expect("a kind").to_owned()
    };
    assert_eq!(kind("start: mov r0 5\n"), "problems");
    assert_eq!(kind("start: sys exit\n"), "finished");
    assert_eq!(kind("start: sys get_char\n jmp start\n"), "waiting");
    std::fs::write(&place, "old").expect("it can be");
    told(wendax(&["run"], &[&folder.path("none.asm")]).arg("--state").arg(&place));
    assert!(std::fs::read_to_string(&place).expect("a state").contains("failed"));
}

#[test]
fn words_near_a_command_files_that_are_missing_and_pages_for_the_shell() {
    let refused = |arguments: &[&str], why: &str| {
        let (status, _, err) = told(&mut wendax(arguments, &[]));
        assert_eq!((status, err.contains(why)), (110, true), "{arguments:?}: {err}");
    };
    refused(&["rnu", "x.asm"], "did you mean `run`?");
    refused(&["bild"], "did you mean `build`?");
    refused(&["nope.asm"], "there is no such file");
    refused(&["yardd"], "there is no such file or project");
    refused(&["x.asm", "run"], "wendax run FILE");
    for shell in ["bash", "zsh", "fish"] {
        let (status, out, _) = told(&mut wendax(&["completions", shell], &[]));
        assert!(status == 0 && out.contains("show-fixes"), "{shell}");
    }
    let folder = Folder::new();
    assert_eq!(told(&mut wendax(&["manpages"], &[folder.0.path()])).0, 0);
    assert!(std::fs::read_to_string(folder.path("wendax-run.1")).expect("a page").contains("virtual"));
    assert!(told(&mut wendax(&["manpages"], &[])).1.contains(".TH wendax"));
}

#[test]
fn problems_as_json_lines_carry_place_forms_and_graded_fixes() {
    let folder = Folder::new();
    let file = folder.file("j.asm", "start: mov r0 5\n muv r1, 1\n halt\n");
    let (status, _, err) = told(&mut wendax(&["build", "--problems", "json"], &[&file]));
    assert_eq!(status, 111);
    let lines: Vec<serde_json::Value> = err.lines().map(|line| serde_json::from_str(line).expect("JSON")).collect();
    let grades: Vec<&str> = lines.iter().filter_map(|line| line["fix"]["grade"].as_str()).collect();
    assert_eq!(grades, ["certain", "guess"]);
    let first = &lines[0];
    assert_eq!(
        (first["line"].as_u64(), first["column"].as_u64(), first["code"].as_str()),
        (Some(1), Some(14), Some("W010"))
    );
    assert_eq!(first["fix"]["edits"][0]["text"], ",");
}

#[test]
fn a_log_tells_what_was_done() {
    let folder = Folder::new();
    let (file, log) = (folder.file("a.asm", "start: halt\n"), folder.path("log.txt"));
    for _ in 0..2 {
        assert_eq!(told(wendax(&["run"], &[&file]).arg("--log").arg(&log)).0, 0);
    }
    let text = std::fs::read_to_string(&log).expect("a log");
    assert!(text.contains("INFO begins") && text.contains("assembled") && text.contains("ends status=0"), "{text}");
    assert_eq!(text.matches("begins").count(), 1, "each run begins its own");
}

#[test]
fn options_that_would_do_nothing_are_refused() {
    let folder = Folder::new();
    let (file, out) = (folder.file("a.asm", SUM), folder.path("a.svg"));
    let place = out.to_str().expect("UTF-8");
    let refused = |arguments: &[&str], files: &[&Path], why: &str| {
        let (status, _, told) = told(wendax(arguments, files).write_stdin("5"));
        assert!(status == 110 && told.contains(why), "{arguments:?}: {status} {told}");
        assert!(!out.exists(), "{arguments:?}");
    };
    let drawn = |what: &[&str], why: &str| {
        let arguments = [&["draw"], what, &["-o", place]].concat();
        let mut command = wendax(&arguments[..2], &[]);
        let (status, _, told) = told(command.arg(&file).args(&arguments[2..]).write_stdin("5"));
        assert!(status == 110 && told.contains(why) && !out.exists(), "{what:?}: {status} {told}");
    };
    drawn(&["calls", "--of", "start"], "`calls` is drawn of all there is");
    drawn(&["memory", "--of", "start"], "`memory` is drawn of all there is");
    drawn(&["tree", "--moment", "3"], "`tree` is the same at each");
    drawn(&["flow", "--size", "100x30"], "only `screen` has columns and rows");
    drawn(&["flow", "--of", "start", "--of", "start"], "only `run` is drawn of several");
    drawn(&["arithmetic", "--of", "1 + 1"], "without a program");
    refused(&["tally", "--each", "5", "--", "6"], &[&file], "not in both");
    let kept = folder.path("kept.json");
    let status = told(wendax(&["run", "--tally", kept.to_str().expect("UTF-8")], &[&file]).write_stdin("5")).0;
    assert_eq!(status, 5);
    refused(&["tally", "--steps", "5"], &[&kept], "are not run again");
    refused(&["build"], &[&file, &folder.path("./a.asm")], "named twice");
}

#[test]
fn sums_are_drawn_however_they_are_spaced() {
    let folder = Folder::new();
    let out = folder.path("a.svg");
    let drawn = |sum: &str| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
        let (status, _, told) = told(command.args(["draw", "arithmetic", "--of", sum, "-o"]).arg(&out));
        assert_eq!((status, told.as_str()), (0, ""), "{sum}");
        std::fs::read_to_string(&out).expect("drawn")
    };
    for (tight, wide) in [
        ("1+1", "1 + 1"),
        ("-5--7", "-5 - -7"),
        ("-5+-7", "-5 + -7"),
        ("0x8001>>>3", "0x8001 >>> 3"),
        ("-2<<1", "-2 << 1"),
    ] {
        assert_eq!(drawn(tight), drawn(wide), "{tight}");
    }
    assert_ne!(drawn("-5 - 7"), drawn("-5 + 7"));
}

#[test]
fn sources_that_cannot_be_read_are_objects_too() {
    let folder = Folder::new();
    let (spoilt, none) = (folder.file("a.asm", b"nop\nn\xE9p"), folder.path("none.asm"));
    for (command, file, line, status) in
        [("build", &spoilt, 2, 111), ("run", &spoilt, 2, 111), ("build", &none, 1, 110), ("run", &none, 1, 110)]
    {
        let (ended, _, text) = told(&mut wendax(&[command, "--problems", "json"], &[file]));
        let object: serde_json::Value = serde_json::from_str(&text).unwrap_or_else(|_| panic!("{command}: {text}"));
        assert_eq!((ended, object["line"].as_u64(), object["code"].as_str()), (status, Some(line), Some("W044")));
        assert_eq!(object["file"].as_str(), file.to_str());
    }
    let text: String = (0..1500).map(|n| format!(" jmp lab{n}y\n")).collect::<Vec<_>>().concat();
    let many = folder.file("many.asm", text);
    let (_, _, text) = told(&mut wendax(&["build", "--problems", "json"], &[&many]));
    let more: u64 =
        text.lines().filter_map(|line| serde_json::from_str::<serde_json::Value>(line).ok()?["more"].as_u64()).sum();
    assert_eq!(text.lines().count() as u64 + more, 1500);
}

#[test]
fn small_things_of_use_are_told_in_words() {
    let folder = Folder::new();
    let file = folder.file("a.asm", SUM);
    let place = |name: &str| folder.path(name).to_str().expect("UTF-8").to_owned();
    // What `new` says can be typed again, and a file is no place for a project.
    let (status, out, _) = told(&mut wendax(&["new"], &[&folder.path("we ird")]));
    assert!(status == 0 && out.contains(&format!("wendax '{}'", place("we ird"))), "{out}");
    let (status, _, text) = told(&mut wendax(&["new"], &[&file]));
    assert!(status == 110 && text.contains("this is a file; a new project needs a folder"), "{text}");
    // Lists of values need no blanks.
    let (_, _, text) = told(wendax(&["run", "--show", "flags,r1,registers"], &[&file]).write_stdin("5"));
    assert!(!text.contains("nothing here"), "{text}");
    // A log goes to a plain file, and one that never ends is not read.
    let (status, _, text) = told(wendax(&["run", "--log", "/dev/full"], &[&file]).write_stdin("5"));
    assert!(status == 110 && text.contains("no plain file"), "{text}");
    // What has no room in a sound file is said.
    let sounds = "start: mov r6, 400\n@on: mov r0, 440\n mov r1, 3000\n sys tone\n djnz r6, @on\n clr r0\n sys exit\n";
    let sounds = folder.file("sounds.asm", sounds);
    let (_, _, text) =
        told(wendax(&["run", "--clock", "virtual", "--tones", &place("a.wav")], &[&sounds]).write_stdin(""));
    assert!(text.contains("those of the first 600"), "{text}");
    // A tally that is none is told without words of the reader of JSON.
    for (bytes, why) in
        [("{\"form\": \"x", "ends in line 1"), ("{\"form\": 3}", "stands where a string is expected"), ("[", "ends")]
    {
        let (status, _, text) = told(&mut wendax(&["tally"], &[&folder.file("t.json", bytes)]));
        assert!(status == 110 && text.contains(why) && !text.contains("EOF"), "{text}");
    }
    let (_, out, _) = told(Command::new(env!("CARGO_BIN_EXE_wendax")).args(["completions", "bash"]));
    assert!(out.contains("derailed") && out.contains("djnz") && out.contains("put_text"));
}
