//! Programs of people who mean harm: what they may open, what of theirs reaches a terminal, and how long they last.

use crate::common::Screen;
use std::fs;
use std::io::Read as _;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

const SECRET: &str = "SECRET-42";

/// A folder with `hand`, where what was handed in lies, and `victim`, which it must neither read nor write.
struct Yard(tempfile::TempDir);

/// What came of a command: its status, and all it said.
struct Came {
    status: i32,
    out: Vec<u8>,
    told: String,
}

impl Yard {
    fn new() -> Self {
        let yard = Self(tempfile::tempdir().expect("a folder"));
        for folder in ["hand", "victim", "out", "home"] {
            fs::create_dir(yard.at(folder)).expect("it is new");
        }
        yard.file("victim/notes.txt", SECRET);
        yard.file("victim/secret.inc", &format!("; {SECRET}\n.error \"{SECRET}\"\n"));
        yard.file("victim/wendax.toml", &format!("{SECRET} = 1\n"));
        yard
    }

    fn at(&self, path: &str) -> PathBuf {
        self.0.path().join(path)
    }

    fn file(&self, path: &str, text: &str) {
        let place = self.at(path);
        fs::create_dir_all(place.parent().expect("below the yard")).expect("a folder");
        fs::write(place, text).expect("it is written");
    }

    fn run(&self, words: &[&str]) -> Came {
        let output = assert_cmd::Command::new(env!("CARGO_BIN_EXE_wendax"))
            .current_dir(self.0.path())
            .env("HOME", self.at("home"))
            .args(words)
            .timeout(Duration::from_mins(1))
            .output()
            .expect("it starts");
        let came = Came {
            status: output.status.code().unwrap_or(-1),
            out: output.stdout,
            told: String::from_utf8_lossy(&output.stderr).into_owned(),
        };
        assert!(!matches!(came.status, 101 | -1), "{words:?}: {}", came.told);
        came
    }

    /// Nothing outside was read into anything, or written.
    fn is_unharmed(&self, words: &[&str], came: &Came) {
        let found = |bytes: &[u8]| bytes.windows(SECRET.len()).any(|part| part == SECRET.as_bytes());
        assert!(!found(&came.out) && !found(came.told.as_bytes()), "{words:?} tells it: {}", came.told);
        for entry in fs::read_dir(self.at("out")).expect("it is there") {
            let path = entry.expect("it can be read").path();
            assert!(!found(&fs::read(&path).expect("a file")), "{words:?}: it is in {}", path.display());
        }
        assert_eq!(fs::read_to_string(self.at("victim/notes.txt")).expect("it stays"), SECRET, "{words:?}");
        assert_eq!(fs::read_dir(self.at("victim")).expect("it is there").count(), 3, "{words:?}");
    }
}

/// Opens `notes.txt`, prints what is in it, and writes over it.
const THIEF: &str = "\
start:  mov   r0, name
        mov   r1, 0
        sys   file_open
        jc    @w
        mov   r5, r0
        mov   r1, room
        mov   r2, 32
        sys   file_read
        mov   r0, r5
        sys   file_close
        mov   r0, room
        sys   put_text
@w:     mov   r0, name
        mov   r1, 1
        sys   file_open
        jc    @e
        mov   r5, r0
        mov   r1, name
        mov   r2, 4
        sys   file_write
        mov   r0, r5
        sys   file_close
@e:     clr   r0
        sys   exit
        .data
name:   .asciz \"notes.txt\"
room:   .space 33
";

/// The commands that read a program, with where each writes to.
const COMMANDS: [&[&str]; 6] = [
    &["run"],
    &["build", "-o", "out/p.elf", "--listing", "out/p.lst"],
    &["image", "--format", "bin", "-o", "out/p.bin"],
    &["tally", "-o", "out/t.txt"],
    &["draw", "memory", "-o", "out/m.svg"],
    &["report", "-o", "out/r.md"],
];

/// `--sealed` or nothing, and the program behind what the command says.
fn words<'a>(command: &[&'a str], program: &'a str, is_sealed: bool) -> Vec<&'a str> {
    let mut words = command.to_vec();
    words.push(program);
    words.extend(is_sealed.then_some("--sealed"));
    words
}

#[test]
fn a_manifest_opens_nothing_by_itself_and_sealed_nothing_at_all() {
    let manifests = [
        "files = \"../victim\"\n",
        "files = \"ABSOLUTE\"\n",
        "files = \"link\"\n",
        "files = \"..\"\n",
        "reach = [\"../victim\"]\n",
        "reach = [\"/\"]\n",
        "reach = [\"link\"]\n",
        "reach = [\"own\", \"../victim/../victim\"]\nfiles = \"own/../../victim\"\n",
    ];
    for manifest in manifests {
        let yard = Yard::new();
        let absolute = yard.at("victim").display().to_string();
        yard.file("hand/wendax.toml", &manifest.replace("ABSOLUTE", &absolute));
        yard.file("hand/own/x.txt", "x");
        yard.file("hand/main.asm", &format!("{THIEF}        .embed \"own/x.txt\"\n"));
        symlink(yard.at("victim"), yard.at("hand/link")).expect("a link");
        for command in COMMANDS {
            for program in ["hand", "hand/main.asm"] {
                for is_sealed in [false, true] {
                    let words = words(command, program, is_sealed);
                    let came = yard.run(&words);
                    yard.is_unharmed(&words, &came);
                    if matches!(command[0], "build" | "image") && program != "hand" {
                        // Of a source by itself no manifest says anything.
                        continue;
                    }
                    let said = came.told.contains("lies outside of the project's folder") || command[0] == "report";
                    assert!(said && came.status == 111, "{manifest} {words:?}: {} {}", came.status, came.told);
                }
            }
        }
        if manifest.contains("reach") {
            continue;
        }
        // Who runs it can say so.
        let came = yard.run(&["run", "hand", "--files", "out"]);
        assert_eq!((came.status, fs::read_to_string(yard.at("out/notes.txt")).ok().as_deref()), (0, Some("note")));
    }
}

