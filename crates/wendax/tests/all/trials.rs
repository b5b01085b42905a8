//! `wendax try`: tables of the demos and of the documents, forms and statuses, a class with hand-ins that mean harm; and the
//! bench, in which a row is made of a run, fails, is walked, and passes again.

use crate::common::{Screen, run};
use std::fs;
use std::path::{Path, PathBuf};

fn demo(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos").join(name)
}

#[test]
fn the_tables_of_demos_that_are_right_pass() {
    for name in ["weighbridge", "sidings", "signals", "axles"] {
        let (status, out, told) = run(&demo(name), &["try"], "");
        assert_eq!((status, told.as_str()), (0, ""), "{name}: {out}");
    }
}

#[test]
fn each_program_of_derailed_fails_for_its_own_reason() {
    let (status, out, _) = run(&demo("derailed"), &["try", "--form", "json"], "");
    assert_eq!(status, 120);
    let rows: Vec<serde_json::Value> = out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let (sum, rows) = rows.split_last().unwrap();
    assert_eq!((&sum["rows"], &sum["failed"]), (&24.into(), &24.into()));
    let reasons: std::collections::BTreeSet<&str> =
        rows.iter().map(|row| row["first"]["message"].as_str().unwrap()).collect();
    assert_eq!(reasons.len(), 24);
    // Where it went wrong is known of each, or that it never did anything.
    assert!(rows.iter().all(|row| row["first"]["step"].is_u64()), "{out}");
}

/// Programs and tables of the page, in the order they stand in.
fn of_page() -> Vec<(&'static str, String)> {
    let page = include_str!("../../../../docs/trials.md");
    let mut found = Vec::new();
    for part in page.split("\n```").skip(1) {
        for kind in ["asm\n", "toml\n"] {
            if let Some(text) = part.strip_prefix(kind) {
                found.push((kind.trim(), format!("{text}\n")));
            }
        }
    }
    found
}

#[test]
fn what_the_page_shows_is_so() {
    let found = of_page();
    assert_eq!(found.iter().map(|(kind, _)| *kind).collect::<Vec<_>>(), ["asm", "toml", "asm", "toml", "asm", "toml"]);
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str, text: &str| fs::write(folder.path().join(name), text).unwrap();
    at("double.asm", &found[0].1);
    at("double.trials.toml", &found[1].1);
    let (status, out, _) = run(folder.path(), &["try", "double.trials.toml"], "");
    let told = "with a = 0, b = 10: `20` was printed where `-600` was expected, at step 5 (line 7); r6 was last set on line 5 (10 of 20 runs fail)";
    assert!(status == 120 && out.contains(told) && out.contains("1 of 3 rows failed"), "{out}");
    at("answer.asm", &found[2].1);
    at("marks.trials.toml", &found[3].1);
    let (status, out, told) = run(folder.path(), &["try", "marks.trials.toml"], "");
    assert_eq!(status, 0, "{out}{told}");
    at("ring.asm", &found[4].1);
    at("ring.trials.toml", &found[5].1);
    let (status, out, told) = run(folder.path(), &["try", "ring.trials.toml"], "");
    assert_eq!(status, 0, "{out}{told}");
    at("ring.asm", &found[4].1.replacen("take:   di ", "take:   nop", 1));
    let (status, out, _) = run(folder.path(), &["try", "ring.trials.toml"], "");
    assert!(status == 120 && out.contains("struck at step"), "{out}");
    // Unsigned jumps find another greatest.
    fs::create_dir(folder.path().join("eva")).unwrap();
    at("eva/task.asm", &found[2].1.replace("jle ", "jleu"));
    let arguments = [
        "try",
        "marks.trials.toml",
        "eva",
        "answer.asm",
        "--csv",
        "marks.csv",
        "--page",
        "marks.svg",
        "--each",
        "told",
    ];
    let (status, out, _) = run(folder.path(), &arguments, "");
    assert!(status == 120 && out.contains("2 programs, 5 rows: 1 passed all"), "{out}");
    assert!(out.contains("`-3` was printed where `12` was expected") && !out.contains("-7"), "{out}");
    let read = |name: &str| fs::read_to_string(folder.path().join(name)).unwrap();
    assert!(read("marks.csv").contains("answer,7,7,5,0,passed"), "{}", read("marks.csv"));
    assert!(read("marks.svg").starts_with("<svg") || read("marks.svg").contains("<svg"));
    assert!(read("told/eva.txt").contains("rows failed") && read("told/answer.txt").contains("rows passed"));
}

