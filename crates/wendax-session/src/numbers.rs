//! Numbers as they are written for people.

/// A number with a gap between groups of three digits.
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::new();
    for (index, digit) in digits.chars().enumerate() {
        if index > 0 && (digits.len() - index).is_multiple_of(3) {
            text.push(' ');
        }
        text.push(digit);
    }
    text
}

/// So many of something: `1 step`, `6 007 203 454 steps`.
pub fn counted(count: u64, one: &str, many: &str) -> String {
    if count == 1 { format!("1 {one}") } else { format!("{} {many}", grouped(count)) }
}
