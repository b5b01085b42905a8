//! Which programs are alike beyond names and registers.

use crate::common::subject;
use wendax_trials::{Shape, alike};

/// Programs that all begin with the same, which was handed out.
fn program(own: &str) -> String {
    format!("start: mov r0, 1\n call work\n sys exit\nwork:\n{own}\n ret\n")
}

const ONE: &str = " clr r2\n mov r3, 5\nagain: add r2, r3\n shl r2, 1\n xor r2, 7\n sub r2, r3\n and r2, 255\n or r2, 16\n djnz r3, again\n mov r0, r2\n inc r0\n dec r0\n neg r0";

#[test]
fn other_names_and_registers_hide_nothing() {
    let other = ONE.replace("r2", "r5").replace("r3", "r8").replace("again", "round");
    let own = " mov r4, 3\n push r4\n pop r5\n mul r5, r4\n shr r5, 2\n cmp r5, 9\n jlt low\n add r5, 40\nlow: mov r0, r5\n not r0\n and r0, 15\n xor r0, 3\n or r0, 8";
    let shapes: Vec<_> =
        [ONE, own, &other, "\n nop"].iter().map(|text| Some(Shape::of(&subject(&program(text))))).collect();
    let found = alike(&shapes, 80);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!((found[0].one, found[0].other, found[0].percent), (0, 2, 100));
}

#[test]
fn what_all_were_given_makes_nobody_alike() {
    let given = ONE.replace("again", "given");
    let more = |text: &str| format!("{given}\n{text}");
    let shapes: Vec<_> = [" mov r9, 1", " mov r9, 2\n inc r9", " dec r9\n dec r9", " not r9\n clr r9"]
        .iter()
        .map(|text| Some(Shape::of(&subject(&program(&more(text))))))
        .collect();
    assert_eq!(alike(&shapes, 50), []);
    assert_eq!(alike(&[None, None], 1), []);
}
