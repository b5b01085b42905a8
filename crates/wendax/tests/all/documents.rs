//! The documents say what is true: their examples assemble and run, their tables are complete.

use wendax_asm::{Assembler, Inputs};
use wendax_machine::StepNo;
use wendax_machine::{Machine, Run, Settings, Stop};
use wendax_source::{MemoryFiles, Style, render_all};

const LANGUAGE: &str = include_str!("../../../../docs/language.md");

/// The examples of a document that are marked as source: the file each needs besides, and its text. The first
/// line of one that others need names it.
fn examples(document: &str) -> Vec<(Option<&str>, &str)> {
    let all = document.split("```asm").skip(1).filter_map(|rest| {
        let (mark, rest) = rest.split_once('\n')?;
        Some((mark.strip_prefix("-with "), rest.split("```").next()?))
    });
    all.collect()
}

#[test]
fn examples_assemble_and_the_whole_one_runs() {
    let mut files = MemoryFiles::default();
    let mut last = None;
    for (needed, example) in examples(LANGUAGE) {
        let named =
            example.lines().next().and_then(|line| line.strip_prefix("; ")).filter(|name| name.contains(".asm"));
        let name = named.unwrap_or("example.asm");
        files = files.with(name, example);
        let sources = [name].into_iter().chain(needed).map(str::to_owned).collect();
        let inputs = Inputs { sources, ..Inputs::default() };
        let assembly = Assembler::default().assemble(&inputs, &files);
        let told = render_all(&assembly.sources, &assembly.diagnostics, Style::Plain);
        assert!(assembly.is_runnable(), "{example}\n{told}");
        last = Some(assembly);
    }
    let whole = last.expect("there are examples");
    assert_eq!(whole.diagnostics, [], "the example to copy has no remarks");
    let mut machine = Machine::new(&whole.image, Settings::default());
    assert_eq!(machine.run(Run::until(StepNo(1000))), Stop::Finished(2));
    assert_eq!(machine.take_output(), b"2");
}

#[test]
fn examples_for_rv32_run() {
    let printed: Vec<String> = examples(include_str!("../../../../docs/language-rv32.md"))
        .into_iter()
        .map(|(_, example)| {
            let (sources, file) = wendax_source::Sources::single("example.asm", example);
            let assembly = wendax_asm::assemble(&sources, file);
            let told = render_all(&assembly.sources, &assembly.diagnostics, Style::Plain);
            assert_eq!(told, "", "{example}");
            let mut machine = Machine::new(&assembly.image, Settings::default());
            let stop = machine.run(Run::until(StepNo(1000)));
            assert!(matches!(stop, Stop::Finished(_)), "{stop:?}");
            String::from_utf8_lossy(&machine.take_output()).into_owned()
        })
        .collect();
    assert_eq!(printed, ["42", "2"]);
}

#[test]
fn the_examples_of_the_topics_run() {
    for (target, first, last) in
        [(&wendax_isa::w16::TARGET, "start:\n", "        halt\n"), (&wendax_isa::rv32::TARGET, ".target rv32\n", "")]
    {
        let topics = wendax_language::guide_words(target).into_iter().filter(|(kind, _)| *kind == "topics");
        let mut count = 0;
        for word in topics.flat_map(|(_, words)| words) {
            let entries = wendax_language::guide(&word, target);
            let about = entries.into_iter().rev().find(|entry| entry.title == format!("about {word}"));
            let Some(example) = about.and_then(|entry| entry.example) else { continue };
            let text = if example.contains(" start:") || example.starts_with("start:") {
                example
            } else {
                format!("{first}{example}\n{}", if example.contains(".data") { "" } else { last })
            };
            let (sources, file) = wendax_source::Sources::single("example", text.as_str());
            let assembly = wendax_asm::assemble(&sources, file);
            let told = render_all(&assembly.sources, &assembly.diagnostics, Style::Plain);
            assert!(assembly.is_runnable(), "{word}: {told}\n{text}");
            let mut machine =
                Machine::new(&assembly.image, Settings { clock: wendax_machine::Clock::Cycles, ..Settings::default() });
            machine.feed(&wendax_machine::Event::Typed(b"7\n".to_vec()));
            machine.feed(&wendax_machine::Event::InputEnds);
            let stop = machine.run(Run::until(StepNo(100_000)));
            assert!(matches!(stop, Stop::Finished(_)), "{word}: {stop:?}\n{text}");
            count += 1;
        }
        assert!(count >= 18, "{}: {count} examples", target.name);
    }
}

