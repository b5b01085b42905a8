//! What runs cost, drawings and reports, from the shell: forms, comparisons, and what is told when something cannot be done.

use crate::common::interrupt;
use assert_cmd::Command;
use std::path::{Path, PathBuf};
use std::time::Duration;

fn sidings() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/sidings/sidings.asm")
}

/// Runs in a folder; exit status, standard output and standard error.
fn run(folder: &Path, arguments: &[&str]) -> (i32, String, String) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let output = command.current_dir(folder).args(arguments).timeout(Duration::from_mins(1)).output().expect("it runs");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(&output.stdout), text(&output.stderr))
}

/// A folder with the demo in it.
fn yard() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::copy(sidings(), folder.path().join("sidings.asm")).expect("the demo is there");
    folder
}

#[track_caller]
fn done(folder: &Path, arguments: &[&str]) -> String {
    let (status, out, err) = run(folder, arguments);
    assert_eq!((status, err.as_str()), (0, ""), "{arguments:?}: {out}");
    out
}

fn read(folder: &Path, name: &str) -> String {
    String::from_utf8_lossy(&std::fs::read(folder.join(name)).expect("it was written")).into_owned()
}

#[test]
fn tallies_are_written_kept_and_compared() {
    let folder = yard();
    let here = folder.path();
    // The table stands behind what the program prints.
    let out = done(here, &["run", "sidings.asm", "--tally", "-", "--", "insert"]);
    assert!(out.starts_with("142 158") && out.contains("== routines ==") && out.contains("insert_sort"), "{out}");
    let span = "insert_sort@back to insert_sort@place";
    let keep = ["--tally", "insert.json", "--coverage", "yard.info", "--span", span, "--", "insert"];
    done(here, &[&["run", "sidings.asm"][..], &keep].concat());
    done(here, &["run", "sidings.asm", "--tally", "merge.json", "--", "merge"]);
    done(here, &["run", "sidings.asm", "--tally", "merge.csv", "--", "merge"]);
    let kept = read(here, "insert.json");
    assert!(kept.contains("\"form\": \"wendax tally 1\"") && kept.contains(span), "{kept}");
    assert!(
        read(here, "merge.csv").starts_with("what,name,file,line,")
            && read(here, "merge.csv").contains("routine,merge_sort,")
    );
    let coverage = read(here, "yard.info");
    assert!(coverage.contains("SF:sidings.asm") && coverage.contains("end_of_record"), "{coverage}");
    // An ending means one form, whatever asks for it.
    done(here, &["run", "sidings.asm", "--tally", "same.info", "--", "insert"]);
    assert_eq!(read(here, "same.info"), coverage);
    let both = done(here, &["tally", "insert.json", "merge.json"]);
    for wanted in ["insert  merge  difference", "merge_sort", "gone", "new", "× 1.95"] {
        assert!(both.contains(wanted), "{wanted}: {both}");
    }
    // A program is run for it, and what was kept is taken as it is.
    assert!(done(here, &["tally", "sidings.asm", "merge.json", "--rows", "3", "--", "insert"]).contains("… "));
    assert!(done(here, &["tally", "insert.json", "merge.json", "-o", "both.csv"]).is_empty());
    assert!(read(here, "both.csv").starts_with("what,name,file,line,insert,merge,difference\n"));
    let growing = "start: mov r0, 0\n mov r1, buffer\n mov r2, 8\n sys arg_copy\n ldb r3, [buffer]\n sub r3, '0'\n mov r4, r3\n\
                   outer: mov r5, r3\ninner: djnz r5, inner\n djnz r4, outer\n sys exit\n.data\nbuffer: .space 8\n";
    std::fs::write(here.join("grow.asm"), growing).expect("it is written");
    let grown = done(here, &["tally", "grow.asm", "--each", "2", "--each", "4", "--each", "8"]);
    assert!(grown.contains("cycles grow with what is given: about in proportion"), "{grown}");
}

