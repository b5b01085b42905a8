//! x
fn main() {
    let p = std::env::args().nth(1).unwrap();
    let (s, f) = wendax_source::Sources::single(p.clone(), std::fs::read_to_string(&p).unwrap());
    let a = wendax_asm::assemble(&s, f);
    print!("{}", wendax_source::render_all(&s, &a.diagnostics, wendax_source::Style::Plain));
    if a.is_runnable() {
        print!("{}", wendax_asm::listing(s.file(f), &a.image));
    }
}