#[test]
fn no_path_and_no_link_leads_out_of_a_sealed_program() {
    let sources = [
        ".include \"../victim/secret.inc\"\n",
        ".include \"link/secret.inc\"\n",
        ".include \"deep.inc\"\n",
        "        .data\n        .embed \"../victim/notes.txt\"\n",
        "        .data\n        .embed \"link/notes.txt\"\n",
        "        .data\n        .embed \"ABSOLUTE/notes.txt\"\n",
        "        .data\n        .embed \"/dev/zero\"\n",
        "        .data\n        .embed \"pipe\"\n",
        "        .data\n        .embed \"/proc/self/environ\"\n",
    ];
    for text in sources {
        let yard = Yard::new();
        let absolute = yard.at("victim").display().to_string();
        yard.file("hand/main.asm", &format!("{THIEF}{}", text.replace("ABSOLUTE", &absolute)));
        symlink(yard.at("victim"), yard.at("hand/link")).expect("a link");
        symlink(yard.at("victim/secret.inc"), yard.at("hand/deep.inc")).expect("a link");
        assert!(Command::new("mkfifo").arg(yard.at("hand/pipe")).status().expect("it starts").success());
        for with_manifest in [false, true] {
            if with_manifest {
                yard.file("hand/wendax.toml", "sources = [\"main.asm\"]\n");
            }
            for command in COMMANDS {
                let words = words(command, "hand/main.asm", true);
                let came = yard.run(&words);
                yard.is_unharmed(&words, &came);
                assert_eq!(came.status, 111, "{text} {words:?}: {}", came.told);
            }
        }
    }
}

#[test]
fn what_is_named_itself_may_be_no_link_and_no_pipe_when_sealed() {
    let yard = Yard::new();
    symlink(yard.at("victim/secret.inc"), yard.at("hand/main.asm")).expect("a link");
    assert!(Command::new("mkfifo").arg(yard.at("hand/pipe.asm")).status().expect("it starts").success());
    for command in COMMANDS {
        for program in ["hand/main.asm", "hand/pipe.asm"] {
            let words = words(command, program, true);
            let came = yard.run(&words);
            yard.is_unharmed(&words, &came);
            assert_eq!(came.status, 110, "{words:?}: {}", came.told);
        }
    }
    // Nor is the manifest.
    fs::remove_file(yard.at("hand/main.asm")).expect("it is there");
    yard.file("hand/main.asm", THIEF);
    symlink(yard.at("victim/wendax.toml"), yard.at("hand/wendax.toml")).expect("a link");
    for command in COMMANDS {
        let words = words(command, "hand", true);
        let came = yard.run(&words);
        yard.is_unharmed(&words, &came);
        assert!(came.status >= 110, "{words:?}: {}", came.told);
    }
}

#[test]
fn fixes_write_nothing_outside_of_the_folder() {
    let yard = Yard::new();
    yard.file("victim/notes.txt", "N = 5\nCOLOUR=7 // blue\n");
    yard.file("hand/p.asm", "        .include \"../victim/notes.txt\"\nstart:  mov   r0 5\n        sys   exit\n");
    let came = yard.run(&["build", "hand/p.asm", "--fix", "-o", "out/p.elf"]);
    assert_eq!(fs::read_to_string(yard.at("victim/notes.txt")).expect("it stays"), "N = 5\nCOLOUR=7 // blue\n");
    assert!(came.told.contains("lies outside of the program's folder and is left as it is"), "{}", came.told);
}

/// Signs that do something to a terminal, by their escapes and as they are.
const RAW: &str = "\u{1B}]0;owned\u{7}\u{1B}[2J\u{1B}[31mPASS\u{202E}\u{9B}1m\r";

fn raw_sources() -> Vec<(&'static str, String)> {
    vec![
        ("error", ".error \"x\\x1b]0;owned\\x07\\n0:0 fine\"\nstart: sys exit\n".to_owned()),
        ("assert", ".assert 1 == 2, \"x\\x1b[2J\"\nstart: sys exit\n".to_owned()),
        ("fix", format!("start:  muv   r0, 5 ; {RAW}\n        sys   exit\n")),
        ("include", ".include \"no\\x1b[2J.inc\"\nstart: sys exit\n".to_owned()),
        ("odd", format!("start:  mov   r0, {RAW}\n        sys   exit\n")),
        ("name", format!("start:  mov   r0, x{RAW}\n        sys   exit\n")),
        ("warning", format!("start:  sys 0x77 ; {RAW}\n        sys exit\n")),
        (
            "prints",
            "start: mov r0, t\n sys put_text\n clr r0\n sys exit\n.data\nt: .asciz \"\\x1b]0;owned\\x07\\x1b[2J\u{202E}\\x9b1m\"\n"
                .to_owned(),
        ),
    ]
}

fn is_plain(text: &str) -> bool {
    text.chars().all(|c| c == '\n' || !wendax_source::is_hidden(c))
}