#[test]
fn the_drawing_of_a_class_is_the_one_of_the_documents() {
    let class = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/drawings/class");
    let folder = tempfile::tempdir().unwrap();
    let page = folder.path().join("class.svg");
    let names = ["eva", "jona", "kai", "lou", "mira", "nils", "otto", "tess", "uwe"].map(|name| format!("{name}.asm"));
    let mut arguments = vec!["try", "marks.trials.toml"];
    arguments.extend(names.iter().map(String::as_str));
    arguments.extend(["--page", page.to_str().unwrap()]);
    let (status, out, _) = run(&class, &arguments, "");
    assert!(status == 120 && out.contains("jona and tess are alike by 100 of 100"), "{out}");
    let made = fs::read_to_string(&page).unwrap();
    let kept = fs::read_to_string(class.join("../class.svg")).unwrap();
    assert!(made == kept, "docs/drawings/make makes it anew");
}

#[test]
fn several_tables_make_one_document_and_rows_can_be_picked() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str, text: &str| fs::write(folder.path().join(name), text).unwrap();
    at("a.asm", "start: clr r0\n sys exit\n");
    at("a.trials.toml", "[[row]]\nname = \"one\"\nstatus = 0\n[[row]]\nname = \"two\"\nstatus = 1\n");
    at("b.trials.toml", "program = \"a.asm\"\n[[row]]\nname = \"three\"\nstatus = 0\n");
    let (status, out, _) = run(folder.path(), &["try", "--form", "tap", "-o", "out.tap"], "");
    assert_eq!((status, out.as_str()), (120, ""));
    let tap = fs::read_to_string(folder.path().join("out.tap")).unwrap();
    assert!(tap.starts_with("TAP version 14\n1..3\n") && tap.contains("ok 3 - three"), "{tap}");
    let (_, xml, _) = run(folder.path(), &["try", "--form", "junit"], "");
    assert!(
        xml.contains("<testsuites tests=\"3\" failures=\"1\">") && xml.matches("<testsuite ").count() == 2,
        "{xml}"
    );
    assert_eq!(run(folder.path(), &["try", "a.trials.toml", "--row", "one"], "").0, 0);
    let (status, _, told) = run(folder.path(), &["try", "a.trials.toml", "--row", "tow"], "");
    assert!(status == 110 && told.contains("no row is called \"tow\"; did you mean \"two\"?"), "{told}");
    at("c.trials.toml", "[[row]]\nname = \"c\"\n");
    let (status, _, told) = run(folder.path(), &["try", "c.trials.toml"], "");
    assert!(status == 110 && told.contains("which program is it about?"), "{told}");
    at("c.trials.toml", "program = \"../a.asm\"\n[[row]]\nname = \"c\"\ntyped = 3\n");
    let (status, _, told) = run(folder.path(), &["try", "c.trials.toml"], "");
    assert!(status == 110 && told.contains("c.trials.toml:4: `typed` takes a text"), "{told}");
    at("c.trials.toml", "program = \"a.asm\"\n[rules]\nmust = [\"instruction mull\"]\n[[row]]\nname = \"c\"\n");
    let (status, _, told) = run(folder.path(), &["try", "c.trials.toml"], "");
    assert!(
        status == 110 && told.contains("c.trials.toml:3: `mull` is no instruction of W16; did you mean `mul`?"),
        "{told}"
    );
    // Nothing is written over what was read, nor two things to one place.
    let over = [
        &["try", "a.trials.toml", "-o", "a.trials.toml"][..],
        &["try", "a.trials.toml", "-o", "a.asm"],
        &["try", "a.trials.toml", "a.asm", "--csv", "a.asm"],
        &["try", "a.trials.toml", "a.asm", "--page", "both.md", "-o", "both.md"],
    ];
    for arguments in over {
        let (status, _, told) = run(folder.path(), arguments, "");
        assert!(status == 110 && told.contains("name another file"), "{arguments:?}: {status} {told}");
    }
    assert!(fs::read_to_string(folder.path().join("a.asm")).unwrap().starts_with("start:"));
    let (status, _, told) = run(folder.path(), &["try", "a.asm"], "");
    assert!(status == 110 && told.contains("this is no table of trials"), "{told}");
    let (status, _, told) =
        run(&folder.path().join(".."), &["try", folder.path().to_str().unwrap(), "x", "--page", "p.doc"], "");
    assert!(status == 110 && !told.is_empty(), "{told}");
}

