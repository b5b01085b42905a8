//! Manifests: what is read from them, what is told of wrong ones, and which files they select.

use std::path::Path;
use wendax_asm::Assembler;
use wendax_language::CODES;
use wendax_project::{DiskFiles, Manifest, NAME, Project, Seal, starting_files};
use wendax_source::FileId;

fn codes(text: &str) -> Vec<String> {
    let (manifest, mut found) = Manifest::parse(text, FileId(0));
    found.extend(manifest.select(&["main.asm".to_owned()]).2);
    found.into_iter().map(|found| found.code.to_string()).collect()
}

#[test]
fn each_kind_of_problem_is_that_of_its_example() {
    // What lies outside of the folder is known on the disk alone.
    for info in CODES.iter().filter(|info| info.is_of_manifest() && info.code.0 != 74) {
        assert_eq!(codes(info.wrong), [info.code.to_string()], "{}", info.wrong);
        assert_eq!(codes(info.right), [] as [&str; 0], "{}", info.right);
    }
}

#[test]
fn what_lies_outside_is_refused_and_left_out_until_it_is_allowed() {
    let folder = tempfile::tempdir().expect("a folder");
    let root = folder.path().join("hand");
    for name in ["hand/files", "yard"] {
        std::fs::create_dir_all(folder.path().join(name)).expect("it is new");
    }
    std::fs::write(root.join("main.asm"), "start: sys exit\n").expect("it is written");
    let info = CODES.iter().find(|info| info.code.0 == 74).expect("it is there");
    let build = |manifest: &str, seal: Seal| {
        std::fs::write(root.join(NAME), manifest).expect("it is written");
        let mut project = Project::at(&root).expect("a project").under(seal);
        let files = project.files();
        let found = project.inputs(&mut Assembler::default(), &files).1;
        (project, found.into_iter().map(|found| found.code.0).collect::<Vec<_>>())
    };
    let yard = folder.path().join("yard");
    let (project, codes) = build(info.wrong, Seal::default());
    assert_eq!((codes, project.manifest.files.is_none(), project.refused.len()), (vec![74], true, 1));
    assert_eq!(build(info.right, Seal::default()).1, [] as [u16; 0]);
    let allowed = Seal { allowed: vec![yard], ..Seal::default() };
    let (project, codes) = build(info.wrong, allowed.clone());
    assert_eq!(
        (codes, project.manifest.files.is_some(), project.outside.as_slice()),
        (vec![], true, &["../yard".into()][..])
    );
    assert_eq!(build(info.wrong, Seal { is_whole: true, ..allowed.clone() }).1, [74]);
    let (project, codes) = build(info.wrong, Seal { files_given: true, ..Seal::default() });
    assert_eq!((codes, project.manifest.files.is_none()), (vec![], true), "what is given goes before it");
}

#[test]
fn everything_wrong_is_told_at_once_with_its_place() {
    let text = "name = 5\nsources = [\"a.asm\", 7, \"../b.asm\", \"[\"]\nlimits = { stops = 1, output = \"x\" }\narguments = \"one\"\n";
    let (manifest, found) = Manifest::parse(text, FileId(0));
    let told: Vec<(String, &str)> =
        found.iter().map(|found| (found.code.to_string(), &text[found.primary.span.range()])).collect();
    let wanted = [
        ("W072", "5"),
        ("W072", "7"),
        ("W072", "\"../b.asm\""),
        ("W072", "\"[\""),
        ("W071", "stops"),
        ("W072", "\"x\""),
        ("W072", "\"one\""),
    ];
    assert_eq!(told, wanted.map(|(code, text)| (code.to_owned(), text)));
    assert_eq!((manifest.name, manifest.limits.output), (None, None), "what is wrong says nothing");
}

#[test]
fn patterns_select_in_their_order_and_each_file_once() {
    let (manifest, found) =
        Manifest::parse("sources = [\"z.asm\", \"src/*.asm\", \"**/*.asm\"]\nlibraries = [\"lib/*.a\"]", FileId(0));
    assert_eq!(found, []);
    let paths: Vec<String> = ["a.asm", "lib/x.a", "lib/y.o", "src/b.asm", "src/deep/c.asm", "z.asm"]
        .iter()
        .map(|p| (*p).to_owned())
        .collect();
    let (sources, libraries, found) = manifest.select(&paths);
    assert_eq!(sources, ["z.asm", "src/b.asm", "a.asm", "src/deep/c.asm"]);
    assert_eq!(libraries.iter().map(|library| library.path.as_str()).collect::<Vec<_>>(), ["lib/x.a"]);
    assert_eq!(found, []);
}

#[test]
fn a_project_is_found_around_its_sources_and_passes_over_what_is_built() {
    let folder = tempfile::tempdir().expect("a folder");
    let write = |path: &str, text: &str| {
        let place = folder.path().join(path);
        std::fs::create_dir_all(place.parent().expect("in a folder")).expect("made");
        std::fs::write(place, text).expect("written");
    };
    for (path, text) in starting_files("gate \"2\"", &wendax_isa::w16::TARGET) {
        write(&path, &text);
    }
    write("build/old.asm", "nop");
    write(".hidden/x.asm", "nop");
    write("other.asm", "nop");
    let main = folder.path().join("src/main.asm");
    let (mut project, name) = Project::around(&main);
    assert_eq!((project.manifest_path.as_deref(), name.as_str()), (Some(NAME), "src/main.asm"));
    let mut assembler = Assembler::default();
    let files = DiskFiles::new(folder.path());
    let (inputs, found) = project.inputs(&mut assembler, &files);
    assert_eq!((inputs.sources, found), (vec!["src/main.asm".to_owned()], vec![]));
    assert_eq!(project.name(), "gate \"2\"");
    let (single, _) = Project::around(&folder.path().join("other.asm"));
    assert_eq!(single.manifest_path, None, "a source the manifest does not select stands by itself");
    write(NAME, "# everything\n");
    let (inputs, _) = project.inputs(&mut assembler, &files);
    assert_eq!(inputs.sources, ["other.asm", "src/main.asm"]);
    assert!(Project::at(Path::new("/")).is_none(), "a folder without manifest is no project");
}

proptest::proptest! {
    #[test]
    fn any_text_is_read_or_told_why(text in "([a-z]{1,9} ?= ?[\"\\[\\]{}0-9a-z*,.\n ]{0,20}\n){0,4}|.{0,60}") {
        let (manifest, found) = Manifest::parse(&text, FileId(0));
        for found in found {
            proptest::prop_assert!(text.get(found.primary.span.range()).is_some());
        }
        let _ = manifest.select(&["a.asm".to_owned()]);
    }
}
