//! Two things that have nothing to do with each other, done at once where that is quicker.

/// So many lines of a program take longer than it takes to begin another thread.
const WORTH: usize = 5_000;

/// Does both, at once for a program of many lines. Where the system gives no other thread they are done one after the other.
pub(crate) fn both<A: Send, B>(lines: usize, one: impl Fn() -> A + Sync, other: impl FnOnce() -> B) -> (A, B) {
    if lines < WORTH {
        return (one(), other());
    }
    std::thread::scope(|scope| {
        let begun = std::thread::Builder::new().spawn_scoped(scope, &one);
        let other = other();
        let one = match begun {
            Ok(thread) => thread.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)),
            Err(_) => one(),
        };
        (one, other)
    })
}