/// Hand-ins that mean harm, each with what is in its folder.
fn hostile() -> Vec<(&'static str, Vec<(&'static str, String)>)> {
    let one = |text: &str| vec![("main.asm", text.to_owned())];
    let prints = |text: &str| {
        one(&format!("start: mov r0, t\n sys put_text\n clr r0\n sys exit\n.data\nt: .asciz \"{text}\"\n"))
    };
    let nested =
        (0..40).map(|n| format!(".macro m{n}\n m{}\n m{}\n.endm\n", n + 1, n + 1)).collect::<Vec<_>>().concat();
    vec![
        ("endless", one("start: jmp start\n")),
        ("counting", one("start: inc r1\n jmp start\n")),
        ("babbling", one("start: mov r0, 'x'\n sys put_char\n jmp start\n")),
        ("colours", prints("\\x1B[31m\\x1B]0;owned\\x07\\x9B2J")),
        ("turning", prints("\u{202E}abc\u{2066}")),
        ("markup", prints("</testcase><script>|`[x](y)")),
        ("waiting", one("start: sys get_char\n jmp start\n")),
        ("sleeping", one("start: mov r0, 65535\n sys wait\n jmp start\n")),
        ("sounding", one("start: mov r0, 440\n mov r1, 60000\n sys tone\n jmp start\n")),
        ("falling", one("start: push r0\n jmp start\n")),
        ("deep", one("start: call start\n")),
        ("nowhere", one("start: mov r1, 0x7FFF\n jmp r1\n")),
        ("writing", one("start: mov r1, start\n mov r2, 0\n stw [r1], r2\n jmp start\n")),
        (
            "itself",
            one(".code\nstart: mov r1, cell\n mov r2, 1\n stw [r1], r2\n jmp cell\n.data\ncell: .word 0x8000\n"),
        ),
        (
            "storming",
            one(
                "start: mov r0, tick\n stw [16], r0\n mov r0, 1\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n ei\nround: jmp round\ntick: ei\n jmp tick\n",
            ),
        ),
        ("vectors", one("start: clr r1\nnext: stw [r1], r1\n add r1, 2\n jmp next\n")),
        ("greedy", one("start: mov r0, 1000\n sys alloc\n jmp start\n")),
        (
            "opening",
            one(
                "start: mov r0, p\n clr r1\n sys file_open\n jmp start\n.data\np: .asciz \"../../marks.trials.toml\"\n",
            ),
        ),
        (
            "rooted",
            one(
                "start: mov r0, p\n mov r1, 1\n sys file_open\n mov r0, 0\n sys exit\n.data\np: .asciz \"/etc/passwd\"\n",
            ),
        ),
        ("including", one(".include \"../secret.inc\"\nstart: sys exit\n")),
        ("including_root", one(".include \"/etc/passwd\"\nstart: sys exit\n")),
        (
            "embedding",
            one("start: mov r0, t\n sys put_text\n sys exit\n.data\nt: .incbin \"../../marks.trials.toml\"\n"),
        ),
        ("selfish", one(".include \"main.asm\"\nstart: sys exit\n")),
        ("macros", one(".macro m\n m\n.endm\nstart: m\n sys exit\n")),
        ("doubling", one(&format!("{nested}.macro m40\n nop\n.endm\nstart: m0\n sys exit\n"))),
        ("repeats", one("start: .repeat 1000000\n .repeat 1000000\n nop\n .endr\n .endr\n")),
        ("roomy", one("start: sys exit\n.data\nt: .space 4000000000\n")),
        ("long", one(&"a".repeat(1_000_000))),
        ("braces", one(&"(".repeat(100_000))),
        ("bytes", vec![("main.asm", "\u{FFFD}\0\u{1}".to_owned())]),
        ("empty", vec![("notes.txt", "nothing".to_owned())]),
        ("several", vec![("a.asm", "start: sys exit\n".to_owned()), ("b.asm", "start: sys exit\n".to_owned())]),
        (
            "widening",
            vec![
                (
                    "wendax.toml",
                    "sources = [\"main.asm\"]\nlimits = { steps = 99999999999, output = 99999999999 }\n".to_owned(),
                ),
                ("main.asm", "start: mov r0, 'x'\n sys put_char\n jmp start\n".to_owned()),
            ],
        ),
        (
            "narrowing",
            vec![
                ("wendax.toml", "sources = [\"main.asm\"]\nlimits = { steps = 1 }\n".to_owned()),
                ("main.asm", "start: clr r0\n sys exit\n".to_owned()),
            ],
        ),
        (
            "reaching",
            vec![
                (
                    "wendax.toml",
                    "sources = [\"../*.asm\", \"main.asm\"]\nreach = [\"..\", \"/\"]\nfiles = \"/\"\n".to_owned(),
                ),
                ("main.asm", "start: clr r0\n sys exit\n".to_owned()),
            ],
        ),
        ("mangled", vec![("wendax.toml", "sources = [[[\n".to_owned())]),
        (
            "answering",
            vec![
                ("wendax.toml", "sources = [\"main.asm\"]\ninput = \"42\\n\"\narguments = [\"x\"]\n".to_owned()),
                ("main.asm", "start: sys get_int\n sys exit\n".to_owned()),
            ],
        ),
        ("huge", one(&";\n".repeat(3_000_000))),
        (
            "huge_in_parts",
            vec![
                ("wendax.toml", "sources = [\"*.asm\"]\n".to_owned()),
                ("main.asm", "start: clr r0\n sys exit\n".to_owned()),
                ("part.asm", ";\n".repeat(1_500_000)),
                ("rest.asm", ";\n".repeat(1_500_000)),
            ],
        ),
        (
            "huge_inside",
            vec![
                ("main.asm", "start: clr r0\n sys exit\n.include \"rest.txt\"\n".to_owned()),
                ("rest.txt", ";\n".repeat(3_000_000)),
            ],
        ),
        ("no_assembly", one(&"foo bar, baz\n".repeat(300_000))),
        ("elf", vec![("main.elf", "\u{7F}ELF\u{1}\u{1}\u{1}garbage".to_owned())]),
        ("hex", vec![("main.hex", ":10FFFF00zz\n".to_owned())]),
        ("other", one(".target rv32\n_start: li t0, 0\n1: j 1b\n")),
        ("\u{1B}[31mred", one("start: brk\n")),
        ("=formula()", one("start: div r0, r1\n")),
    ]
}

