//! What a search looks for.

use proptest::prelude::*;
use wendax_tui::inside::{Meant, Pattern};

fn found(text: &str, meant: Meant, line: &str) -> Vec<String> {
    let pattern = Pattern::new(text, meant).expect("a pattern");
    let signs: Vec<char> = line.chars().collect();
    pattern.in_line(line).into_iter().map(|range| signs[range].iter().collect()).collect()
}

#[test]
fn signs_words_and_patterns_are_found() {
    let line = "add R1, r10 ; r1 änd [r1 + 1]";
    assert_eq!(found("r1", Meant::Signs, line), ["R1", "r1", "r1", "r1"]);
    assert_eq!(found("r1", Meant::Words, line), ["R1", "r1", "r1"]);
    assert_eq!(found("[r1", Meant::Words, line), ["[r1"]);
    assert_eq!(found("r\\d+", Meant::Pattern, line), ["R1", "r10", "r1", "r1"]);
    assert_eq!(found("Ä", Meant::Signs, line), ["ä"]);
    assert_eq!(found("x*", Meant::Pattern, line), [""; 0], "nothing is no place");
    assert_eq!(found("aa", Meant::Words, "aaa aa"), ["aa"]);
    assert_eq!(found("^ *add", Meant::Pattern, line), ["add"]);
}

#[test]
fn groups_are_put_in_only_where_a_pattern_is_meant() {
    let pattern = Pattern::new("(r\\d), (r\\d)", Meant::Pattern).expect("a pattern");
    assert_eq!(pattern.replacement("ä mov r1, r2", 6, "$2, ${1}"), "r2, r1");
    let plain = Pattern::new("r1", Meant::Signs).expect("signs");
    assert_eq!(plain.replacement("mov r1", 4, "$1"), "$1");
}

#[test]
fn what_is_no_pattern_is_told_in_a_line() {
    let told = Pattern::new("(r1", Meant::Pattern).expect_err("it is open");
    assert_eq!(told, "this is no regular expression: unclosed group");
    let told = Pattern::new("(((a{99}){99}){99})", Meant::Pattern).expect_err("it is large");
    assert_eq!(told, "the regular expression is too large");
    assert!(Pattern::new("(r1", Meant::Words).is_ok());
}

proptest! {
    /// Against looking at every place in turn.
    #[test]
    fn signs_are_found_where_they_stand(line in "[aAbä_ ]{0,12}", wanted in "[abä_ ]{1,3}", whole in any::<bool>()) {
        let lower = |text: &str| text.chars().flat_map(char::to_lowercase).collect::<Vec<char>>();
        let (signs, searched) = (lower(&line), lower(&wanted));
        let is_word = |sign: Option<&char>| sign.is_some_and(|sign| sign.is_alphanumeric() || *sign == '_');
        let (mut places, mut at) = (Vec::new(), 0);
        while at + searched.len() <= signs.len() {
            let end = at + searched.len();
            let is_part = whole && (is_word(signs[..at].last()) || is_word(signs.get(end)));
            if signs[at..end] == searched[..] && !is_part {
                places.push(at..end);
                at = end;
            } else {
                at += 1;
            }
        }
        let meant = if whole { Meant::Words } else { Meant::Signs };
        prop_assert_eq!(Pattern::new(&wanted, meant).expect("signs").in_line(&line), places);
    }
}
