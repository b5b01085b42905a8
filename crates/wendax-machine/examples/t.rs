//! x
use wendax_machine::*;
fn main() {
    let p = std::env::args().nth(1).unwrap();
    let (s, f) = wendax_source::Sources::single(p.clone(), std::fs::read_to_string(&p).unwrap());
    let a = wendax_asm::assemble(&s, f);
    let mut m = Machine::new(&a.image, Settings::default());
    m.feed(&Event::Typed(b"120\n99\n0x10\nx\n0\n".to_vec()));
    let t = std::time::Instant::now();
    let stop = m.run(Run { until: 300_000_000, depth: None });
    println!(
        "{:?} steps {} cycles {} out {} {:?}",
        stop,
        m.steps(),
        m.cycles(),
        String::from_utf8_lossy(&m.take_output()),
        t.elapsed()
    );
    println!("{:.1} M/s", m.steps() as f64 / t.elapsed().as_secs_f64() / 1e6);
}
