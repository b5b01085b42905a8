//! How fast programs run, by kind of work, beside the same work compiled natively in the same run, and, with the feature
//! `interpreter`, beside a portable interpreter of an open code format doing it.
//!
//! `cargo bench -p wendax-yardstick` prints a table; `-- NAME` the rows whose name has that in it. Each figure is the median of
//! nine, taken in turn with its references, since the speed of a processor that others use too drifts.

#![expect(clippy::cast_precision_loss, clippy::print_stdout, reason = "figures for people to read")]

#[cfg(feature = "interpreter")]
mod interpreter;
#[path = "../../../crates/wendax/benches/shared/work.rs"]
mod work;
mod works;

use std::hint::black_box;
use wendax_machine::{Addr, Counting, Machine, Run, Settings, StepNo};
use work::{Nothing, image, middle, seconds};
use works::{Store, Work, works};

/// How often a program comes to its label `again` in so many steps.
fn rounds(image: &wendax_image::Image, steps: u64) -> u64 {
    let again = image.symbol("again").and_then(|symbol| u32::try_from(symbol.value).ok()).expect("it has that label");
    let mut machine = Machine::new(image, Settings::default());
    machine.set_breakpoints(&[Addr(again)]);
    let mut rounds = 0;
    while machine.steps() < StepNo(steps) {
        machine.run(Run::until(StepNo(steps)));
        rounds += 1;
    }
    rounds
}

/// The times of a run that is told to an observer, and of one that is counted, beside that of a blind one.
fn looked_at() {
    const STEPS: u64 = 10_000_000;
    for work in works().iter().filter(|work| ["sort", "memory", "rv32 sort"].contains(&work.name)) {
        let image = image(&work.text);
        let mut ratios = [const { Vec::new() }; 2];
        let mut rates = [const { Vec::new() }; 2];
        for _ in 0..9 {
            let time = |run: &mut dyn FnMut(&mut Machine)| {
                let mut machine = Machine::new(&image, Settings::default());
                seconds(|| run(&mut machine))
            };
            let blind = time(&mut |machine| {
                black_box(machine.run(Run::until(StepNo(STEPS))));
            });
            let told = time(&mut |machine| {
                black_box(machine.run_observed(Run::until(StepNo(STEPS)), &mut Nothing));
            });
            let counted = time(&mut |machine| {
                let mut counting = Counting::new(machine);
                black_box(machine.run_counted(Run::until(StepNo(STEPS)), &mut counting));
            });
            for (at, time) in [told, counted].into_iter().enumerate() {
                ratios[at].push(time / blind);
                rates[at].push(STEPS as f64 / time / 1e6);
            }
        }
        let [told, counted] = ratios.map(middle);
        let [told_rate, counted_rate] = rates.map(middle);
        println!(
            "{:<10} told {told_rate:>4.0} million steps a second, {told:.1} times the time of blind; counted {counted_rate:.0}, {counted:.1}",
            work.name
        );
    }
}

/// What the processor is called, where the system tells.
fn processor() -> String {
    let all = std::fs::read_to_string("/proc/cpuinfo").unwrap_or_default();
    let name = all.lines().find_map(|line| line.strip_prefix("model name"));
    name.map_or_else(|| "a processor without a name".to_owned(), |name| name.trim_matches([' ', '\t', ':']).to_owned())
}

/// A ratio in the middle of several, with the least and the greatest.
fn spread(mut ratios: Vec<f64>) -> String {
    ratios.sort_by(f64::total_cmp);
    let [least, .., greatest] = ratios[..] else { return String::new() };
    format!("{:.1} ({least:.1} to {greatest:.1})", ratios[ratios.len() / 2])
}

/// The row of a work in the table.
fn row(work: &Work) -> String {
    const STEPS: u64 = 50_000_000;
    let image = image(&work.text);
    let rounds = rounds(&image, STEPS);
    let (mut ratios, mut rates) = (Vec::new(), Vec::new());
    #[cfg(feature = "interpreter")]
    let (mut portable, mut portables) = (interpreter::Portable::new(), Vec::new());
    for _ in 0..9 {
        let mut store = Box::new(Store::default());
        let mut done = 0;
        let native = seconds(|| (0..rounds).for_each(|_| done = (work.native)(black_box(&mut store))));
        let mut machine = Machine::new(&image, Settings::default());
        let time = seconds(|| {
            black_box(machine.run(Run::until(StepNo(STEPS))));
        });
        assert_eq!(machine.steps(), StepNo(STEPS), "it runs on");
        ratios.push(time / native);
        rates.push(STEPS as f64 / time / 1e6);
        #[cfg(feature = "interpreter")]
        {
            let mut shown = 0;
            portables.push(seconds(|| shown = portable.run(work.portable, rounds)) / native);
            assert_eq!(shown, done, "{}: the references do the same", work.name);
        }
        black_box(done);
    }
    let row = format!("| {} | {:.0} | {} |", work.name, middle(rates), spread(ratios));
    #[cfg(feature = "interpreter")]
    return format!("{row} {} |", spread(portables));
    #[cfg(not(feature = "interpreter"))]
    row
}

fn main() {
    let wanted = std::env::args().nth(1).filter(|word| !word.starts_with('-')).unwrap_or_default();
    let works: Vec<Work> = works().into_iter().filter(|work| work.name.contains(&wanted)).collect();
    if !works.is_empty() {
        let (portable, rule) =
            if cfg!(feature = "interpreter") { (" a portable interpreter |", "---|") } else { ("", "") };
        println!("{}\n", processor());
        println!("| work | million steps a second | times the time of native code |{portable}\n|---|---|---|{rule}");
    }
    for work in works {
        println!("{}", row(&work));
    }
    if "looked at".contains(&wanted) {
        println!();
        looked_at();
    }
}