#[test]
fn hand_ins_that_mean_harm_harm_neither_neighbours_nor_table_nor_terminal() {
    let folder = tempfile::tempdir().unwrap();
    let class = folder.path().join("class");
    let all = hostile();
    assert!(all.len() >= 40);
    let mut names = Vec::new();
    for (name, files) in &all {
        fs::create_dir_all(class.join(name)).unwrap();
        for (path, text) in files {
            fs::write(class.join(name).join(path), text).unwrap();
        }
        names.push(format!("class/{name}"));
    }
    fs::write(class.join("secret.inc"), "; nothing\n").unwrap();
    // What is no plain file, and what leads out.
    fs::create_dir(class.join("pipe")).unwrap();
    assert!(std::process::Command::new("mkfifo").arg(class.join("pipe/main.asm")).status().unwrap().success());
    fs::create_dir(class.join("link")).unwrap();
    std::os::unix::fs::symlink("../../right.asm", class.join("link/main.asm")).unwrap();
    names.extend(["class/pipe".to_owned(), "class/link".to_owned(), "class/nobody".to_owned()]);
    let right = "start: mov r0, t\n sys put_text\n clr r0\n sys exit\n.data\nt: .asciz \"well\"\n";
    fs::write(folder.path().join("right.asm"), right).unwrap();
    names.insert(20, "right.asm".to_owned());
    let table = "limits = { steps = 20000, output = 1000, host = 5 }\n[[row]]\nname = \"well\"\nprints = \"well\"\nstatus = 0\n\
        [[row]]\nname = \"typed\"\ntyped = \"7\\n\"\nhidden = true\nprints = \"a secret of the table\"\n";
    fs::write(folder.path().join("marks.trials.toml"), table).unwrap();
    let mut arguments = vec!["try", "marks.trials.toml"];
    arguments.extend(names.iter().map(String::as_str));
    arguments.extend(["--csv", "marks.csv", "--each", "told", "--page", "marks.md"]);
    let begun = std::time::Instant::now();
    let (status, out, told) = run(folder.path(), &arguments, "");
    let took = begun.elapsed();
    assert_eq!(status, 120, "{told}");
    assert!(took.as_secs() < 60, "{took:?}");
    let read = |name: &str| fs::read_to_string(folder.path().join(name)).unwrap();
    for text in [&out, &told, &read("marks.csv"), &read("marks.md")] {
        assert!(!text.chars().any(|sign| sign.is_control() && sign != '\n'), "{text:?}");
        assert!(!text.contains("a secret of the table"));
    }
    // Each has its line, and only the right one passes what it should.
    let csv = read("marks.csv");
    assert_eq!(csv.lines().count(), 1 + names.len(), "{csv}");
    let passed: Vec<&str> = csv.lines().skip(1).filter(|line| line.contains(",passed,")).collect();
    assert_eq!(passed.len(), 1, "{passed:?}");
    assert!(passed[0].starts_with("right,1,2,"));
    // What lies outside was neither read nor written.
    for name in ["including", "including_root", "embedding", "link", "pipe", "reaching"] {
        let line = csv.lines().find(|line| line.starts_with(&format!("{name},"))).unwrap();
        assert!(line.contains(",not run,"), "{line}");
    }
    assert_eq!(read("marks.trials.toml"), table);
    assert_eq!(fs::read_dir(folder.path().join("told")).unwrap().count(), names.len());
    for name in ["huge", "huge_in_parts", "huge_inside"] {
        let line = csv.lines().find(|line| line.starts_with(&format!("{name},"))).unwrap();
        assert!(line.contains("more than 4194304 bytes of sources"), "{line}");
    }
    let narrow = csv.lines().find(|line| line.starts_with("narrowing,")).unwrap();
    assert!(narrow.contains("its steps were used up"), "a manifest can narrow: {narrow}");
}

