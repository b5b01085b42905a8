//! `wendax run --cautions`: text, objects, status, what is meant, and no false alarm on demos and compiled programs.

use crate::common::run;
use serde_json::Value;
use std::path::{Path, PathBuf};

const KEPT: &str = "\
start:  mov   r6, 3
next:   call  weigh
        djnz  r6, next
        clr   r0
        sys   exit
weigh:  mov   r6, 1
        mov   r0, 5
        ret
";

#[test]
fn what_looks_wrong_in_a_run_is_written_with_where_it_began() {
    let folder = tempfile::tempdir().expect("a folder");
    let place = folder.path();
    std::fs::write(place.join("kept.asm"), KEPT).expect("written");
    let (status, out, err) = run(place, &["run", "kept.asm", "--cautions", "-"], "");
    let told = "kept.asm:8: caution C03 at step 4: `r6` is changed and not given back: 3 became 1 in `weigh`\n    \
                changed by `mov r6, 1` on line 6 at step 2\n1 caution\n";
    assert_eq!((status, out.as_str(), err.as_str()), (0, "", told));
    // With a status of its own, where the run ended well; as objects in a file.
    let (status, out, err) = run(place, &["run", "kept.asm", "--cautions", "c.jsonl", "--cautions-fail"], "");
    assert_eq!((status, out.as_str(), err.as_str()), (119, "", ""));
    let text = std::fs::read_to_string(place.join("c.jsonl")).expect("written");
    let object: Value = serde_json::from_str(text.trim()).expect("an object");
    assert_eq!(object["code"], "C03");
    assert_eq!((&object["step"], &object["line"], &object["times"]), (&4.into(), &8.into(), &1.into()));
    assert_eq!((&object["began"]["step"], &object["began"]["line"]), (&2.into(), &6.into()));
    assert_eq!(object["register"], "r6");
    let (status, _, err) = run(place, &["run", "kept.asm", "--cautions-fail", "--steps", "3"], "");
    assert!(status == 115 && err.contains("0 cautions"), "a limit is told by its own status: {status} {err}");
    let (status, _, err) = run(place, &["run", "kept.asm", "--cautions", "c.pdf"], "");
    assert!(status == 110 && err.contains("cautions go to a .txt or .jsonl, not to a .pdf"), "{err}");
    let (status, _, err) = run(place, &["run", "kept.asm", "--cautions", "kept.asm"], "");
    assert!(status == 110 && std::fs::read_to_string(place.join("kept.asm")).expect("there") == KEPT, "{err}");
    // What is meant at its line, and in all of a project.
    let meant = KEPT.replace("        ret", "        ret     ; meant C03: r6 is its result");
    std::fs::write(place.join("meant.asm"), &meant).expect("written");
    let (status, _, err) = run(place, &["run", "meant.asm", "--cautions", "-", "--cautions-fail"], "");
    assert_eq!((status, err.as_str()), (0, "0 cautions, 1 meant so\n"));
    let project = place.join("yard");
    std::fs::create_dir(&project).expect("a folder");
    std::fs::write(project.join("main.asm"), KEPT).expect("written");
    let manifest = "sources = [\"main.asm\"]\nmeant = { C03 = \"registers are shared here\" }\n";
    std::fs::write(project.join("wendax.toml"), manifest).expect("written");
    let (status, _, err) = run(&project, &["run", ".", "--cautions", "c.jsonl", "--cautions-fail"], "");
    assert_eq!((status, err.as_str()), (0, ""));
    let text = std::fs::read_to_string(project.join("c.jsonl")).expect("written");
    assert!(text.contains("\"meant\":\"registers are shared here\""), "{text}");
    // A code that is none is a problem of the manifest, as any other key.
    std::fs::write(project.join("wendax.toml"), manifest.replace("C03", "C99")).expect("written");
    assert_eq!(run(&project, &["run", "."], "").0, 111);
}

/// Programs that are right: demos of both machines, and those that compilers made.
#[test]
fn demos_and_compiled_programs_have_no_caution() {
    let demos = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
    let compiled = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/all/c");
    let folder = tempfile::tempdir().expect("a folder");
    let files = folder.path().join("files");
    std::fs::create_dir(&files).expect("a folder");
    std::fs::write(files.join("loads.txt"), "120\n99\n-7\n240\n15\n").expect("written");
    let files = files.to_str().expect("UTF-8").to_owned();
    let weights = "185\n212\n0\n";
    let trains = "timber 340\ncoal 120\nmilk 777\n";
    let programs: Vec<(PathBuf, &str, &[&str])> = vec![
        (demos.join("weighbridge/weighbridge.asm"), weights, &[]),
        (demos.join("sidings/sidings.asm"), "", &["insert"]),
        (demos.join("sidings/sidings.asm"), "", &["merge"]),
        (demos.join("signals/signals.asm"), "q", &[]),
        (demos.join("manifest"), "", &[]),
        (demos.join("axles/axles.asm"), weights, &[]),
        (demos.join("crossing/crossing.asm"), "q", &[]),
        (demos.join("compiled/marshal.elf"), trains, &[]),
        (demos.join("compiled/yard.elf"), "", &[]),
        (compiled.join("marshal2.elf"), trains, &[]),
        (compiled.join("ledger0.elf"), "", &[]),
        (compiled.join("ledger2.elf"), "", &[]),
        (compiled.join("points0.elf"), "", &[]),
        (compiled.join("points2.elf"), "", &[]),
    ];
    for (program, typed, arguments) in programs {
        let program = program.to_str().expect("UTF-8").to_owned();
        let mut words = vec!["run", &program, "--clock", "virtual", "--steps", "1000000", "--files", &files];
        words.extend(["--cautions", "-"]);
        if !arguments.is_empty() {
            words.push("--");
            words.extend(arguments);
        }
        let (status, _, err) = run(folder.path(), &words, typed);
        assert!(err.contains("0 cautions\n"), "{program} {arguments:?}: {status} {err}");
    }
}