#[test]
fn nothing_of_theirs_reaches_standard_error_raw() {
    for (name, text) in raw_sources() {
        let yard = Yard::new();
        yard.file("hand/p.asm", &text);
        for command in COMMANDS {
            for more in [&[][..], &["--problems", "json"], &["--strict"]] {
                let mut words = words(command, "hand/p.asm", false);
                words.extend(more);
                let came = yard.run(&words);
                assert!(is_plain(&came.told), "{name} {words:?}: {:?}", came.told);
            }
        }
        for words in [["build", "--show-fixes", "hand/p.asm"], ["run", "hand/p.asm", "--show=last 3, t as text"]] {
            let came = yard.run(&words);
            assert!(is_plain(&came.told), "{name} {words:?}: {:?}", came.told);
        }
        let report = fs::read_to_string(yard.at("out/r.md")).expect("it is written also of problems");
        assert!(is_plain(&report), "{name}: {report:?}");
    }
    // A file's own name.
    let yard = Yard::new();
    let name = format!("hand/{RAW}.asm");
    yard.file(&name, "start: muv r0, 5\n");
    for command in COMMANDS {
        let came = yard.run(&words(command, &name, false));
        assert!(is_plain(&came.told) && came.status >= 110, "{command:?}: {:?}", came.told);
    }
    let came = yard.run(&["run", "hand", &format!("--{RAW}")]);
    assert!(is_plain(&came.told), "{:?}", came.told);
}

/// What a command writes to a terminal of its own.
fn on_a_terminal(yard: &Yard, words: &[&str]) -> String {
    let controller =
        rustix::pty::openpt(rustix::pty::OpenptFlags::RDWR | rustix::pty::OpenptFlags::NOCTTY).expect("one");
    rustix::pty::grantpt(&controller).and_then(|()| rustix::pty::unlockpt(&controller)).expect("it can be used");
    let name = rustix::pty::ptsname(&controller, Vec::new()).expect("it has a name");
    let place = Path::new(name.to_str().expect("UTF-8")).to_owned();
    let open = || fs::File::options().read(true).write(true).open(&place).expect("it is there");
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    command.current_dir(yard.0.path()).env("NO_COLOR", "1").args(words);
    let mut child = command.stdin(Stdio::null()).stdout(open()).stderr(open()).spawn().expect("it starts");
    drop(command);
    let mut bytes = Vec::new();
    // The terminal says that nobody is at its other end by an error.
    let _ = fs::File::from(controller).read_to_end(&mut bytes);
    child.wait().expect("it ends");
    // The terminal itself makes CR LF of each line end.
    String::from_utf8_lossy(&bytes).replace("\r\n", "\n")
}

#[test]
fn what_programs_print_does_nothing_to_a_terminal_and_is_whole_in_a_pipe() {
    let yard = Yard::new();
    for (name, text) in raw_sources() {
        yard.file("hand/p.asm", &text);
        for words in [
            &["run", "hand/p.asm"][..],
            &["run", "hand/p.asm", "--trail", "-", "--state", "-", "--tally", "-"],
            &["run", "hand/p.asm", "--show", "t as text", "--shows", "-"],
            &["build", "hand/p.asm", "-o", "out/p.elf", "--listing", "-", "--symbols", "-", "--map", "-"],
            &["build", "hand/p.asm", "--show-fixes"],
            &["image", "hand/p.asm"],
            &["tally", "hand/p.asm"],
            &["draw", "memory", "hand/p.asm", "-o", "-"],
            &["format", "--check", "hand/p.asm"],
        ] {
            let shown = on_a_terminal(&yard, words);
            let is_shown = |c: char| c == '\n' || c == '\t' || !wendax_source::is_hidden(c);
            assert!(shown.chars().all(is_shown), "{name} {words:?}: {shown:?}");
        }
    }
    let came = yard.run(&["run", "hand/p.asm"]);
    assert_eq!(
        came.out,
        "\u{1B}]0;owned\u{7}\u{1B}[2J\u{202E}".as_bytes().iter().chain(b"\x9b1m").copied().collect::<Vec<u8>>()
    );
    let shown = on_a_terminal(&yard, &["run", "hand/p.asm"]);
    // The sign that turns text is warned of first.
    let (told, printed) = shown.split_once("1 warning\n").expect("it is told");
    assert!(told.contains("W085  here stands U+202E"), "{told}");
    assert_eq!(printed, "␛]0;owned␇␛[2J·\u{FFFD}1m");
}

/// Programs that never end by themselves, with the limit that ends each.
const ENDLESS: [(&str, &str, &str); 9] = [
    ("steps", "steps=5000", "start: inc r1\n jmp start\n"),
    ("seconds", "seconds=2", "start: inc r1\n jnz start\n inc r2\n jmp start\n"),
    ("seconds", "seconds=3600", "start: mov r0, 60000\n sys wait_ms\n jmp start\n"),
    ("host", "host=1", "start: inc r1\n jnz start\n inc r2\n jmp start\n"),
    ("output", "output=100000", "start: mov r0, 'x'\n sys put_char\n inc r1\n jmp start\n"),
    ("host", "host=1", "start: mov r0, 'x'\n sys put_char\n inc r1\n jmp start\n"),
    ("memory", "memory=24", "start: inc r1\n mov r0, r1\n sys put_uint\n jmp start\n"),
    (
        "files",
        "files=4000",
        "start: mov r0, n\n mov r1, 2\n sys file_open\n mov r5, r0\n mov r1, n\n mov r2, 64\n sys file_write\n \
         mov r0, r5\n sys file_close\n jmp start\n.data\nn: .asciz \"f\"\n .space 64\n",
    ),
    ("code", "code=4", "start: inc r1\n inc r2\n inc r3\n jmp start\n"),
];

