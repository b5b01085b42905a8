//! The work of `works.wat`, done by a portable interpreter of an open code format.

use wasmi::{Engine, Linker, Module, Store, TypedFunc};

/// The interpreter, ready to work.
pub(crate) struct Portable {
    store: Store<()>,
    instance: wasmi::Instance,
}

impl Portable {
    pub(crate) fn new() -> Self {
        let engine = Engine::default();
        let module = Module::new(&engine, include_str!("works.wat")).expect("it is a module");
        let mut store = Store::new(&engine, ());
        let instance = Linker::new(&engine).instantiate_and_start(&mut store, &module).expect("it needs nothing");
        Self { store, instance }
    }

    /// Does so many rounds of a work, and gives what shows that they were done.
    pub(crate) fn run(&mut self, work: &str, rounds: u64) -> u32 {
        let rounds = u32::try_from(rounds).expect("few rounds");
        let routine: TypedFunc<u32, u32> =
            self.instance.get_typed_func(&self.store, work).expect("it has that routine");
        routine.call(&mut self.store, rounds).expect("it ends")
    }
}
