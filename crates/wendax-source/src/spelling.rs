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
    let wanted: Vec<char> = name.to_lowercase().chars().collect();
    // Any other letter is nearly a letter: of one alone only the case may differ.
    let limit = if wanted.len() < 2 { 0 } else { wanted.len().div_ceil(3).min(3) };
    let mut best: Option<(usize, &str)> = None;
    for candidate in candidates {
        if candidate.len().abs_diff(name.len()) > 3 * limit.max(1) || candidate == name {
            continue;
        }
        let letters: Vec<char> = candidate.to_lowercase().chars().collect();
        let far = distance(&wanted, &letters);
        if far <= limit && best.is_none_or(|(known, _)| far < known) {
            best = Some((far, candidate));
        }
    }
    best.map(|(_, candidate)| candidate)
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

/// Edit distance with exchange of neighbours (optimal string alignment, Damerau 1964).
fn distance(a: &[char], b: &[char]) -> usize {
    let mut before: Vec<usize> = Vec::new();
    let mut above: Vec<usize> = (0..=b.len()).collect();
    for i in 1..=a.len() {
        let mut row = vec![i; b.len() + 1];
        for j in 1..=b.len() {
            let differs = usize::from(a[i - 1] != b[j - 1]);
            row[j] = (above[j] + 1).min(row[j - 1] + 1).min(above[j - 1] + differs);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                row[j] = row[j].min(before[j - 2] + 1);
            }
        }
        before = std::mem::replace(&mut above, row);
    }
    above[b.len()]
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
        assert_eq!(distance(&chars("ab"), &chars("ba")), 1);
        assert_eq!(distance(&chars("abc"), &chars("")), 3);
        assert_eq!(distance(&chars(""), &chars("")), 0);
    }

    #[test]
    fn of_a_key_that_is_none_the_nearest_is_told_or_all_are() {
        let names = ["typed", "prints"];
        assert_eq!(not_known_here("typd", &names), "`typd` is not known here; did you mean `typed`?");
        assert_eq!(not_known_here("weight", &names), "`weight` is not known here; there are typed, prints");
    }
}