#[test]
fn each_limit_ends_each_command_by_its_own_name() {
    // Most of the time is that of limits being waited for.
    std::thread::scope(|all| {
        for case in ENDLESS {
            all.spawn(move || ends_by_its_own_name(case));
        }
    });
}

fn ends_by_its_own_name((name, limit, text): (&str, &str, &str)) {
    let yard = Yard::new();
    yard.file("hand/p.asm", text);
    fs::create_dir(yard.at("files")).expect("it is new");
    for command in COMMANDS.iter().filter(|command| !matches!(command[0], "build" | "image")) {
        let mut words = words(command, "hand/p.asm", true);
        words.extend(["--limit", limit, "--clock", "virtual", "--files", "files"]);
        if command[0] == "run" {
            words.extend(["--state", "out/s.json"]);
        }
        let came = yard.run(&words);
        assert!(came.status == 115, "{words:?}: {} {}", came.status, came.told);
        let says = came.told.contains(&format!("`{name}`")) || came.told.contains("at its limit of");
        assert!(says, "{words:?}: {}", came.told);
        if command[0] == "run" && name != "code" {
            let state = fs::read_to_string(yard.at("out/s.json")).expect("the state is written");
            let state: serde_json::Value = serde_json::from_str(&state).expect("JSON");
            assert_eq!((&state["stop"]["kind"], &state["tool"]), (&name.into(), &115.into()), "{words:?}");
        }
        let kept = fs::metadata(yard.at("files/f")).map_or(0, |data| data.len());
        assert!(kept <= 4000, "{kept} bytes were written");
    }
}

#[test]
fn a_limit_of_seconds_on_the_virtual_clock_ends_the_run_at_that_step() {
    let yard = Yard::new();
    // Two cycles for each step: 1000 of them take two milliseconds.
    yard.file("hand/p.asm", "start: mov r0, 999\n sys wait_ms\n@l: mov r1, 1\n inc r1\n jmp @l\n");
    let came = yard.run(&["run", "hand/p.asm", "--clock", "virtual", "--limit", "seconds=1", "--state", "out/s.json"]);
    assert_eq!(came.status, 115, "{}", came.told);
    let state: serde_json::Value =
        serde_json::from_str(&fs::read_to_string(yard.at("out/s.json")).expect("written")).expect("JSON");
    let cycles = state["cycles"].as_u64().expect("a number");
    assert!((1000..1004).contains(&cycles), "one millisecond behind the wait: {state}");
}

#[test]
fn what_a_run_must_come_to_and_never_may_is_told_by_the_status() {
    let yard = Yard::new();
    yard.file(
        "hand/p.asm",
        "start: mov r0, 3\n call twice\n sys exit\ntwice: add r0, r0\n ret\nother: mul r0, 2\n ret\n",
    );
    let status = |words: &str| {
        let words = format!("run hand/p.asm {words}");
        let words = shlex::split(&words).expect("words");
        let came = yard.run(&words.iter().map(String::as_str).collect::<Vec<_>>());
        (came.status, came.told)
    };
    for (words, wanted) in [
        ("", 6),
        ("--status tool", 0),
        ("--until twice", 0),
        ("--until other", 118),
        ("--must twice --must 'call exit'", 6),
        ("--must twice --status tool", 0),
        ("--must other", 118),
        ("--never other --never 'op mul'", 6),
        ("--never 'op add' --must twice", 118),
        ("--never twice --until other", 118),
        ("--must 'call exit' --until twice", 118),
        ("--must other --steps 2", 115),
        ("--must 'op mull'", 110),
        ("--json", 110),
        ("--limit host", 110),
        ("--limit heat=3", 110),
        ("--sealed --reach /", 110),
    ] {
        let (status, told) = status(words);
        assert_eq!(status, wanted, "{words}: {told}");
    }
    assert!(status("--never 'op add'").1.contains("as it never must: step 2"), "{}", status("--never 'op add'").1);
    yard.file("hand/p.asm", "start: mov r0, 113\n sys exit\n sys 0x77\n");
    assert_eq!(
        (yard.run(&["run", "hand/p.asm"]).status, yard.run(&["run", "hand/p.asm", "--status", "tool"]).status),
        (113, 0)
    );
    assert_eq!(yard.run(&["run", "hand/p.asm", "--strict"]).status, 111, "a warning");
}

#[test]
fn a_run_that_waits_for_ever_says_what_holds_the_interrupt_back() {
    let yard = Yard::new();
    let program = |more: &str, vector: &str| {
        format!(
            "start: {vector}\n mov r0, 1000\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n{more}\n@l: inc r1\n jmp @l\n\
             tick: reti\n"
        )
    };
    let set = "mov r0, tick\n stw [16], r0";
    for (text, wanted) in [
        (program("", set), "the interrupt timer (8) waits: interrupts are off, as at the start"),
        (program(" ei", "nop"), "it has no handler, since its vector at 0x0010 is 0"),
    ] {
        yard.file("hand/p.asm", &text);
        let came = yard.run(&["run", "hand/p.asm", "--steps", "20000"]);
        assert!(came.told.contains(wanted), "{}", came.told);
    }
    yard.file("hand/p.asm", &program(" ei", set));
    let came = yard.run(&["run", "hand/p.asm", "--steps", "400"]);
    assert!(!came.told.contains("the interrupt"), "it comes: {}", came.told);
}