#[test]
fn what_cannot_be_measured_or_drawn_is_told() {
    let folder = yard();
    let here = folder.path();
    std::fs::write(here.join("no.json"), "{}").expect("it is written");
    for (arguments, wanted) in [
        (&["tally", "no.json"][..], "this is no tally"),
        (&["tally", "nowhere.json"], "nowhere.json: "),
        (
            &["run", "sidings.asm", "--tally", "a.json", "--span", "nowhere to start"],
            "`nowhere`: nothing here has the name",
        ),
        (&["run", "sidings.asm", "--tally", "sidings.asm"], "not to a .asm"),
        (&["draw", "flow", "sidings.asm", "-o", "flow.png"], "a drawing goes to a .svg or a .pdf"),
        (&["draw", "flow", "sidings.asm", "-o", "sidings.asm"], "a drawing goes to a .svg"),
        (
            &["draw", "stack", "sidings.asm", "-o", "a.svg", "--moment", "print \"never\""],
            "the run does not come to that",
        ),
        (&["draw", "stack", "sidings.asm", "-o", "a.svg", "--moment", "99999999"], "the run has"),
        (&["draw", "stack", "sidings.asm", "-o", "a.vcd"], "only the run is written as .vcd"),
        (&["draw", "arithmetic", "--of", "5 plus 7", "-o", "a.svg"], "expected two numbers"),
        (&["draw", "data", "sidings.asm", "-o", "a.svg"], "say which data"),
        (
            &["draw", "screen", "sidings.asm", "--of", "nothing", "-o", "a.svg"],
            "there is no such pane; there are source",
        ),
        (&["draw", "screen", "sidings.asm", "--size", "9x9", "-o", "a.svg"], "from 60x16"),
        (&["report", "sidings.asm", "-o", "a.txt"], "a report goes to a .pdf or a .md"),
        (&["report", "sidings.asm", "-o", "a.md", "--draw", "everything"], "expected flow=ROUTINE"),
    ] {
        let (status, out, err) = run(here, arguments);
        assert!(status == 2 || status == 110, "{arguments:?}: {status} {out} {err}");
        assert!(err.contains(wanted), "{arguments:?}: {err}");
    }
    assert!(!here.join("a.svg").exists() && !here.join("a.md").exists(), "nothing is written then");
    assert!(read(here, "sidings.asm").contains("insert_sort"), "the source is what it was");
}

#[test]
fn each_drawing_comes_from_the_shell_and_is_the_same_each_time() {
    let folder = yard();
    let here = folder.path();
    let drawings: [(&[&str], &str); 11] = [
        (&["flow", "--of", "insert_sort"], "@back"),
        (&["calls"], "insert_sort"),
        (&["tree"], "calls over time"),
        (&["memory"], "wagons"),
        (&["stack", "--moment", "enter insert_sort"], "way back to"),
        (&["instruction", "--of", "sidings.asm:52"], "base register"),
        (&["data", "--of", "wagons as words 24", "--moment", "start", "--moment", "end"], "at 2 moments"),
        (&["screen", "--moment", "300"], "insert_sort"),
        (&["screen", "--moment", "300", "--moment", "301", "--of", "registers"], "registers, step 301"),
        (&["run", "--of", "r6"], "depth of calls"),
        (&["tally"], "own cycles by routine"),
    ];
    for (words, wanted) in drawings {
        let draw = |name: &str| {
            let (what, rest) = words.split_at(1);
            done(here, &[&["draw"], what, &["sidings.asm"], rest, &["-o", name, "--", "insert"]].concat());
            std::fs::read(here.join(name)).expect("it was written")
        };
        let svg = draw("one.svg");
        let text = String::from_utf8_lossy(&svg).into_owned();
        assert!(text.contains(wanted), "{words:?}: {text}");
        assert!(svg == draw("two.svg"), "{words:?} is drawn the same each time");
        let pdf = draw("one.pdf");
        assert!(pdf.starts_with(b"%PDF") && pdf == draw("two.pdf"), "{words:?}");
    }
    done(here, &["draw", "run", "sidings.asm", "--of", "r6", "-o", "run.vcd"]);
    assert!(read(here, "run.vcd").contains("$var wire 16 ! r6 $end"));
    let dark = done(here, &["draw", "arithmetic", "--of", "40000 + 40000", "-o", "-", "--look", "dark"]);
    assert!(dark.contains("#14171c"), "{dark}");
}

