//! A second opinion from the shell: the trail of a run is read row by row by someone who knows nothing else, and what the
//! tally, coverage, passages, stops, values at moments, levels and the other forms of the trail say is held against it.

use crate::agreeing::{folder, run, steps};
use proptest::prelude::*;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// A step, as its row tells of it.
#[derive(Debug, Clone)]
struct Row {
    step: u64,
    address: u64,
    place: String,
    instruction: String,
    cycles: u64,
    did: String,
}

impl Row {
    /// An interrupt came in its place.
    fn is_interrupt(&self) -> bool {
        self.did.starts_with("interrupt ")
    }

    /// A trap came of it, or in its place.
    fn is_trap(&self) -> bool {
        self.did.split(' ').any(|word| word == "trap")
    }

    /// The values it gave to registers, flags and device registers: by their names, as the row has them.
    fn values(&self) -> Vec<(String, u64)> {
        let words: Vec<&str> = self.did.split(' ').collect();
        let mut values = Vec::new();
        for (at, word) in words.iter().enumerate() {
            // `r1 0002>0004`, `r1 >0002`: the name stands before it.
            if let Some((old, new)) = word.split_once('>')
                && let (Some(name), Ok(value)) = (at.checked_sub(1).map(|at| words[at]), u64::from_str_radix(new, 16))
                && (old.is_empty() || u64::from_str_radix(old, 16).is_ok())
            {
                values.push((name.to_owned(), value));
            }
        }
        values
    }
}

/// A run that was asked for everything at once.
struct Asked {
    rows: Vec<Row>,
    tally: Value,
    coverage: String,
    state: Value,
}