#[test]
fn the_bench_asks_once_before_a_project_opens_what_lies_outside() {
    let yard = Yard::new();
    yard.file("hand/wendax.toml", "reach = [\"../common\"]\n");
    yard.file(
        "common/c.inc",
        "LIMIT = 7\n".replace(" = ", ": .equ ").replace("LIMIT: .equ 7", ".equ LIMIT, 7").as_str(),
    );
    yard.file("hand/main.asm", "        .include \"../common/c.inc\"\nstart:  mov   r0, LIMIT\n        sys   exit\n");
    let hand = yard.at("hand").display().to_string();
    let home = yard.at("home");
    let screen = Screen::start(&home, &hand, 120, 34);
    screen.shows("outside of the project");
    screen.keys("Escape");
    screen.shows("stays closed");
    screen.keys("C-q");
    screen.shows("ended with 0");
    let screen = Screen::start(&home, &hand, 120, 34);
    screen.shows("outside of the project");
    // What is typed in passing is no answer.
    screen.text("ynaei");
    screen.shows("outside of the project");
    screen.keys("A");
    screen.shows("opens ../common");
    screen.shows("ready");
    screen.keys("C-q");
    screen.shows("ended with 0");
    let screen = Screen::start(&home, &hand, 120, 34);
    let shown = screen.shows("ready");
    assert!(!shown.contains("outside of the project") && shown.contains("opens ../common"), "{shown}");
    screen.keys("C-q");
    screen.shows("ended with 0");
    // Sealed it is opened without, whatever was allowed.
    let screen = Screen::start(&home, &format!("--sealed {hand}"), 120, 34);
    let shown = screen.shows("problem");
    assert!(!shown.contains("opens ../common"), "{shown}");
}

/// Reads one file and writes another, both of its folder.
const CLERK: &str = "\
start:  mov   r0, one
        mov   r1, 0
        sys   file_open
        sys   file_close
        mov   r0, two
        mov   r1, 1
        sys   file_open
        mov   r5, r0
        mov   r1, two
        mov   r2, 3
        sys   file_write
        mov   r0, r5
        sys   file_close
        clr   r0
        sys   exit
        .data
one:    .asciz \"one.txt\"
two:    .asciz \"two.txt\"
";

#[test]
fn what_the_tool_writes_goes_over_nothing_that_was_read_or_that_the_program_owns() {
    let yard = Yard::new();
    yard.file("hand/p.asm", CLERK);
    yard.file("hand/part.inc", "; nothing\n");
    yard.file("files/one.txt", "mine");
    yard.file("typed.txt", "5\n");
    yard.file("hand.jsonl", "{\"step\":2,\"lever\":0,\"up\":true}\n");
    let given = ["--files", "files", "--input", "typed.txt", "--events", "hand.jsonl"];
    let mut commands: Vec<Vec<&str>> = Vec::new();
    for option in ["--state", "--trail", "--tally", "--coverage"] {
        for place in ["files/one.txt", "files/two.txt", "typed.txt", "hand.jsonl", "hand/p.asm"] {
            commands.push(vec!["run", "hand/p.asm", option, place]);
        }
    }
    for place in ["files/one.txt", "files/two.txt", "typed.txt", "hand.jsonl", "hand/p.asm"] {
        commands.push(vec!["run", "hand/p.asm", "--show", "r1", "--shows", place]);
        commands.push(vec!["tally", "hand/p.asm", "-o", place]);
    }
    for words in commands {
        let words: Vec<&str> = words.into_iter().chain(given).collect();
        let came = yard.run(&words);
        assert_eq!(came.status, 110, "{words:?}: {}", came.told);
        let read = |path: &str| fs::read_to_string(yard.at(path)).unwrap_or_default();
        assert_eq!((read("files/one.txt").as_str(), read("typed.txt").as_str()), ("mine", "5\n"), "{words:?}");
        assert_eq!((read("hand/p.asm").as_str(), read("hand.jsonl").len()), (CLERK, 31), "{words:?}");
        let two = read("files/two.txt");
        assert!(two.is_empty() || two == "two", "{words:?}: {two}");
    }
    for (words, place) in [
        (vec!["draw", "memory", "hand/p.asm", "-o", "files/one.svg"], "files/one.svg"),
        (vec!["report", "hand/p.asm", "-o", "files/one.md"], "files/one.md"),
    ] {
        yard.file("hand/p.asm", &CLERK.replace("one.txt", place.trim_start_matches("files/")));
        yard.file(place, "mine");
        let words: Vec<&str> = words.into_iter().chain(["--files", "files"]).collect();
        let came = yard.run(&words);
        assert_eq!(
            (came.status, fs::read_to_string(yard.at(place)).ok().as_deref()),
            (110, Some("mine")),
            "{}",
            came.told
        );
    }
    // Beside them any number of times.
    for _ in 0..2 {
        for option in ["--state", "--trail", "--tally", "--coverage"] {
            let came = yard.run(&["run", "hand/p.asm", "--files", "files", option, "files/out.txt"]);
            assert_eq!(came.status, 0, "{option}: {}", came.told);
        }
    }
    let left: Vec<_> =
        fs::read_dir(yard.at("files")).expect("it is there").flatten().map(|entry| entry.file_name()).collect();
    assert!(left.iter().all(|name| !name.to_string_lossy().starts_with('.')), "nothing is left beside: {left:?}");
}