#[test]
fn a_row_is_made_of_a_run_fails_is_walked_and_passes_again() {
    let folder = tempfile::tempdir().unwrap();
    let source = folder.path().join("twice.asm");
    fs::write(&source, "start: sys get_int\n add r0, r0\n sys put_int\n clr r0\n sys exit\n").unwrap();
    let screen = Screen::start(folder.path(), &source.display().to_string(), 120, 40);
    screen.shows("ready");
    screen.keys("g");
    screen.shows("waiting for input");
    screen.text("21");
    screen.keys("Enter");
    screen.shows("finished, status 0");
    screen.keys(":make_a_row_of_the_present_run");
    screen.shows("a row of this run, called");
    screen.keys("Enter");
    screen.shows("1 row passes");
    let table = folder.path().join("twice.trials.toml");
    let text = fs::read_to_string(&table).unwrap();
    assert_eq!(text, "[[row]]\nname = \"run 1\"\ntyped = \"21\\n\"\nprints = \"42\"\nstatus = 0\n");
    // The text is spoiled: the row fails by itself, and is walked where that began.
    screen.keys("e C-Home Down End BSpace BSpace");
    screen.text("r1");
    screen.keys("Escape");
    screen.shows("1 of 1 row fails");
    screen.keys(":trials_rows_with");
    screen.shows("`21` was printed where `42` was expected");
    screen.keys("Enter");
    screen.shows("expected");
    screen.shows("paused: at this step");
    let shown = screen.shows("step 2 of 5");
    assert!(shown.contains("▸ 42"), "{shown}");
    // Mended, it passes again.
    screen.keys("e C-Home Down End BSpace BSpace");
    screen.text("r0");
    screen.keys("Escape");
    screen.shows("1 row passes");
    screen.keys("r");
    screen.shows("at the end of the run of row");
    // The table is changed behind the bench: it is tried as it is then.
    fs::write(&table, text.replace("42", "43")).unwrap();
    screen.shows("1 of 1 row fails");
    // A cell is set in place.
    screen.keys(":trials_rows_with");
    screen.keys("x S-Right S-Right e");
    screen.shows("prints = \"43\"");
    screen.keys("C-u");
    screen.text("prints = \"42\"");
    screen.keys("Enter");
    screen.shows("1 row passes");
    assert_eq!(fs::read_to_string(&table).unwrap(), text);
    // A file that is protected stays as it is; one that is gone is written anew.
    let protect = |is_read_only| {
        let mut permissions = fs::metadata(&table).unwrap().permissions();
        permissions.set_readonly(is_read_only);
        fs::set_permissions(&table, permissions).unwrap();
    };
    protect(true);
    screen.keys("c");
    screen.shows("is read-only: nothing was changed");
    assert_eq!(fs::read_to_string(&table).unwrap(), text);
    protect(false);
    fs::remove_file(&table).unwrap();
    screen.keys("c");
    screen.shows("run 1 2");
    assert!(fs::read_to_string(&table).unwrap().contains("name = \"run 1 2\""));
    screen.keys("q");
    screen.shows("Not saved:");
}

