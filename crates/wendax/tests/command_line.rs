//! The command line: what is written, what is told, and the exit statuses.

use assert_cmd::Command;
use std::path::{Path, PathBuf};

const SUM: &str = "start:  sys get_int\n        jc @end\n        add r6, r0\n        jmp start\n@end:   mov r0, r6\n        sys put_int\n        sys exit\n";

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
        (4, r#"{"address":514,"kind":"fault","line":2,"trap":4}"#.into())
    );
    assert_eq!(
        stop("ldw r1, [0x8000]\n halt", &[]),
        (4, r#"{"address":32768,"kind":"fault","line":1,"trap":3}"#.into())
    );
    assert_eq!(stop("start: jmp start", &[]), (4, r#"{"address":512,"kind":"circling","line":1}"#.into()));
    assert_eq!(
        stop("start: inc r1\n jmp start", &["--steps", "7"]),
        (5, r#"{"address":514,"kind":"steps","line":2}"#.into())
    );
    assert_eq!(stop("brk\n halt", &[]), (5, r#"{"address":514,"kind":"paused","line":2}"#.into()));
    assert_eq!(stop("halt", &["--steps", "1"]), (0, r#"{"kind":"finished","status":0}"#.into()));
}

#[test]
fn faults_are_told_with_file_line_and_cause() {
    let folder = Folder::new();
    let file = folder.file("f.asm", "start: mov r1, 7\n div r1, r2\n halt\n");
    let (status, _, err) = told(&mut wendax(&["run"], &[&file]));
    assert_eq!(status, 4);
    assert!(err.contains("f.asm:2: at start + 2: fault, trap 4: a division by zero"), "{err}");
}

#[test]
fn problems_go_to_standard_error_and_nothing_is_written() {
    let folder = Folder::new();
    let file = folder.file("p.asm", "mov r0 5\n muv r1, 2\n");
    for command in ["run", "build"] {
        let (status, out, err) = told(&mut wendax(&[command], &[&file]));
        assert_eq!((status, out.as_str()), (3, ""));
        assert!(
            err.contains("p.asm:1:7  problem W010")
                && err.contains("p.asm:2:2  problem W012")
                && err.contains("2 problems"),
            "{err}"
        );
    }
    assert!(!folder.path("p.bin").exists());
    let (status, _, err) = told(&mut wendax(&["run"], &[&folder.file("u.asm", b"nop\nn\xFFp\n")]));
    assert_eq!(status, 3);
    assert!(err.contains("u.asm:2: the byte FF is no UTF-8"), "{err}");
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
    assert_eq!(told(&mut wendax(&["build", "--fix"], &[&file])).0, 3);
    assert_eq!(std::fs::read_to_string(&file).expect("it is there"), "start:  mov r1, [\n");
}

#[test]
fn wrong_use_is_told_kindly() {
    let folder = Folder::new();
    let (status, _, err) = told(&mut wendax(&["run"], &[&folder.path("nowhere.asm")]));
    assert_eq!((status, err.contains("there is no such file")), (2, true), "{err}");
    let (status, _, err) = told(&mut wendax(&["run"], &[folder.0.path()]));
    assert_eq!((status, err.contains("there is no wendax.toml in this folder")), (2, true), "{err}");
    let file = folder.file("a.asm", "halt");
    assert_eq!(told(&mut wendax(&["run", "--at", "0x0201"], &[&file])).0, 2);
    assert_eq!(told(&mut wendax(&["run", "--at", "0x0200"], &[&file])).0, 2);
    assert_eq!(told(&mut wendax(&["run", "--steps", "many"], &[&file])).0, 2);
    assert_eq!(told(&mut wendax(&["build", "-o"], &[&file])).0, 2);
    assert_eq!(told(wendax(&["build", "-o"], &[&file]).arg(&file)).0, 2, "the source is not overwritten");
    assert_eq!(std::fs::read_to_string(&file).expect("it is there"), "halt");
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let (status, _, err) = told(command.args(["demo", "elsewhere"]));
    assert_eq!((status, err.contains("there are: weighbridge")), (2, true), "{err}");
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let (status, _, err) = told(command.arg(&file));
    assert_eq!((status, err.contains("needs a terminal")), (2, true), "{err}");
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
        out.contains("djnz d, label          code Adxx     cycles 1") && out.contains("gives in r0: length printed"),
        "{out}"
    );
    assert!(guide(&[]).1.contains("directives: .code .data"));
    let (status, _, err) = guide(&["dnjz"]);
    assert_eq!((status, err.contains("did you mean `djnz`?")), (2, true), "{err}");
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
    assert_eq!(status, 5, "{err}");
    assert!(err.contains("waits for a key") && err.contains("no more input will come"), "{err}");
}

#[test]
fn a_run_tells_warnings_causes_and_circles_with_their_lines() {
    let folder = Folder::new();
    let run = |source: &str| told(wendax(&["run"], &[&folder.file("told.asm", source)]).write_stdin(""));
    let (status, _, err) = run("start: mov r0, 1\n");
    assert_eq!(status, 4);
    assert!(err.contains("W051") && err.contains("ran past the end of the code"), "{err}");
    let (status, _, err) = run("start: call start\n");
    assert_eq!(status, 4);
    assert!(err.contains("the stack is full") && err.contains("called by `call start` on line 1"), "{err}");
    let (status, _, err) = run("start: inc r1\n dec r1\n jmp start\n");
    assert_eq!(status, 4);
    assert!(err.contains("circling: lines 1 to 3 repeat one state every 3 steps for ever"), "{err}");
    let (status, _, err) = run("start: nop\nstop: brk\n halt\n");
    assert_eq!(status, 5);
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
    assert_eq!((status, err.contains("stopped after 16 steps")), (5, true), "{err}");
    let (status, _, err) = told(&mut wendax(&["run", "--at", "0300"], &[&spin]));
    assert_eq!((status, err.contains("write 0x0300")), (2, true), "{err}");
    let (status, _, err) = told(&mut wendax(&["run", "--seed", "-1"], &[&spin]));
    assert_eq!((status, err.contains("expected a number from 0 to")), (2, true), "{err}");
}

#[test]
fn standard_output_that_takes_no_more_gives_one_status_everywhere() {
    let folder = Folder::new();
    let file = folder.file("loud.asm", "start: mov r0, 'x'\n sys put_char\n mov r0, 0\n sys exit\n");
    let full = || std::fs::OpenOptions::new().write(true).open("/dev/full").expect("it is there");
    for arguments in [&["run"][..], &["image"], &["build", "--listing", "-", "-o", "/dev/null"]] {
        let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
        command.arg(arguments[0]).arg(&file).args(&arguments[1..]).stdout(full());
        assert_eq!(command.output().expect("it runs").status.code(), Some(1), "{arguments:?}");
    }
    for arguments in [&["guide"][..], &["--help"]] {
        let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
        assert_eq!(command.args(arguments).stdout(full()).output().expect("it runs").status.code(), Some(1));
    }
}

#[test]
fn interrupting_a_run_writes_its_state() {
    let folder = Folder::new();
    let file = folder.file("spin.asm", "start: add r1, 1\n adc r2, 0\n adc r3, 0\n jmp start\n");
    let out = folder.path("state.json");
    let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
    let mut child = command.arg("run").arg(&file).arg("--state").arg(&out).spawn().expect("it runs");
    std::thread::sleep(std::time::Duration::from_millis(300));
    let kill = std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status();
    assert!(kill.is_ok_and(|status| status.success()));
    assert_eq!(child.wait().expect("it ends").code(), Some(130));
    let text = std::fs::read_to_string(out).expect("written");
    let json: serde_json::Value = serde_json::from_str(&text).expect("JSON");
    assert_eq!(json["stop"]["kind"], "interrupted");
    let places = ["\"r1\"", "\"r2\"", "\"r10\"", "\"fp\""].map(|name| text.find(name).expect("it is there"));
    assert!(places.is_sorted(), "registers stand in their own order: {text}");
    assert_eq!(json["registers"].as_object().expect("names").len(), 14);
}
