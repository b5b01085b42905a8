//! What is no table is told with its line, and nothing of it is taken; values that rows go through are those they say.

use crate::common::{run, subject};
use proptest::prelude::*;
use wendax_isa::target_named;
use wendax_trials::{Programs, ReportForm, Set, Table, Trials, row_keys};

const PROGRAM: &str =
    "start: sys get_int\n add r0, r0\n sys put_int\n clr r0\n sys exit\na: add r0, 1\n ret\n.data\nlist: .space 8\n";

fn told(text: &str) -> String {
    let problems = Table::read(text).expect_err("it is none");
    problems.iter().map(ToString::to_string).collect::<Vec<_>>().join("; ")
}

#[test]
fn what_is_no_table_is_told_with_its_line() {
    let row = |cells: &str| format!("[[row]]\nname = \"a\"\n{cells}\n");
    for (text, words) in [
        (String::new(), "line 1: there is no row: write [[row]]"),
        ("[[row]\n".to_owned(), "line 1: "),
        ("rows = 3\n".to_owned(), "line 1: `rows` is not known here; did you mean `row`?"),
        ("row = 3\n".to_owned(), "line 1: rows are written as [[row]]"),
        ("[[row]]\ntyped = \"x\"\n".to_owned(), "line 1: a row needs `name`"),
        (row("type = \"x\""), "line 3: `type` is not known here; did you mean `typed`?"),
        (row("typed = 3"), "line 3: `typed` takes a text in quotation marks"),
        (row("points = -1"), "line 3: `points` takes a whole number from 0 on"),
        (row("hidden = 1"), "line 3: `hidden` is true or false"),
        (row("with = 3"), "line 3: `with` takes a list"),
        (row("with = [1]"), "line 1: `with` belongs to a routine: `call` says which"),
        (row("call = \"f\"\nstatus = 0"), "line 1: `status` is of a whole program"),
        (row("typed = \"{a}\""), "line 3: `{a}` stands for a value of `vary` (there is none)"),
        (row("typed = \"{\""), "line 3: a `{` without a `}`"),
        (row("vary = { a = [1] }\ntyped = \"{b}\""), "line 4: `{b}` stands for a value of `vary` (a)"),
        (row("vary = { a = \"edge\" }"), "line 3: `edge` is no set of values"),
        (row("vary = { a = [] }"), "line 3: `a` has no value in it"),
        (row("vary = { a = \"9..1\" }"), "line 3: `9..1`: a range goes up"),
        (row("vary = { a = \"0..99999999\" }"), "has 100000000 values; 100000 at most"),
        (row("vary = { a = \"0..9999\", b = \"0..9999\" }"), "make 100000000 runs together"),
        (row("ends = \"well\""), "line 3: `well` is no end of a run: by itself"),
        (row("prints_like = \"(\""), "line 3: `prints_like` is no regular expression"),
        (row("prints_like = \"(a{{1000}}){{1000}}\""), "line 3: `prints_like` is no regular expression"),
        (row("memory = { list = true }"), "line 3: `memory` takes a number"),
        (row("memory = { \"list as longs\" = [1] }"), "line 3: `longs` is no form of memory: bytes, words, text"),
        (
            row("files = { \"../a\" = \"x\" }"),
            "line 3: `../a` is no path of a file of the program: list.txt, in/list.txt",
        ),
        (row("writes = { \"/a\" = \"x\" }"), "line 3: `/a` is no path of a file of the program"),
        (row("prints = 3"), "line 3: `prints` takes a text in quotation marks, or { from = \"long.txt\" }"),
        (row("typed = { from = 3 }"), "line 3: `typed` takes a file beside the table, or below it"),
        (row("typed = { form = \"a\" }"), "line 3: `typed` takes a file beside the table, or below it"),
        (row("typed = { from = \"a\", to = \"b\" }"), "line 3: `typed` takes a file beside the table"),
        (row("files = { a = { from = \"../b\" } }"), "line 3: `a` takes a file beside the table, or below it"),
        (row("prints = { from = \"/etc/passwd\" }"), "line 3: `prints` takes a file beside the table, or below it"),
        (row("prints_like = { from = \"a\" }"), "line 3: `prints_like` takes a text in quotation marks"),
        (row("events = [3]"), "line 3: each event is a table"),
        (row("events = [{ cycle = 1.5 }]"), "line 3: expected a whole number"),
        (row("strike = { from = \"a\" }"), "line 3: `strike` says what comes"),
        (row("like = {}"), "line 3: `like` names a routine, or a program"),
        (row("like = \"f\"\nstrike = { text = \"x\" }"), "line 1: `strike` and `like` do not go together"),
        (
            row("typed = \"a\"\nstrike = { text = \"x\" }"),
            "line 1: `typed` ends the input, behind which `strike` types nothing more",
        ),
        (row("typed = \"a\"\nevents = [{ step = 2, end = true }]"), "behind which `events` types nothing more"),
        ("limits = { step = 3 }\n".to_owned(), "line 1: `step` is not known here; did you mean `steps`?"),
        ("[rules]\nmust = [\"mul\"]\n".to_owned(), "line 2: `must` takes kinds of words with the word"),
        (format!("{}{}", row(""), row("")), "line 4: another row is called \"a\": the one on line 1"),
    ] {
        let found = told(&text);
        assert!(found.contains(words), "{text}\n{found}");
    }
    assert!(told(&"a".repeat(5 << 20)).contains("more than 4 MiB"));
}

