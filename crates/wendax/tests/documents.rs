//! The documents say what is true: their examples assemble and run, their tables are complete.

use wendax_machine::{Machine, Run, Settings, Stop};
use wendax_source::{Sources, Style, render_all};

const LANGUAGE: &str = include_str!("../../../docs/language.md");

/// The examples of a document that are marked as source.
fn examples(document: &str) -> Vec<&str> {
    document.split("```asm\n").skip(1).filter_map(|rest| rest.split("```").next()).collect()
}

#[test]
fn examples_assemble_and_the_whole_one_runs() {
    let mut last = None;
    for example in examples(LANGUAGE) {
        let (sources, file) = Sources::single("example", example);
        let assembly = wendax_asm::assemble(&sources, file);
        assert!(assembly.is_runnable(), "{example}\n{}", render_all(&sources, &assembly.diagnostics, Style::Plain));
        last = Some(assembly);
    }
    let whole = last.expect("there are examples");
    assert_eq!(whole.diagnostics, [], "the example to copy has no remarks");
    let mut machine = Machine::new(&whole.image, Settings::default());
    assert_eq!(machine.run(Run { until: 1000, depth: None }), Stop::Finished(2));
    assert_eq!(machine.take_output(), b"2");
}

#[test]
fn every_directive_has_its_row() {
    for directive in wendax_asm::DIRECTIVES {
        assert!(LANGUAGE.contains(&format!("| `{}", directive.name)), "{} is missing", directive.name);
    }
}

#[test]
fn the_readme_names_every_picture_and_no_other() {
    let readme = include_str!("../../../README.md");
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/screenshots");
    for entry in std::fs::read_dir(folder).expect("the folder is there") {
        let path = entry.expect("readable").path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let picture = path.extension().is_some_and(|extension| extension == "png");
        assert!(!picture || readme.contains(&name), "{name} is not shown");
    }
    for picture in readme.split("docs/screenshots/").skip(1).filter_map(|rest| rest.split(".png").next()) {
        assert!(
            picture.contains('`') || std::path::Path::new(folder).join(format!("{picture}.png")).exists(),
            "{picture}"
        );
    }
}
