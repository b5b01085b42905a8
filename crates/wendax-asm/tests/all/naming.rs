//! Names by place: where they are defined and used, and how they get another spelling, across files.

use wendax_asm::{Assembler, Assembly, Inputs};
use wendax_language::{RenameError, Written};
use wendax_source::{MemoryFiles, Span};

const MAIN: &str = "\
        .extern weigh
        .include \"sizes.inc\"
start:  mov   r1, SIZE
        call  weigh      ; weigh it
@next:  djnz  r1, @next
        sys   exit
weighty: jmp  @next
@next:  jmp   weighty
";
const SCALE: &str = "        .global weigh\nweigh:  ret\nstart:  jmp start\n        .asciz \"weigh\"\n";
const SIZES: &str = ".equ SIZE, 4\n        .macro TWICE\n        mov   r2, SIZE * 2\n        .endmacro\n";

fn assembly() -> Assembly {
    let files = MemoryFiles::default().with("main.asm", MAIN).with("scale.asm", SCALE).with("sizes.inc", SIZES);
    let inputs = Inputs { sources: vec!["main.asm".into(), "scale.asm".into()], ..Inputs::default() };
    Assembler::default().assemble(&inputs, &files)
}

/// The name that stands at the `nth` place of a spelling in a file.
fn at(assembly: &Assembly, file: &str, spelling: &str, nth: usize) -> Span {
    let id = assembly.sources.find(file).expect("the file is there");
    let text = assembly.sources.file(id).text();
    let (byte, _) = text.match_indices(spelling).nth(nth).expect("it stands there");
    assembly.name_at(id, u32::try_from(byte + 1).expect("it is short")).expect("it is a name")
}

/// File and line of places.
fn places(assembly: &Assembly, spans: &[Span]) -> Vec<String> {
    let sources = &assembly.sources;
    spans.iter().map(|span| format!("{}:{}", sources.file(span.file).name(), sources.line(*span))).collect()
}

#[test]
fn a_name_made_known_is_one_in_all_files() {
    let assembly = assembly();
    let call = at(&assembly, "main.asm", "weigh", 1);
    let definition = assembly.definition(call).expect("it is defined");
    assert_eq!(places(&assembly, &[definition]), ["scale.asm:2"]);
    let all: Vec<Span> = assembly.occurrences(call).iter().map(|found| found.span).collect();
    assert_eq!(
        places(&assembly, &all),
        ["main.asm:1", "main.asm:4", "scale.asm:1", "scale.asm:2"],
        "not in comments, texts or other names"
    );
}

#[test]
fn names_files_keep_to_themselves_stay_apart() {
    let assembly = assembly();
    let start = at(&assembly, "scale.asm", "start", 1);
    let all: Vec<Span> = assembly.occurrences(start).iter().map(|found| found.span).collect();
    assert_eq!(places(&assembly, &all), ["scale.asm:3", "scale.asm:3"]);
    let next = at(&assembly, "main.asm", "@next", 1);
    let all: Vec<Span> = assembly.occurrences(next).iter().map(|found| found.span).collect();
    assert_eq!(places(&assembly, &all), ["main.asm:5", "main.asm:5"], "of another label it is another name");
    let size = at(&assembly, "main.asm", "SIZE", 0);
    let all: Vec<Span> = assembly.occurrences(size).iter().map(|found| found.span).collect();
    assert_eq!(places(&assembly, &all), ["main.asm:3", "sizes.inc:1", "sizes.inc:3"]);
    let twice = at(&assembly, "sizes.inc", "TWICE", 0);
    assert!(assembly.definition(twice).is_some());
}

#[test]
fn another_spelling_keeps_the_program_or_is_refused() {
    let assembly = assembly();
    let call = at(&assembly, "main.asm", "weigh", 1);
    let spans = assembly.rename(call, "scale").expect("nothing speaks against it");
    assert_eq!(spans.len(), 4);
    for (name, wrong) in [
        ("5x", RenameError::NotAName("5x".into())),
        ("", RenameError::NotAName(String::new())),
        ("a b", RenameError::NotAName("a b".into())),
        ("@weigh", RenameError::NotAName("@weigh".into())),
        ("start", RenameError::Taken("start".into())),
        ("r5", RenameError::NotAName("r5".into())),
        ("HERE", RenameError::Taken("HERE".into())),
    ] {
        assert_eq!(assembly.rename(call, name), Err(wrong), "{name}");
    }
    let next = at(&assembly, "main.asm", "@next", 0);
    assert_eq!(assembly.rename(next, "@on").map(|spans| spans.len()), Ok(2));
    let register = assembly.sources.find("main.asm").and_then(|file| assembly.name_at(file, 2));
    assert_eq!(register, None, "blanks are no name");
}