#[test]
fn forms_are_those_of_the_endings_and_others_are_refused() {
    let yard = Yard::new();
    yard.file("hand/p.asm", "start:  mov   r0,0\n        sys   exit\n");
    for (words, wanted) in [
        ("build hand/p.asm -o out/p.exe", 110),
        ("build hand/p.asm -o out/p.exe --format elf", 0),
        ("build hand/p.asm -o out/p.s37", 0),
        ("image out/p.s37 -o out/p.hex", 0),
        ("run out/p.hex", 0),
        ("image hand/p.asm -o out/p.srec", 0),
        ("image hand/p.asm -o out/p.doc", 110),
        ("image hand/p.asm -o out/p.txt", 0),
        ("image hand/p.asm --show map -o out/map.bin", 0),
        ("tally hand/p.asm -o out/p.pdf", 110),
        ("tally hand/p.asm -o out/p.info", 0),
        ("tally hand/p.asm hand/p.asm -o out/p.json", 110),
        ("run hand/p.asm --tally out/p.pdf", 110),
        ("run hand/p.asm --trail out/p.xml", 110),
        ("run hand/p.asm --trail out/p.csv", 0),
        ("draw memory hand/p.asm -o out/p.png", 110),
        ("report hand/p.asm -o out/p.doc", 110),
        ("run hand/p.asm --log -", 110),
        ("run - --events -", 110),
        ("run - --input -", 110),
    ] {
        let came = yard.run(&words.split(' ').collect::<Vec<_>>());
        assert_eq!(came.status, wanted, "{words}: {}", came.told);
    }
    assert!(!yard.at("out/p.pdf").exists() && !yard.at("-").exists());
    yard.run(&["build", "hand/p.asm", "-o", "out/one.srec"]);
    let head = |path: &str| fs::read_to_string(yard.at(path)).expect("written").lines().next().map(str::to_owned);
    yard.run(&["build", "hand/p.asm", "-o", "out/p.elf"]);
    yard.run(&["image", "out/p.elf", "-o", "out/two.srec"]);
    assert_eq!(head("out/one.srec"), head("out/two.srec"), "one program has one head");
    let formatted = assert_cmd::Command::new(env!("CARGO_BIN_EXE_wendax"))
        .args(["format", "-"])
        .write_stdin("start: mov r0,0\n")
        .output()
        .expect("it starts");
    assert_eq!(String::from_utf8_lossy(&formatted.stdout), "start:  mov   r0, 0\n");
}

#[test]
fn a_hung_up_run_writes_its_state_and_trail_and_a_full_disk_leaves_nothing() {
    let yard = Yard::new();
    yard.file("hand/p.asm", "start: inc r1\n jnz start\n inc r2\n jmp start\n");
    let mut child = Command::new(env!("CARGO_BIN_EXE_wendax"))
        .current_dir(yard.0.path())
        .args(["run", "hand/p.asm", "--state", "out/s.json", "--trail", "out/t.txt", "--trail-only", "op jmp"])
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .expect("it starts");
    crate::common::until("the trail is begun", || {
        let hidden = |entry: fs::DirEntry| entry.file_name().to_string_lossy().starts_with('.');
        fs::read_dir(yard.at("out")).is_ok_and(|entries| entries.flatten().any(hidden))
    });
    let pid = rustix::process::Pid::from_child(&child);
    rustix::process::kill_process(pid, rustix::process::Signal::HUP).expect("it runs");
    assert_eq!(child.wait().expect("it ends").code(), Some(130));
    let state = fs::read_to_string(yard.at("out/s.json")).expect("the state is written");
    assert!(state.contains("\"interrupted\"") && yard.at("out/t.txt").exists(), "{state}");
    // A device that takes nothing.
    yard.file("hand/p.asm", "start: mov r0, 5\n sys exit\n");
    for option in ["--state", "--trail", "--tally"] {
        let came = yard.run(&["run", "hand/p.asm", option, "/dev/full"]);
        assert_eq!(came.status, 117, "{option}: {}", came.told);
    }
}

/// A program or project that is a trap for whoever opens it: its files, the words of the command, how it ends, and
/// something of what is told.
struct Trap {
    name: &'static str,
    files: Vec<(String, Vec<u8>)>,
    words: Vec<&'static str>,
    status: i32,
    told: &'static str,
}

impl Trap {
    fn source(name: &'static str, text: impl Into<String>, told: &'static str) -> Self {
        let words = vec!["build", "hand/p.asm", "-o", "out/p.bin"];
        Self { name, files: vec![("hand/p.asm".to_owned(), text.into().into_bytes())], words, status: 111, told }
    }