#[test]
fn the_manifest_of_the_documents_is_without_problem() {
    let document = include_str!("../../../../docs/projects.md");
    let text = document.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).expect("there is one");
    let (manifest, found) = wendax_project::Manifest::parse(text, wendax_source::FileId(0));
    assert_eq!(found, []);
    assert_eq!((manifest.name.as_deref(), manifest.limits.steps), (Some("manifest"), Some(1_000_000)));
}

#[test]
fn every_directive_has_its_row() {
    for directive in wendax_language::DIRECTIVES {
        assert!(LANGUAGE.contains(&format!("| `{}", directive.name)), "{} is missing", directive.name);
    }
}

#[test]
fn the_readme_names_every_picture_and_no_other() {
    let readme = include_str!("../../../../README.md");
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

/// Each relative link of the README and of the documents leads to something, and the index names every document.
#[test]
fn links_of_the_documents_lead_somewhere() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let documents = std::fs::read_dir(root.join("docs")).expect("the folder is there");
    let mut texts = vec![root.join("README.md")];
    texts.extend(documents.map(|entry| entry.expect("readable").path()).filter(|path| path.is_file()));
    let index = std::fs::read_to_string(root.join("docs/README.md")).expect("there is an index");
    let mut followed = 0;
    for path in &texts {
        let text = std::fs::read_to_string(path).expect("text");
        let folder = path.parent().expect("a folder");
        for target in text.split("](").skip(1).filter_map(|rest| rest.split([')', '#']).next()) {
            if target.is_empty() || target.contains("://") || target.contains([' ', '`']) {
                continue;
            }
            assert!(folder.join(target).exists(), "{}: {target} is not there", path.display());
            followed += 1;
        }
        let name = path.file_name().expect("a name").to_string_lossy();
        assert!(name == "README.md" || index.contains(&format!("]({name})")), "the index does not name {name}");
    }
    assert!(followed > 60, "{followed} links only");
}

/// The lines of `docs/drawings/make` that begin with `draw` are carried out, and compared with what lies there.
#[test]
fn the_drawings_of_the_documents_are_what_is_drawn_today() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let script = include_str!("../../../../docs/drawings/make");
    let out = tempfile::tempdir().expect("a folder");
    let mut names = Vec::new();
    for line in script.lines().filter_map(|line| line.strip_prefix("draw ")) {
        let words = shlex::split(line).expect("words of a shell");
        let place = out.path().join(&words[0]);
        let done = assert_cmd::Command::new(env!("CARGO_BIN_EXE_wendax"))
            .current_dir(&root)
            .args(["draw", &words[1], "-o"])
            .arg(&place)
            .args(&words[2..])
            .output()
            .expect("it runs");
        // A run that is drawn up to its limit of steps says so by its status.
        let is_limited = line.contains("--steps") && done.status.code() == Some(115);
        assert!(done.status.success() || is_limited, "{line}: {}", String::from_utf8_lossy(&done.stderr));
        let drawn = std::fs::read(&place).expect("it is written");
        let known = std::fs::read(root.join("docs/drawings").join(&words[0])).unwrap_or_default();
        assert!(drawn == known, "{}: run docs/drawings/make", words[0]);
        names.push(words[0].clone());
    }
    assert!(names.len() > 10);
    let document = include_str!("../../../../docs/drawings.md");
    for name in &names {
        assert!(document.contains(&format!("drawings/{name}")), "{name} is not shown");
    }
}
