//! `wendax run --compare`: two moments beside each other, as text and as an object.

use crate::common::run;
use serde_json::Value;

const LOADS: &str = "\
start:  mov   r6, loads
        mov   r7, 3
next:   ldw   r0, [r6]
        call  add
        add   r6, 2
        djnz  r7, next
        clr   r0
        sys   exit
add:    ldw   r1, [total]
        add   r1, r0
        stw   [total], r1
        ret
        .data
loads:  .word 120, 99, 240
total:  .word 0
";

#[test]
fn two_moments_of_a_run_are_told_with_what_differs_and_who_changed_it() {
    let folder = tempfile::tempdir().expect("a folder");
    let place = folder.path();
    std::fs::write(place.join("loads.asm"), LOADS).expect("written");
    let (status, out, err) = run(place, &["run", "loads.asm", "--compare", "add", "add from 2"], "");
    let told = "step 4 and step 12: 8 steps, 16 cycles apart\n  \
                r0       120 → 99         by `ldw r0, [r6]` on line 3 at step 10\n  \
                r1       not set → 120    by `add r1, r0` on line 10 at step 5\n  \
                r6       0x0300 → 0x0302  by `add r6, 2` on line 5 at step 8\n  \
                r7       3 → 2            by `djnz r7, next` on line 6 at step 9\n  \
                [total]  0 → 120          by `stw [total], r1` on line 11 at step 6\n";
    assert_eq!((status, out.as_str()), (0, ""));
    assert_eq!(err, told);
    // The later one first is the same; an object in a file.
    let arguments = ["run", "loads.asm", "--compare", "end", "4", "--compared", "apart.json"];
    assert_eq!(run(place, &arguments, ""), (0, String::new(), String::new()));
    let text = std::fs::read_to_string(place.join("apart.json")).expect("written");
    let object: Value = serde_json::from_str(&text).expect("an object");
    assert_eq!((&object["from"], &object["more"]), (&4.into(), &0.into()));
    let total = object["differences"].as_array().expect("a list").iter().find(|row| row["name"] == "[total]");
    let total = total.expect("it is there");
    assert_eq!((&total["was"], &total["now"], &total["line"]), (&"0".into(), &"459".into(), &11.into()));
    let (status, out, _) = run(place, &["run", "loads.asm", "--compare", "5", "5", "--compared", "-"], "");
    assert_eq!((status, out.as_str()), (0, "step 5 and step 5: 0 steps, 0 cycles apart\n  nothing differs\n"));
    for (arguments, why) in [
        (["--compare", "5", "5000"], "--compare 5000: the run has"),
        (["--compare", "5", "nowhere"], "--compare nowhere: "),
        (["--compare", "5", "add from 9"], "the run does not come to that"),
    ] {
        let (status, _, err) = run(place, &[&["run", "loads.asm"][..], &arguments].concat(), "");
        assert!(status == 110 && err.contains(why), "{arguments:?}: {err}");
    }
    let (status, _, err) = run(place, &["run", "loads.asm", "--compare", "1", "2", "--compared", "a.csv"], "");
    assert!(status == 110 && err.contains("not to a .csv"), "{err}");
    let (status, _, err) = run(place, &["run", "loads.asm", "--compare", "1"], "");
    assert_eq!(status, 110, "{err}");
}