#[test]
fn the_table_of_an_image_is_tried_anew_when_it_changes() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str, text: &str| fs::write(folder.path().join(name), text).unwrap();
    at("hi.asm", "start: mov r0, t\n sys put_text\n clr r0\n sys exit\n.data\nt: .asciz \"hi\"\n");
    assert_eq!(run(folder.path(), &["build", "hi.asm", "-o", "hi.elf"], "").0, 0);
    at("hi.trials.toml", "[[row]]\nname = \"one\"\nprints = \"hi\"\n");
    let image = folder.path().join("hi.elf");
    let screen = Screen::start(folder.path(), &image.display().to_string(), 100, 30);
    screen.shows("1 row passes");
    at("hi.trials.toml", "[[row]]\nname = \"one\"\nprints = \"ho\"\n[[row]]\nname = \"two\"\nstatus = 0\n");
    screen.shows("1 of 2 rows fails");
}

#[test]
fn rows_hang_on_files_beside_their_table_and_no_others() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str, text: &str| fs::write(folder.path().join(name), text).unwrap();
    at("echo.asm", "start: sys get_char\n jc done\n sys put_char\n jmp start\ndone: clr r0\n sys exit\n");
    let table = "[[row]]\nname = \"it\"\ntyped = { from = \"said.txt\" }\nprints = { from = \"told.txt\" }\n";
    at("echo.trials.toml", table);
    at("said.txt", "one {two}\n");
    let (status, _, told) = run(folder.path(), &["try"], "");
    assert!(
        status == 110 && told.contains("echo.trials.toml:4: `told.txt` cannot be read: there is no such file"),
        "{told}"
    );
    at("told.txt", "one {two}\n");
    assert_eq!(run(folder.path(), &["try"], "").0, 0);
    // Nothing is written over what was read; nothing is read that leads elsewhere or never ends.
    let (status, _, told) = run(folder.path(), &["try", "-o", "told.txt"], "");
    assert!(status == 110 && told.contains("name another file"), "{told}");
    fs::create_dir(folder.path().join("own")).unwrap();
    for name in ["echo.asm", "echo.trials.toml", "said.txt"] {
        fs::copy(folder.path().join(name), folder.path().join("own").join(name)).unwrap();
    }
    std::os::unix::fs::symlink("../told.txt", folder.path().join("own/told.txt")).unwrap();
    let (status, _, told) = run(&folder.path().join("own"), &["try"], "");
    assert!(
        status == 110 && told.contains("`told.txt` cannot be read: it leads out of the folder of the table"),
        "{told}"
    );
    fs::remove_file(folder.path().join("own/told.txt")).unwrap();
    assert!(std::process::Command::new("mkfifo").arg(folder.path().join("own/told.txt")).status().unwrap().success());
    let (status, _, told) = run(&folder.path().join("own"), &["try"], "");
    assert!(status == 110 && told.contains("`told.txt` cannot be read: it is no file"), "{told}");
    // Of a class the files are those beside the table, never those of a hand-in.
    let (status, out, _) = run(folder.path(), &["try", "echo.trials.toml", "own/echo.asm"], "");
    assert!(status == 0 && out.contains("1 program, 1 row: 1 passed all"), "{out}");
    // In the bench rows are tried anew when such a file changes.
    let source = folder.path().join("echo.asm");
    let screen = Screen::start(folder.path(), &source.display().to_string(), 100, 30);
    screen.shows("1 row passes");
    at("told.txt", "one\n");
    screen.shows("1 of 1 row fails");
    fs::remove_file(folder.path().join("told.txt")).unwrap();
    screen.keys(":trials_rows_with");
    screen.shows("`told.txt` cannot be read: there is no such file");
    at("told.txt", "one {two}\n");
    screen.shows("1 row passes");
}

