//! Signs that do something to whoever shows them: control signs, and those that turn or hide text.
//!
//! What programs and their authors wrote reaches a screen through [`shown_sign`], [`shown`] or [`shown_line`] only.

use std::borrow::Cow;

/// A sign that is not seen as itself: a control sign (ECMA-48), one that turns the direction of text (Unicode UAX #9),
/// separates lines, or is nothing at all.
pub fn is_hidden(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61C}' | '\u{200B}' | '\u{200E}'..='\u{200F}' | '\u{2028}'..='\u{202E}')
        || matches!(c, '\u{2060}'..='\u{206F}' | '\u{FEFF}' | '\u{FFF9}'..='\u{FFFB}' | '\u{E0000}'..='\u{E007F}')
}

/// A sign as it is shown: a hidden one by the picture of it, or by a dot.
pub fn shown_sign(c: char) -> char {
    match c {
        '\0'..='\x1F' => char::from_u32(0x2400 + u32::from(c)).unwrap_or('\u{B7}'),
        '\x7F' => '\u{2421}',
        c if is_hidden(c) => '\u{B7}',
        c => c,
    }
}

/// A text as it is shown: its lines and tabs stay.
pub fn shown(text: &str) -> Cow<'_, str> {
    replaced(text, |c| !matches!(c, '\n' | '\t') && is_hidden(c))
}

/// A text that is shown in one line.
pub fn shown_line(text: &str) -> Cow<'_, str> {
    replaced(text, is_hidden)
}

/// A text as TOML writes it in one line: a basic string (TOML 1.0, "String").
pub fn toml_text(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            c if c.is_control() => out.push_str(&format!("\\u{:04X}", u32::from(c))),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

fn replaced(text: &str, is_replaced: impl Fn(char) -> bool) -> Cow<'_, str> {
    if !text.contains(&is_replaced) {
        return Cow::Borrowed(text);
    }
    text.chars().map(|c| if is_replaced(c) { shown_sign(c) } else { c }).collect::<String>().into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_that_is_shown_does_anything() {
        assert_eq!(shown("a\tb\n\x1B[2J\r\u{202E}\u{9B}"), "a\tb\n␛[2J␍··");
        assert_eq!(shown_line("x\ny"), "x␊y");
        assert!(matches!(shown("übung 漢字 👩‍🚀"), Cow::Borrowed(_)), "what is seen stays");
        for c in (0..=0x1F).chain(0x7F..=0x9F).filter_map(char::from_u32) {
            assert!(!shown_line(&c.to_string()).chars().any(char::is_control), "{c:?}");
        }
    }

    #[test]
    fn any_text_is_read_back_from_toml() {
        let hard = "a \"b\" \\ c\n\td \u{1}\u{7F}\u{85} ä 日";
        assert_eq!(toml_text(hard), "\"a \\\"b\\\" \\\\ c\\n\\td \\u0001\\u007F\\u0085 ä 日\"");
    }
}