    fn run(name: &'static str, text: impl Into<String>, (status, told): (i32, &'static str)) -> Self {
        let words =
            vec!["run", "hand/p.asm", "--sealed", "--clock", "virtual", "--limit", "steps=3000000", "--status", "tool"];
        Self { words, status, ..Self::source(name, text, told) }
    }

    fn bytes(
        name: &'static str,
        path: &str,
        bytes: Vec<u8>,
        words: &[&'static str],
        (status, told): (i32, &'static str),
    ) -> Self {
        Self { name, files: vec![(path.to_owned(), bytes)], words: words.to_vec(), status, told }
    }

    fn with(mut self, path: &str, text: impl Into<String>) -> Self {
        self.files.push((path.to_owned(), text.into().into_bytes()));
        self
    }
}

/// What keeps the assembler busy or makes it take memory.
fn traps_for_the_assembler() -> Vec<Trap> {
    let nested = |open: &str, close: &str, depth: usize| format!("{}{}", open.repeat(depth), close.repeat(depth));
    vec![
        Trap::source("includes itself", ".include \"p.asm\"\n", "includes itself without end"),
        Trap::source("includes another that includes it", ".include \"q.inc\"\n", "includes itself without end")
            .with("hand/q.inc", ".include \"p.asm\"\n"),
        Trap::source("a macro unfolds itself", ".macro M\n M\n.endmacro\nstart: M\n halt\n", "blocks within blocks"),
        Trap::source(
            "two macros unfold each other",
            ".macro A\n B\n.endmacro\n.macro B\n A\n A\n.endmacro\nstart: A\n",
            "blocks within blocks",
        ),
        Trap::source(
            "repeats of repeats",
            format!("start: halt\n{}", nested(".repeat 60000\n", ".endrepeat\n", 3)),
            "",
        ),
        Trap::source("a repeat of a thousand million", "start: halt\n.repeat 1000000000\n nop\n.endrepeat\n", ""),
        Trap::source(
            "a text that doubles",
            format!(
                "{}start: halt\n",
                (0..40).fold(".macro M0\n nop\n.endmacro\n".to_owned(), |text, at| {
                    format!("{text}.macro M{0}\n M{at}\n M{at}\n.endmacro\n", at + 1)
                }) + "x: M40\n"
            ),
            "",
        ),
        Trap::source("deep parentheses", format!("start: mov r0, {}\n", nested("(", ")", 100_000)), "nest"),
        Trap::source("deep conditions", format!("start: halt\n{}", ".if 1\n".repeat(50_000)), "never closed"),
        Trap::source("a line of a megabyte", format!("start: mov r0, {}\n", "9".repeat(1 << 20)), ""),
        Trap::source("a name of a megabyte", format!("{}: jmp {0}x\n", "n".repeat(1 << 20)), ""),
        Trap::source("mistakes without number", "x y z ?\n".repeat(200_000), "more, not shown"),
        Trap::source(
            "room without end",
            "start: halt\n.data\n.space 60000\n.space 60000\n",
            "behind the end of memory",
        ),
        Trap::source("a place far away", "start: halt\n.org 0xFFFF\n nop\n", ""),
        Trap::source(
            "constants in a circle",
            (0..20_000).map(|at| format!(".equ C{at}, C{}\n", (at + 1) % 20_000)).collect::<Vec<_>>().concat()
                + "start: mov r0, C0\n",
            "depends on itself",
        ),
        Trap::source(
            "names that are nearly alike",
            (0..20_000).map(|at| format!("n{at}a: jmp n{at}b\n")).collect::<Vec<_>>().concat(),
            "defined nowhere",
        ),
        Trap::source("embeds a file of no end", "start: halt\n.data\n.embed \"/dev/zero\"\n", "device"),
        Trap::source("embeds what is larger than memory", "start: halt\n.data\n.embed \"big.bin\"\n", "do not fit")
            .with("hand/big.bin", "x".repeat(1 << 20)),
        Trap::bytes(
            "no text at all",
            "hand/p.asm",
            (0..=255u8).cycle().take(1 << 20).collect(),
            &["build", "hand/p.asm", "-o", "out/p.bin"],
            (111, "UTF-8"),
        ),
    ]
}

/// What keeps a run busy, fills something, or never comes to anything.
fn traps_for_a_run() -> Vec<Trap> {
    let ended = (115, "the limit `steps`");
    vec![
        Trap::run("pushes for ever", "start: push r0\n jmp start\n", (112, "")),
        Trap::run("calls itself", "start: call start\n", (112, "")),
        Trap::run(
            "writes over itself",
            "start: mov r1, start\n mov r2, 0xFFFF\n stw [r1], r2\n jmp start\n",
            (112, ""),
        ),
        Trap::run(
            "traps within its handler",
            "start: mov r0, h\n stw [2], r0\n stw [4], r0\n stw [6], r0\n ldw r1, [r0 + 1]\nh: ldw r1, [r0 + 1]\n jmp h\n",
            (112, ""),
        ),
        Trap::run(
            "interrupts without pause",
            "start: mov r0, h\n stw [16], r0\n mov r0, 1\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n ei\n@l: jmp @l\nh: mov r0, 7\n stw [0xFF24], r0\n reti\n",
            ended,
        ),
        Trap::run(
            "opens without closing",
            "start: mov r0, n\n mov r1, 2\n sys file_open\n jmp start\n.data\nn: .asciz \"f\"\n",
            (113, "circling"),
        ),
        Trap::run(
            "waits for input that never comes",
            "start: sys get_char\n jmp start\n",
            (114, "no more input will come"),
        ),
        Trap::run("sleeps for centuries", "start: mov r0, 65535\n sys wait_ms\n jmp start\n", ended),
        Trap::run(
            "prints what is no text",
            "start: mov r0, 0x300\n sys put_text\n halt\n.data\n .org 0x300\nt: .space 0x6000, 255\n",
            (0, ""),
        ),
        Trap::run("ends with an odd status", "start: mov r0, 0xFF7F\n sys exit\n", (0, "")),
    ]
}

/// Files that are no sources, as whoever means harm would write them.
fn traps_in_files() -> Vec<Trap> {
    let deep = |open: &str, depth: usize| open.repeat(depth).into_bytes();
    let build = ["build", "hand", "-o", "out/p.bin"];
    let mut header = b"\x7FELF\x01\x01\x01\0\0\0\0\0\0\0\0\0\x02\0\0\0".to_vec();
    header.extend([0xFF; 200]);
    let record = |count: usize| ":10000000".to_owned() + &"00".repeat(count) + "\n";
    let hand = |text: &str| (("hand/wendax.toml").to_owned(), text.as_bytes().to_vec());
    let mut traps = vec![
        Trap::bytes("an ELF of nothing but bounds", "hand/p.elf", header, &["run", "hand/p.elf"], (111, "")),
        Trap::bytes(
            "an ELF that is cut",
            "hand/p.elf",
            b"\x7FELF\x01\x01".to_vec(),
            &["image", "hand/p.elf"],
            (111, ""),
        ),
        Trap::bytes(
            "a record without end",
            "hand/p.hex",
            record(1 << 20).into_bytes(),
            &["run", "hand/p.hex"],
            (111, ""),
        ),
        Trap::bytes("a library in name only", "hand/p.a", b"!<arch>\nx".to_vec(), &["image", "hand/p.a"], (111, "")),
        Trap::bytes(
            "a tally as deep as a well",
            "hand/t.json",
            deep("{\"form\":", 200_000),
            &["tally", "hand/t.json"],
            (110, ""),
        ),
    ];
    let events = ["run", "hand/p.asm", "--events", "hand/e.jsonl"];
    for (name, bytes, told) in [
        ("events as deep as a well", deep("[", 500_000), "line 1"),
        ("events of no moment", b"{\"cycle\":-1,\"end\":true}\n".to_vec(), "line 1"),
        (
            "an event of a megabyte",
            format!("{{\"cycle\":1,\"text\":\"{}\"}}\n{{", "x".repeat(1 << 20)).into_bytes(),
            "line 2",
        ),
    ] {
        traps.push(Trap::bytes(name, "hand/e.jsonl", bytes, &events, (110, told)).with("hand/p.asm", "start: halt\n"));
    }
    for (name, manifest, told) in [
        ("a manifest as deep as a well", "x = ".to_owned() + &"[".repeat(200_000), ""),
        ("sources from everywhere", "sources = [\"/**\", \"../**\"]\n".to_owned(), ""),
        ("a limit of nothing", "limits = { steps = -1, memory = 99999999999999999999 }\n".to_owned(), ""),
        ("a manifest of a megabyte", format!("arguments = [\"{}\"]\nx = 1\n", "x".repeat(1 << 20)), ""),
    ] {
        let mut trap = Trap::bytes(name, "hand/main.asm", b"start: halt\n".to_vec(), &build, (111, told));
        trap.files.push(hand(&manifest));
        traps.push(trap);
    }
    traps
}

/// Each within a minute and two gigabytes, whatever it asks for; the end is told, and nothing of it is a fault of ours.
#[test]
fn traps_for_whoever_opens_them_end_in_time_and_room_and_are_told() {
    let traps: Vec<Trap> =
        [traps_for_the_assembler(), traps_for_a_run(), traps_in_files()].into_iter().flatten().collect();
    assert!(traps.len() >= 40, "{}", traps.len());
    let wrong: Vec<String> = std::thread::scope(|all| {
        let parts: Vec<_> = traps
            .chunks(traps.len().div_ceil(2))
            .map(|part| all.spawn(move || part.iter().filter_map(caught).collect::<Vec<_>>()))
            .collect();
        parts.into_iter().flat_map(|part| part.join().expect("it comes to its end")).collect()
    });
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// What is wrong with how a trap was taken; `None` when nothing is.
fn caught(trap: &Trap) -> Option<String> {
    let yard = Yard::new();
    for (path, bytes) in &trap.files {
        let place = yard.at(path);
        fs::write(place, bytes).expect("it is written");
    }
    let mut command = vec!["-c", "ulimit -v 2000000; exec \"$0\" \"$@\"", env!("CARGO_BIN_EXE_wendax")];
    command.extend(&trap.words);
    let output = assert_cmd::Command::new("bash")
        .current_dir(yard.0.path())
        .env("HOME", yard.at("home"))
        .args(command)
        .write_stdin("")
        .timeout(Duration::from_mins(1))
        .output()
        .expect("it starts");
    let told = String::from_utf8_lossy(&output.stderr);
    let is_told = told.contains(trap.told) && (trap.status == 0 || !told.trim().is_empty()) && told.len() < 100_000;
    let is_fault = told.contains("panicked") || told.contains("fault of Wendax");
    let is_right = output.status.code() == Some(trap.status) && is_told && !is_fault;
    (!is_right).then(|| {
        let short: String = told.chars().take(400).collect();
        format!("{}: {} where {} was expected\n{short}", trap.name, output.status, trap.status)
    })
}

/// Nobody sees anything of a run that is measured or drawn: when it goes on and on that is told once, and how it is ended.
#[test]
fn a_run_that_nobody_sees_says_that_it_goes_on() {
    let yard = Yard::new();
    yard.file("hand/p.asm", "start: inc r1\n jnz start\n inc r2\n jmp start\n");
    for words in [
        &["tally", "hand/p.asm", "--limit", "host=4"][..],
        &["draw", "tree", "hand/p.asm", "--limit", "host=4", "-o", "-"],
    ] {
        let came = yard.run(words);
        assert_eq!(came.told.matches("the program still runs, after ").count(), 1, "{words:?}: {}", came.told);
        assert!(came.told.contains("--steps or --limit ends it"), "{}", came.told);
    }
}