#[test]
fn all_that_is_wrong_is_told_at_once() {
    let text = "[[row]]\nname = \"a\"\ntyped = 3\n[[row]]\nname = 5\nstatus = true\n";
    assert_eq!(Table::read(text).unwrap_err().len(), 4);
}

#[test]
fn sets_have_the_values_they_say() {
    let w16 = target_named("w16").unwrap();
    let values = |text: &str| {
        let set = Set::read(text).unwrap();
        (0..set.len()).map(|index| set.value(index, w16)).collect::<Vec<_>>()
    };
    assert_eq!(values("1..4"), [1, 2, 3, 4]);
    assert_eq!(values("-5..6 by 5"), [-5, 0, 5]);
    assert_eq!(values("edges"), [0, 1, -1, 2, -2, 32767, -32768, 32766, -32767, 16384]);
    assert_eq!(values("edges of byte").last(), Some(&255));
    assert!(values("edges unsigned").contains(&65535));
    let chance = values("random 50 from -3 to 3 seed 8");
    assert!(chance.len() == 50 && chance.iter().all(|value| (-3..=3).contains(value)));
    assert_eq!(chance, values("random 50 from -3 to 3 seed 8"), "the same words, the same values");
    assert_ne!(chance, values("random 50 from -3 to 3 seed 9"));
    let rv32 = target_named("rv32").unwrap();
    assert_eq!(Set::read("edges").unwrap().value(5, rv32), i64::from(i32::MAX));
}

#[test]
fn the_page_has_each_key_of_a_row() {
    let page = include_str!("../../../../docs/trials.md");
    for key in row_keys() {
        assert!(
            page.contains(&format!("| `{key}`"))
                || page.contains(&format!("`{key}`, "))
                || page.contains(&format!(", `{key}`")),
            "{key}"
        );
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, ..ProptestConfig::default() })]

    /// Whatever stands in a file, reading it ends with a table or with what is wrong.
    #[test]
    fn any_text_is_a_table_or_told(
        cells in prop::collection::vec(
            (prop::sample::select(row_keys()), "(\"(a|list|a \\+ 1|x|by itself|steps|random 3|1..4)\"|-?[0-9]{1,20}|\"[ -~]{0,12}\"|\\[[0-9, \"a{}]{0,9}\\]|\\{ ?[a-z0-9=\" ]{0,12} ?\\}|true|1\\.5)"),
            0..6,
        ),
        noise in "[\\[\\]a-z= \n\"{}0-9.#]{0,60}",
    ) {
        let cells: Vec<String> = cells.iter().map(|(key, value)| format!("{key} = {value}")).collect();
        let name = if noise.len().is_multiple_of(2) { "name = \"it\"\n" } else { "" };
        let noise = if noise.len().is_multiple_of(3) { "" } else { noise.as_str() };
        let text = format!("[[row]]\n{name}{}\n{noise}", cells.join("\n"));
        if let Err(problems) = Table::read(&text) {
            prop_assert!(!problems.is_empty());
            let lines = text.lines().count().max(1);
            prop_assert!(problems.iter().all(|problem| (1..=lines + 1).contains(&problem.line)), "{problems:?}");
            return Ok(());
        }
        // What is one can be tried, whatever it asks for, and what came of it is written in any form.
        let Ok(mut table) = Table::read(&format!("limits = {{ steps = 500 }}\n{text}")) else { return Ok(()) };
        table.rows.retain(|row| row.cases() < 500);
        let programs = Programs { own: Some(subject(PROGRAM)), ..Programs::default() };
        let Ok(trials) = Trials::new(table, programs) else { return Ok(()) };
        let report = run(&trials, 1);
        for form in [ReportForm::Text, ReportForm::Json, ReportForm::Junit, ReportForm::Tap, ReportForm::Markdown] {
            prop_assert!(!form.write(&[("t", &report)]).is_empty());
        }
    }
}