fn text(folder: &Path, name: &str) -> String {
    std::fs::read_to_string(folder.join(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
}

fn json(folder: &Path, name: &str) -> Value {
    serde_json::from_str(&text(folder, name)).expect("JSON")
}

fn rows(text: &str) -> Vec<Row> {
    let row = |line: &str| {
        let row: Value = serde_json::from_str(line).expect("a row is JSON");
        let word = |name: &str| row[name].as_str().unwrap_or_default().to_owned();
        let number = |name: &str| row[name].as_u64().expect("a number");
        Row {
            step: number("step"),
            address: number("address"),
            place: word("place"),
            instruction: word("instruction"),
            cycles: number("cycles"),
            did: word("did"),
        }
    };
    text.lines().map(row).collect()
}

/// What all commands of a case have in common: the program, its time, where it ends at the latest, and what it is given.
fn common(program: &str, given: &str) -> String {
    format!("{program} --clock virtual --steps 4000 {given}")
}

fn ask(folder: &Path, program: &str, given: &str, spans: &str) -> Asked {
    let files = "--trail all.jsonl --tally tally.json --coverage lines.info --state state.json";
    let came = run(folder, &format!("run {} {files} {spans}", common(program, given)), "");
    assert!(matches!(came.status, Some(status) if !matches!(status, 101 | 110 | 111)), "{}", came.told);
    let rows = rows(&text(folder, "all.jsonl"));
    Asked {
        rows,
        tally: json(folder, "tally.json"),
        coverage: text(folder, "lines.info"),
        state: json(folder, "state.json"),
    }
}

/// What the tally and the state sum up.
fn sums(asked: &Asked) {
    let Asked { rows, tally, state, .. } = asked;
    let cycles: u64 = rows.iter().map(|row| row.cycles).sum();
    for told in [tally, state] {
        assert_eq!(told["cycles"].as_u64(), Some(cycles));
    }
    assert_eq!(state["steps"].as_u64(), Some(rows.len() as u64));
    assert_eq!((tally["from"].as_u64(), tally["to"].as_u64()), (Some(0), Some(rows.len() as u64)));
    // How often each place was carried out: not where an interrupt or a trap came instead.
    let mut times: BTreeMap<u64, u64> = BTreeMap::new();
    let is_done = |row: &&Row| !row.is_interrupt() && (!row.is_trap() || row.instruction.starts_with("sys"));
    for row in rows.iter().filter(is_done) {
        *times.entry(row.address).or_default() += 1;
    }
    let mut told: BTreeMap<u64, u64> = BTreeMap::new();
    for place in tally["places"].as_array().expect("a list") {
        let number = |name: &str| place[name].as_u64().unwrap_or(0);
        *told.entry(number("address")).or_default() += number("times");
    }
    told.retain(|_, times| *times > 0);
    assert_eq!(told, times, "how often each place was carried out");
    let by_kind: u64 =
        tally["kinds"].as_array().expect("a list").iter().filter_map(|kind| kind["times"].as_u64()).sum();
    assert_eq!(by_kind, times.values().sum::<u64>(), "all kinds together");
    // What was left in registers is what was last written there.
    let mut last: BTreeMap<String, u64> = BTreeMap::new();
    last.extend(rows.iter().flat_map(Row::values));
    for (name, value) in state["registers"].as_object().expect("by name").iter().filter(|(name, _)| *name != "sp") {
        assert_eq!(value.as_u64(), last.get(name).copied(), "{name} at the end");
    }
}

/// Lines that ran, by the coverage, and how often the first instruction of each was come to.
fn lines(asked: &Asked) {
    let mut file = "";
    let mut firsts: BTreeMap<&str, u64> = BTreeMap::new();
    for row in &asked.rows {
        let first = firsts.entry(&row.place).or_insert(row.address);
        *first = (*first).min(row.address);
    }
    let mut seen = 0;
    for line in asked.coverage.lines() {
        // Editors want the whole path of a file, people the name it has in its project.
        if let Some(name) = line.strip_prefix("SF:") {
            let named = |place: &&&str| place.rsplit_once(':').is_some_and(|(place, _)| name.ends_with(place));
            file = firsts.keys().find(named).and_then(|place| place.rsplit_once(':')).map_or(name, |(place, _)| place);
        }
        let Some((number, times)) = line.strip_prefix("DA:").and_then(|told| told.split_once(',')) else { continue };
        let place = format!("{file}:{number}");
        let times: u64 = times.parse().expect("a count");
        let Some(first) = firsts.get(place.as_str()) else {
            // A line that was come to and failed has no row.
            assert!(times <= 1, "{place} never ran: {times}");
            continue;
        };
        let came = asked.rows.iter().filter(|row| row.place == place && row.address == *first && !row.is_interrupt());
        let failed = u64::from(asked.state["stop"]["kind"] == "fault" && asked.state["pc"].as_u64() == Some(*first));
        assert_eq!(times, came.count() as u64 + failed, "{place}");
        seen += 1;
    }
    assert!(seen > 2, "there are lines");
}

/// Stops, told by `--each`, by the filtered trail in all its forms, and by the rows.
fn stops(folder: &Path, program: &str, given: &str, asked: &Asked) {
    let common = common(program, given);
    let met = |stop: &str| {
        let stop = shlex::try_quote(stop).expect("no NUL");
        let came = run(folder, &format!("run {common} --trail-only {stop} --trail some.jsonl"), "");
        assert!(came.status != Some(110), "{stop}: {}", came.told);
        let json: Vec<u64> = rows(&text(folder, "some.jsonl")).iter().map(|row| row.step).collect();
        for (ending, separator) in [("txt", None), ("csv", Some(','))] {
            run(folder, &format!("run {common} --trail-only {stop} --trail some.{ending}"), "");
            let told = text(folder, &format!("some.{ending}"));
            let first = |line: &str| match separator {
                Some(sign) => line.split(sign).next().unwrap_or_default().parse().ok(),
                None => line.split_whitespace().next().and_then(|word| word.parse::<u64>().ok()),
            };
            assert_eq!(told.lines().filter_map(first).collect::<Vec<_>>(), json, "{stop} as {ending}");
        }
        json
    };
    // Places: the steps that begin at them and are no interrupts.
    let all: BTreeSet<u64> = asked.rows.iter().map(|row| row.address).collect();
    let end = asked.rows.len() as u64;
    for address in all.iter().take(3).chain(all.iter().rev().take(2)) {
        let stop = format!("0x{address:X}");
        let wanted: Vec<u64> = asked
            .rows
            .iter()
            .filter(|row| row.address == *address && !row.is_interrupt())
            .map(|row| row.step)
            .collect();
        assert_eq!(met(&stop), wanted, "{stop}");
        let told: Vec<u64> = steps(folder, &common, &stop).into_iter().filter(|step| *step < end).collect();
        // Whoever goes on from the first moment has been there.
        assert_eq!(told, wanted, "--each {stop}");
    }
    // Kinds: rows whose instruction begins so.
    for name in ["push", "cmp", "call"] {
        let begins = |row: &&Row| row.instruction.split(' ').next() == Some(name) && !row.is_interrupt();
        let wanted: Vec<u64> = asked.rows.iter().filter(begins).map(|row| row.step).collect();
        assert_eq!(met(&format!("op {name}")), wanted, "op {name}");
    }
    let interrupts: Vec<u64> = asked.rows.iter().filter(|row| row.is_interrupt()).map(|row| row.step).collect();
    assert_eq!(met("interrupt"), interrupts);
    // Changes of a register: rows in which its value became another one.
    let mut value = None;
    let mut wanted = Vec::new();
    for row in &asked.rows {
        let values = row.values().into_iter().filter(|(name, _)| name == "r1").map(|(_, value)| value);
        let mut changed = false;
        for new in values {
            changed |= value.unwrap_or(0) != new;
            value = Some(new);
        }
        wanted.extend(changed.then_some(row.step));
    }
    assert_eq!(met("change r1"), wanted, "change r1");
}

/// Registers at chosen moments, by `--until`, and over the whole run, as a dump of changes.
fn values(folder: &Path, program: &str, given: &str, asked: &Asked) {
    let common = common(program, given);
    let end = asked.rows.len() as u64;
    for moment in [1, end / 3, end / 2, end - 1] {
        let came =
            run(folder, &format!("run {common} --until '{moment} steps' --show registers --json --shows at.jsonl"), "");
        assert_eq!(came.status, Some(0), "{}", came.told);
        let told: Value = serde_json::from_str(text(folder, "at.jsonl").lines().next().expect("a line")).expect("JSON");
        assert_eq!(told["step"].as_u64(), Some(moment));
        let mut known: BTreeMap<String, u64> = BTreeMap::new();
        let before = asked.rows.iter().take_while(|row| row.step < moment);
        known.extend(before.flat_map(Row::values));
        for (name, value) in told["shows"]["registers"].as_object().expect("by name") {
            if name != "sp" || known.contains_key(name) {
                assert_eq!(value.as_u64(), known.get(name).copied(), "{name} at {moment}");
            }
        }
    }
    let came = run(folder, &format!("draw run {common} --of r1 -o r1.vcd"), "");
    // It tells how the run ended that it is of.
    assert!(!matches!(came.status, None | Some(101 | 110 | 111)), "{}", came.told);
    let mut now = 0;
    let mut dumped: Vec<(u64, u64)> = Vec::new();
    for line in text(folder, "r1.vcd").lines() {
        if let Some(time) = line.strip_prefix('#') {
            now = time.parse().expect("a time");
        } else if let Some(bits) = line.strip_prefix('b') {
            let bits = bits.split(' ').next().unwrap_or_default();
            dumped.push((now, u64::from_str_radix(bits, 2).expect("bits")));
        }
    }
    let mut wanted: Vec<(u64, u64)> = vec![(0, 0)];
    for row in &asked.rows {
        for (_, value) in row.values().into_iter().filter(|(name, _)| name == "r1") {
            if wanted.last().is_some_and(|last| last.1 != value) {
                // A value is there at the moment behind the step.
                wanted.push((row.step + 1, value));
            }
        }
    }
    assert_eq!(dumped, wanted, "r1 over time");
}

/// A passage from one address to another, counted by arrivals in the rows.
fn passages(folder: &Path, program: &str, given: &str, asked: &Asked) {
    let mut often: BTreeMap<u64, u64> = BTreeMap::new();
    asked.rows.iter().filter(|row| !row.is_interrupt()).for_each(|row| *often.entry(row.address).or_default() += 1);
    let mut by_times: Vec<(u64, u64)> = often.iter().map(|(address, times)| (*times, *address)).collect();
    by_times.sort_unstable();
    let (from, to) = (by_times[by_times.len() - 1].1, by_times[by_times.len() / 2].1);
    let span = format!("--span '0x{from:X} to 0x{to:X}'");
    let again = ask(folder, program, given, &span);
    let (mut open, mut lengths) = (None, Vec::new());
    for row in asked.rows.iter().filter(|row| !row.is_interrupt()) {
        if row.address == to {
            lengths.extend(open.take().map(|since: u64| row.step - since));
        }
        if row.address == from && open.is_none() {
            open = Some(row.step);
        }
    }
    // The moment a run was ended at has no row: what arrives there may end a passage.
    let at_end = u64::from(open.is_some() && again.state["pc"].as_u64() == Some(to));
    let told = &again.tally["spans"][0];
    let times = told["times"].as_u64().expect("a number");
    let all = lengths.len() as u64;
    assert!((all..=all + at_end).contains(&times), "{span}: {all} and not {told}");
    if times == all && all > 0 {
        lengths.sort_unstable();
        // The least, the middle and most of them, and the greatest.
        let steps: Vec<u64> = told["steps"].as_array().expect("a list").iter().filter_map(Value::as_u64).collect();
        assert_eq!(steps.first(), lengths.first(), "{span}: {told}");
        assert_eq!(steps.last(), lengths.last(), "{span}: {told}");
    }
}

fn all(folder: &Path, program: &str, given: &str) {
    let asked = ask(folder, program, given, "");
    assert!(asked.rows.len() > 5, "it runs");
    for (row, step) in asked.rows.iter().zip(0..) {
        assert_eq!(row.step, step, "no row is missing");
    }
    sums(&asked);
    lines(&asked);
    stops(folder, program, given, &asked);
    values(folder, program, given, &asked);
    passages(folder, program, given, &asked);
}

/// Recursion, a loop that rewrites an instruction of its own, an interrupt at nearly every step, and a fault that is
/// handled.
const MIXED: &str = "\
start:  mov   r0, tick
        stw   [16], r0
        mov   r0, wrong
        stw   [2], r0
        mov   r0, 37
        stw   [0xFF22], r0
        mov   r0, 3
        stw   [0xFF24], r0
        ei
        mov   r4, 6
round:  mov   r1, r4
        call  sum
patch:  add   r3, 1
        ldw   r2, [patch]
        xor   r2, 1
        stw   [patch], r2
        clr   r2
        div   r1, r2
        djnz  r4, round
        di
        mov   r0, r3
        sys   put_int
        sys   exit
sum:    cmp   r1, 0
        jeq   nothing
        push  r1
        dec   r1
        call  sum
        pop   r2
        add   r1, r2
nothing: ret
tick:   push  r1
        mov   r1, 7
        stw   [0xFF24], r1
        inc   r5
        pop   r1
        reti
wrong:  ldw   r6, [sp + 0]
        add   r6, 2
        stw   [sp + 0], r6
        reti
";

#[test]
fn programs_that_call_fail_rewrite_themselves_and_are_interrupted_are_told_alike() {
    let folder = folder(&[("mixed.asm", MIXED)]);
    all(folder.path(), "mixed.asm", "");
}

#[test]
fn demos_are_told_alike() {
    let demos = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
    let demos = demos.canonicalize().expect("they are there");
    let folder = folder(&[("loads", "185\n212\n97\n0\n")]);
    for (program, given) in
        [("weighbridge/weighbridge.asm", "--input loads"), ("sidings", ""), ("derailed/handler.asm", "")]
    {
        let program = demos.join(program);
        all(folder.path(), program.to_str().expect("a plain path"), given);
    }
}

/// Lines of small programs; `{d}` and `{s}` are registers, `{n}` a number, `{l}` the number of a line.
const LINES: [&str; 14] = [
    "mov r{d}, {n}",
    "add r{d}, r{s}",
    "sub r{d}, {n}",
    "inc r{d}",
    "cmp r{d}, r{s}",
    "jz l{l}",
    "jltu l{l}",
    "djnz r{d}, l{l}",
    "call l{l}",
    "ret",
    "push r{d}",
    "pop r{d}",
    "stw [data + 2], r{s}",
    "div r{d}, r{s}",
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 6, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn any_program_is_told_alike(
        lines in proptest::collection::vec((0..LINES.len(), 0u8..5, 0u8..5, 0u16..9, 0usize..60), 6..24),
        period in 11u16..90,
    ) {
        let mut text = format!(
            "start: mov r0, tick\n stw [16], r0\n stw [2], r0\n mov r0, {period}\n stw [0xFF22], r0\n mov r0, 3\n \
             stw [0xFF24], r0\n ei\n"
        );
        for (index, (line, d, s, n, l)) in lines.iter().enumerate() {
            let line = LINES[*line].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
            let line = line.replace("{n}", &n.to_string()).replace("{l}", &(l % lines.len()).to_string());
            text.push_str(&format!("l{index}: {line}\n"));
        }
        text.push_str(" sys exit\ntick: push r1\n mov r1, 7\n stw [0xFF24], r1\n pop r1\n reti\n.data\ndata: .space 8, 0\n");
        let folder = folder(&[("any.asm", &text)]);
        all(folder.path(), "any.asm", "");
    }
}