#[test]
fn a_report_holds_all_of_a_program() {
    let folder = yard();
    let here = folder.path();
    let manifest =
        "name = \"sidings\"\ntitle = \"Sorting a train\"\nauthor = \"R. Ostrey\"\narguments = [\"insert\"]\n";
    std::fs::write(here.join("wendax.toml"), manifest).expect("it is written");
    let more = ["--moment", "enter insert_sort", "--draw", "flow=insert_sort", "--draw", "tally"];
    done(here, &[&["report", "-o", "report.md"][..], &more].concat());
    let text = read(here, "report.md");
    for wanted in [
        "# Sorting a train",
        "R. Ostrey",
        "arguments    insert",
        "ended        by itself, with status 0",
        "142 158 176",
        "| insert_sort |",
        "## At enter insert_sort: step",
        "![flow of insert_sort](report-flow-insert_sort.svg)",
        "## Listing",
        "ldw   r4, [r2 - 2]",
    ] {
        assert!(text.contains(wanted), "{wanted}: {text}");
    }
    assert!(read(here, "report-flow-insert_sort.svg").contains("@back"));
    // Written anew its pictures are its own; what somebody else put in such a place is not.
    done(here, &[&["report", "-o", "report.md"][..], &more].concat());
    std::fs::write(here.join("other-flow-insert_sort.svg"), "mine").expect("written");
    let (status, _, err) = run(here, &[&["report", "-o", "other.md"][..], &more].concat());
    assert!(status == 110 && err.contains("other-flow-insert_sort.svg is there already"), "{status} {err}");
    assert_eq!(read(here, "other-flow-insert_sort.svg"), "mine");
    assert!(!here.join("other.md").exists(), "none of it is written");
    done(here, &["report", "-o", "report.pdf", "--title", "Wagons"]);
    assert!(std::fs::read(here.join("report.pdf")).expect("it was written").starts_with(b"%PDF"));
    // What is wrong with a program can be handed in too, and the status says so.
    std::fs::write(here.join("sidings.asm"), "start: mvo r0, 5\n").expect("it is written");
    let (status, _, err) = run(here, &["report", "-o", "wrong.md"]);
    assert!(status == 111 && err.contains("stand in the report"), "{status} {err}");
    assert!(read(here, "wrong.md").contains("mvo"), "{}", read(here, "wrong.md"));
}

/// What a program prints does nothing to who reads the report, and each picture has its own file.
#[test]
fn a_report_takes_any_output_and_any_names() {
    let folder = yard();
    let here = folder.path();
    let text = "start: mov r0, shown\n sys put_text\n mov r0, 0\n sys exit\n.data\nshown: .asciz \"```\\x1B[31mred\\x07 end\\n\"\n";
    std::fs::write(here.join("loud.asm"), text).expect("it is written");
    let more = ["--draw", "data=shown as bytes", "--draw", "data=shown-as bytes", "--draw", "data=shown as-bytes"];
    let (status, _, err) = run(here, &[&["report", "loud.asm", "-o", "x.md"][..], &more].concat());
    assert!(status != 0 && err.contains("--of shown-as bytes") && !here.join("x.md").exists(), "{err}");
    let more =
        ["--draw", "data=shown as bytes 4", "--draw", "data=shown+1 as bytes 4", "--draw", "data=shown-1 as bytes 4"];
    done(here, &[&["report", "loud.asm", "-o", "my report.md"][..], &more].concat());
    let text = read(here, "my report.md");
    assert!(text.contains("````text\n```\u{241b}[31mred\u{2407} end"), "{text}");
    let files = std::fs::read_dir(here).expect("it is there").flatten();
    let drawn = files.filter(|file| file.file_name().to_string_lossy().ends_with(".svg")).count();
    assert_eq!((drawn, text.matches("(<my report-data-shown").count()), (3, 3), "{text}");
}

/// Long work can be stopped, and leaves nothing half made.
#[test]
fn a_signal_stops_measuring_and_drawing_and_nothing_is_written() {
    let folder = yard();
    let here = folder.path();
    let long = "start: mov r1, 60000\nouter: mov r2, 60000\ninner: djnz r2, inner\n djnz r1, outer\n sys exit\n";
    std::fs::write(here.join("long.asm"), long).expect("it is written");
    for arguments in [&["tally", "long.asm", "-o", "out.json"][..], &["draw", "flow", "long.asm", "-o", "out.svg"]] {
        let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"))
            .current_dir(here)
            .args(arguments)
            .stdin(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .expect("it runs");
        interrupt(&child);
        assert_eq!(child.wait().expect("it ends").code(), Some(130), "{arguments:?}");
    }
    assert!(!here.join("out.json").exists() && !here.join("out.svg").exists());
}
