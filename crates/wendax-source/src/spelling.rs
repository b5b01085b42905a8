//! The nearest name to one that is not known.

/// The candidate closest to `name`, if one is close enough that it was probably meant: another case of
/// the same letters, or at most a third of its letters (and at most three) inserted, dropped, replaced
/// or two neighbours exchanged. Names of more than 100 bytes have none. Of equally close ones the first wins, so pass them in a fixed order.
pub fn nearest<'a>(name: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    /// Nobody means another by a name of so many bytes, and comparing takes time by their square.
    const LONGEST: usize = 100;
    if name.len() > LONGEST {
        return None;
    }
    let mut rows = Rows::default();
    let mut letters = Vec::new();
    let mut wanted = Vec::new();
    lower(name, &mut wanted);
    // Any other letter is nearly a letter: of one alone only the case may differ.
    let limit = if wanted.len() < 2 { 0 } else { wanted.len().div_ceil(3).min(3) };
    let mut best: Option<(usize, &str)> = None;
    for candidate in candidates {
        if candidate.len().abs_diff(name.len()) > 3 * limit.max(1) || candidate == name {
            continue;
        }
        lower(candidate, &mut letters);
        // Each letter more is one that was inserted.
        if letters.len().abs_diff(wanted.len()) > limit {
            continue;
        }
        let far = rows.distance(&wanted, &letters);
        if far <= limit && best.is_none_or(|(known, _)| far < known) {
            best = Some((far, candidate));
        }
    }
    best.map(|(_, candidate)| candidate)
}

/// The letters of a name, all small.
fn lower(name: &str, letters: &mut Vec<char>) {
    letters.clear();
    if name.is_ascii() {
        letters.extend(name.bytes().map(|byte| char::from(byte.to_ascii_lowercase())));
    } else {
        letters.extend(name.to_lowercase().chars());
    }
}

/// The nearest name as a question behind what is told: "; did you mean `djnz`?"; nothing where there is none.
pub fn meant(near: Option<&str>) -> String {
    near.map_or_else(String::new, |near| format!("; did you mean `{near}`?"))
}

/// What is told of a key that is none of these.
pub fn not_known_here(name: &str, names: &[&str]) -> String {
    match nearest(name, names.iter().copied()) {
        None => format!("`{name}` is not known here; there are {}", names.join(", ")),
        near => format!("`{name}` is not known here{}", meant(near)),
    }
}

/// Room for three rows of a table of distances, kept from name to name.
#[derive(Default)]
struct Rows {
    before: Vec<usize>,
    above: Vec<usize>,
    row: Vec<usize>,
}

impl Rows {
    /// Edit distance with exchange of neighbours (optimal string alignment, Damerau 1964).
    fn distance(&mut self, a: &[char], b: &[char]) -> usize {
        let Self { before, above, row } = self;
        above.clear();
        above.extend(0..=b.len());
        for i in 1..=a.len() {
            row.clear();
            row.resize(b.len() + 1, i);
            for j in 1..=b.len() {
                let differs = usize::from(a[i - 1] != b[j - 1]);
                row[j] = (above[j] + 1).min(row[j - 1] + 1).min(above[j - 1] + differs);
                if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                    row[j] = row[j].min(before[j - 2] + 1);
                }
            }
            std::mem::swap(before, above);
            std::mem::swap(above, row);
        }
        above[b.len()]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn finds_the_meant_name_and_nothing_far_fetched() {
        let names = ["axles", "Total", "verdict", "put_text", "r0"];
        assert_eq!(nearest("axels", names), Some("axles"));
        assert_eq!(nearest("total", names), Some("Total"));
        assert_eq!(nearest("put_txet", names), Some("put_text"));
        assert_eq!(nearest("lamp", names), None);
        assert_eq!(nearest("", names), None);
        assert_eq!((nearest("g", ["f"]), nearest("g", ["G"])), (None, Some("G")));
    }

    #[test]
    fn exchange_of_neighbours_counts_once() {
        let chars = |text: &str| text.chars().collect::<Vec<_>>();
        // The same room, name after name.
        let mut rows = Rows::default();
        for (one, other, far) in
            [("ab", "ba", 1), ("abc", "", 3), ("", "", 0), ("djnz", "dnjz", 1), ("kitten", "sitting", 3)]
        {
            assert_eq!(rows.distance(&chars(one), &chars(other)), far, "{one} {other}");
            assert_eq!(rows.distance(&chars(other), &chars(one)), far, "{other} {one}");
        }
    }

    #[test]
    fn of_a_key_that_is_none_the_nearest_is_told_or_all_are() {
        let names = ["typed", "prints"];
        assert_eq!(not_known_here("typd", &names), "`typd` is not known here; did you mean `typed`?");
        assert_eq!(not_known_here("weight", &names), "`weight` is not known here; there are typed, prints");
    }
}