#[test]
fn a_row_about_another_program_opens_that_and_walks_there() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str, text: &str| fs::write(folder.path().join(name), text).unwrap();
    fs::create_dir(folder.path().join("tools")).unwrap();
    at("wendax.toml", "sources = [\"main.asm\"]\n");
    at("main.asm", "start: clr r0\n sys exit\n");
    at("tools/two.asm", "start: mov r0, 2\n sys put_int\n clr r0\n sys exit\n");
    at(
        "trials.toml",
        "[[row]]\nname = \"own\"\nstatus = 0\n[[row]]\nname = \"tool\"\nprogram = \"tools/two.asm\"\nprints = \"3\"\n\
         [[row]]\nname = \"gone\"\nprogram = \"tools/gone.asm\"\n",
    );
    let screen = Screen::start(folder.path(), &folder.path().display().to_string(), 110, 34);
    screen.shows("2 of 3 rows fail");
    screen.keys(":trials_rows_with");
    screen.shows("tool");
    // Unsaved text would be lost by that.
    screen.keys("Escape e");
    screen.text(" ");
    screen.keys("Escape :trials_rows_with Home Down Enter");
    screen.shows("save what is written here first");
    screen.keys("C-s Escape :trials_rows_with Home Down Down Enter");
    screen.shows("tools/gone.asm: there is no such file");
    // What cannot be opened leaves the bench as it was.
    at("tools/bad.elf", "\u{7F}ELF\u{1}\u{1}\u{1}garbage");
    let table = fs::read_to_string(folder.path().join("trials.toml")).unwrap();
    at("trials.toml", &table.replace("gone.asm", "bad.elf"));
    screen.shows("bad.elf");
    screen.keys("Enter");
    screen.shows("tools/bad.elf:");
    screen.shows("main.asm");
    screen.keys(":trials_rows_with Home Down Enter");
    screen.shows("two.asm");
    screen.shows("`2` was printed where `3` was expected");
    screen.shows("step 1 of 4");
    // The rows of the project are none of its.
    screen.shows("1 of 1 row fails");
    screen.keys("q");
    screen.shows("ended with 0");
    drop(screen);
    let place = folder.path().join("tools/two.asm");
    at("tools/two.trials.toml", "program = \"three.asm\"\n[[row]]\nname = \"of three\"\nstatus = 7\n");
    let screen = Screen::start(folder.path(), &place.display().to_string(), 110, 34);
    let shown = screen.shows("ready");
    assert!(!shown.contains("row"), "a table of its name that is about another is none of it: {shown}");
    drop(screen);
    // Of several tables beside a project the one about it is taken.
    at("alone.asm", "start: mov r0, 3\n sys exit\n");
    at("alone.trials.toml", "[[row]]\nname = \"alone\"\nstatus = 3\n");
    let screen = Screen::start(folder.path(), &folder.path().display().to_string(), 110, 34);
    screen.shows("2 of 3 rows fail");
}
