//! The nearest name to one that is not known.

/// Nobody means another by a name of so many bytes.
const LONGEST: usize = 100;

/// The candidate closest to `name`, if one is close enough that it was probably meant: another case of
/// the same letters, or at most a third of its letters (and at most three) inserted, dropped, replaced
/// or two neighbours exchanged. Names of more than 100 bytes have none. Of equally close ones the first wins, so pass them in a fixed order.
pub fn nearest<'a>(name: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    if name.len() > LONGEST {
        return None;
    }
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
        // What is farther than the nearest so far is nothing any more.
        let nearer = best.map_or(limit, |(far, _)| far - 1);
        if let Some(far) = distance(&wanted, &letters, nearer) {
            best = Some((far, candidate));
            if far == 0 {
                break;
            }
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

/// Edit distance with exchange of neighbours (optimal string alignment, Damerau 1964), as far as it is within a limit: no
/// cell of the table that lies farther from its diagonal can be part of that.
fn distance(a: &[char], b: &[char], limit: usize) -> Option<usize> {
    const FAR: u8 = u8::MAX / 2;
    if a.len() > LONGEST || b.len() > LONGEST || a.len().abs_diff(b.len()) > limit {
        return None;
    }
    let mut rows = [[FAR; LONGEST + 2]; 3];
    let [before, above, row] = &mut rows;
    let (mut before, mut above, mut row) = (before, above, row);
    for (place, far) in above.iter_mut().zip(0..).take(limit.min(b.len()) + 1) {
        *place = far;
    }
    for (i, &letter) in (1usize..).zip(a) {
        let (from, to) = (i.saturating_sub(limit).max(1), (i + limit).min(b.len()));
        row[from - 1] = if from == 1 { u8::try_from(i).unwrap_or(FAR) } else { FAR };
        let mut least = row[from - 1];
        for j in from..=to {
            let other = b[j - 1];
            let mut far = (above[j] + 1).min(row[j - 1] + 1).min(above[j - 1] + u8::from(letter != other));
            if i > 1 && j > 1 && letter == b[j - 2] && a[i - 2] == other {
                far = far.min(before[j - 2] + 1);
            }
            row[j] = far.min(FAR);
            least = least.min(far);
        }
        row[to + 1] = FAR;
        if usize::from(least) > limit {
            return None;
        }
        (before, above, row) = (above, row, before);
    }
    Some(usize::from(above[b.len()])).filter(|far| *far <= limit)
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

    /// The whole table, cell by cell.
    fn plain(a: &[char], b: &[char]) -> usize {
        let mut table = vec![vec![0; b.len() + 1]; a.len() + 1];
        for i in 0..=a.len() {
            for j in 0..=b.len() {
                table[i][j] = if i == 0 || j == 0 {
                    i + j
                } else {
                    let one = table[i - 1][j].min(table[i][j - 1]) + 1;
                    let far = one.min(table[i - 1][j - 1] + usize::from(a[i - 1] != b[j - 1]));
                    let is_exchanged = i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1];
                    if is_exchanged { far.min(table[i - 2][j - 2] + 1) } else { far }
                };
            }
        }
        table[a.len()][b.len()]
    }

    #[test]
    fn exchange_of_neighbours_counts_once() {
        let chars = |text: &str| text.chars().collect::<Vec<_>>();
        for (one, other, far) in
            [("ab", "ba", 1), ("abc", "", 3), ("", "", 0), ("djnz", "dnjz", 1), ("kitten", "sitting", 3)]
        {
            assert_eq!(distance(&chars(one), &chars(other), far), Some(far), "{one} {other}");
            assert_eq!(distance(&chars(other), &chars(one), far + 2), Some(far), "{other} {one}");
            assert_eq!(far.checked_sub(1).and_then(|less| distance(&chars(one), &chars(other), less)), None);
        }
    }

    proptest::proptest! {
        #[test]
        fn within_a_limit_it_is_what_the_whole_table_says(one in "[a-c]{0,12}", other in "[a-c]{0,12}", limit in 0..6usize) {
            let (one, other): (Vec<char>, Vec<char>) = (one.chars().collect(), other.chars().collect());
            let far = plain(&one, &other);
            proptest::prop_assert_eq!(distance(&one, &other, limit), Some(far).filter(|far| *far <= limit));
        }
    }

    #[test]
    fn of_a_key_that_is_none_the_nearest_is_told_or_all_are() {
        let names = ["typed", "prints"];
        assert_eq!(not_known_here("typd", &names), "`typd` is not known here; did you mean `typed`?");
        assert_eq!(not_known_here("weight", &names), "`weight` is not known here; there are typed, prints");
    }
}
