//! The same work done three ways in one run: natively, by the W16 engine, and by a portable interpreter of WebAssembly.
//!
//! `cargo run --release --manifest-path reference/Cargo.toml` prints a line. The work is that of the row `sort` of
//! `cargo bench --bench engine`: sixteen numbers made by a product and a sum, and put in order by inserting one after the
//! other; each way does as many rounds of it as the engine does in fifty million steps.

#[path = "../../crates/wendax/benches/shared/work.rs"]
#[allow(dead_code, reason = "it is shared with other benchmarks")]
mod work;

use std::hint::black_box;
use wasmi::{Engine, Instance, Module, Store, TypedFunc};
use wendax_machine::{Addr, Machine, Run, Settings, StepNo};
use work::{SORT, image, middle, seconds};

const STEPS: u64 = 50_000_000;

/// So many rounds of the sort; memory from 0 on is the list, of words of two bytes. Tells a sum of what is there at the end.
const TEXT: &str = r#"(module
  (memory 1)
  (func (export "rounds") (param $rounds i32) (result i32)
    (local $seed i32) (local $at i32) (local $place i32) (local $weight i32) (local $other i32) (local $sum i32)
    (loop $round
      (local.set $at (i32.const 0))
      (loop $fill
        (local.set $seed (i32.and (i32.const 0xFFFF)
          (i32.add (i32.mul (local.get $seed) (i32.const 40503)) (i32.const 12345))))
        (i32.store16 (local.get $at) (local.get $seed))
        (local.set $at (i32.add (local.get $at) (i32.const 2)))
        (br_if $fill (i32.lt_u (local.get $at) (i32.const 32))))
      (local.set $at (i32.const 2))
      (loop $next
        (local.set $weight (i32.load16_u (local.get $at)))
        (local.set $place (local.get $at))
        (block $found
          (loop $shift
            (br_if $found (i32.eqz (local.get $place)))
            (local.set $other (i32.load16_u (i32.sub (local.get $place) (i32.const 2))))
            (br_if $found (i32.le_u (local.get $other) (local.get $weight)))
            (i32.store16 (local.get $place) (local.get $other))
            (local.set $place (i32.sub (local.get $place) (i32.const 2)))
            (br $shift)))
        (i32.store16 (local.get $place) (local.get $weight))
        (local.set $at (i32.add (local.get $at) (i32.const 2)))
        (br_if $next (i32.lt_u (local.get $at) (i32.const 32))))
      (local.set $sum (i32.add (local.get $sum) (i32.load16_u (i32.const 16))))
      (local.set $rounds (i32.sub (local.get $rounds) (i32.const 1)))
      (br_if $round (local.get $rounds)))
    (local.get $sum)))"#;

fn native(rounds: u32) -> u32 {
    let (mut seed, mut wagons, mut sum) = (0u16, [0u16; 16], 0u32);
    for _ in 0..rounds {
        for wagon in &mut wagons {
            seed = seed.wrapping_mul(40503).wrapping_add(12345);
            *wagon = seed;
        }
        for at in 1..16 {
            let weight = wagons[at];
            let mut place = at;
            while place > 0 && black_box(wagons[place - 1]) > weight {
                wagons[place] = wagons[place - 1];
                place -= 1;
            }
            wagons[place] = weight;
        }
        sum = sum.wrapping_add(u32::from(black_box(wagons)[8]));
    }
    sum
}

/// Rounds of the sort in so many steps.
fn rounds(image: &wendax_image::Image) -> u32 {
    let again = image.symbol("again").and_then(|symbol| u32::try_from(symbol.value).ok()).expect("it has that label");
    let mut machine = Machine::new(image, Settings::default());
    machine.set_breakpoints(&[Addr(again)]);
    let mut rounds = 0;
    while machine.steps() < StepNo(STEPS) {
        machine.run(Run::until(StepNo(STEPS)));
        rounds += 1;
    }
    rounds
}

fn main() {
    let engine = Engine::default();
    let module = Module::new(&engine, TEXT).expect("it is a module");
    let mut store = Store::new(&engine, ());
    let instance = Instance::new(&mut store, &module, &[]).expect("it needs nothing");
    let interpreted: TypedFunc<i32, i32> = instance.get_typed_func(&store, "rounds").expect("it is there");
    let image = image(SORT);
    let rounds = rounds(&image);
    let sum = interpreted.call(&mut store, rounds.cast_signed()).expect("it ends");
    assert_eq!(sum.cast_unsigned(), native(rounds), "all do the same");
    let (mut ours, mut others) = (Vec::new(), Vec::new());
    for _ in 0..9 {
        let bare = seconds(|| _ = black_box(native(black_box(rounds))));
        let mut machine = Machine::new(&image, Settings::default());
        ours.push(seconds(|| _ = black_box(machine.run(Run::until(StepNo(STEPS))))) / bare);
        others.push(seconds(|| _ = black_box(interpreted.call(&mut store, rounds.cast_signed()))) / bare);
    }
    let [ours, others] = [ours, others].map(middle);
    println!("the sort: W16 {ours:.1} times native, a portable interpreter of WebAssembly {others:.1} times");
}
