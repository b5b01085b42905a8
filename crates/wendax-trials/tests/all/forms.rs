//! What came of a table in each form: nothing that a program printed or a row is called is a sign of the form.

use crate::common::report;
use wendax_trials::{Class, HandIn, ReportForm};

const PROGRAM: &str =
    "start: mov r0, text\n sys put_text\n clr r0\n sys exit\n.data\ntext: .asciz \"<\\x1B[31m&|`]]>\\n\"\n";

const TABLE: &str = "about = \"about | it\"\n[[row]]\nname = \"a < b & \\\"c\\\" | # \\\\\"\nprints = \"x\"\npoints = 2\n[[row]]\nname = \"well\"\nstatus = 0\n\
    [[row]]\nname = \"secret\"\nhidden = true\nprints = \"the answer\"\nvary = { q = [41] }\n";

fn written(form: ReportForm) -> String {
    let report = report(PROGRAM, TABLE, 1);
    form.write(&[("t <1>", &report)])
}

#[test]
fn failures_come_first_in_text_and_points_are_counted() {
    let text = written(ReportForm::Text);
    assert!(text.starts_with("t <1>: 2 of 3 rows failed; 1 of 4 points\n\n  failed  a < b"), "{text}");
    assert!(text.contains("`<\u{241B}[31m&|`]]>`") || text.contains('\u{241B}'), "{text}");
    assert!(!text.contains('\u{1B}'), "nothing reaches a terminal raw");
    assert!(text.find("failed  secret").unwrap() < text.find("passed  well").unwrap());
}

#[test]
fn of_a_hidden_row_nothing_but_its_name_is_told_in_any_form() {
    for form in [ReportForm::Text, ReportForm::Json, ReportForm::Junit, ReportForm::Tap, ReportForm::Markdown] {
        let text = written(form);
        assert!(text.contains("secret"), "{form:?}");
        assert!(!text.contains("answer") && !text.contains("41"), "{form:?} {text}");
    }
}

#[test]
fn each_form_is_one() {
    let json = written(ReportForm::Json);
    let lines: Vec<serde_json::Value> = json.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(lines.len(), 4);
    assert_eq!((&lines[0]["result"], &lines[0]["first"]["kind"]), (&"failed".into(), &"prints".into()));
    assert_eq!((&lines[3]["failed"], &lines[3]["points"], &lines[3]["of"]), (&2.into(), &1.into(), &4.into()));
    let xml = written(ReportForm::Junit);
    assert!(xml.contains("<testcase name=\"a &lt; b &amp; &quot;c&quot; | # \\\""), "{xml}");
    assert_eq!(xml.matches("<testcase").count(), 3);
    assert_eq!(xml.matches("<failure").count(), 2);
    assert!(!xml.chars().any(|sign| sign.is_control() && sign != '\n'), "{xml}");
    let tap = written(ReportForm::Tap);
    assert!(tap.starts_with("TAP version 14\n1..3\n# t <1>\nnot ok 1 - a < b & \"c\" | \\# \\\\\n  ---\n"), "{tap}");
    assert!(tap.contains("\nok 2 - well\n"));
    let markdown = written(ReportForm::Markdown);
    assert!(markdown.contains("| failed | a \\< b \\& \"c\" \\| \\# \\\\ |"), "{markdown}");
    assert!(
        markdown.lines().skip(3).all(|line| line.is_empty() || line.replace("\\|", "").matches('|').count() == 5),
        "{markdown}"
    );
}

#[test]
fn a_class_is_told_with_those_that_could_not_be_run() {
    let came = report(PROGRAM, TABLE, 1);
    let hand_ins = vec![
        HandIn { name: "=cmd()".to_owned(), came: Ok(came) },
        HandIn { name: "eva".to_owned(), came: Err("it does not assemble: main.asm:1".to_owned()) },
    ];
    let rows = vec![("one".to_owned(), 2), ("well".to_owned(), 1), ("secret".to_owned(), 1)];
    let class = Class { about: String::new(), rows, hand_ins, alike: Vec::new() };
    let text = class.text("t");
    assert!(text.starts_with("t: 2 programs, 3 rows: 0 passed all, 1 could not be run"), "{text}");
    assert!(text.contains("eva: it does not assemble: main.asm:1"));
    assert!(!text.contains("answer"));
    let csv = class.csv().unwrap();
    assert!(csv.contains("\n'=cmd(),1,4,1,2,failed,passed,failed,"), "{csv}");
    assert!(csv.contains("\neva,0,4,0,0,not run,not run,not run,"), "{csv}");
    let whole = class.report(&class.hand_ins[1]);
    assert_eq!((whole.failed(), whole.points()), (3, (0, 4)));
    assert!(class.markdown("t").contains("| eva | 0 of 4 | – | – | – |"));
}
