//! Room for programs of adapters: values are as deep as a program makes them, and are taken apart level by level.

use std::sync::LazyLock;
use std::thread::{Builder, Scope, ScopedJoinHandle};

use jaq_json::Val;
use rayon::{ThreadPool, ThreadPoolBuilder};

/// The stack of a thread that runs programs. Only what is used of it takes memory.
const SIZE: usize = 256 << 20;
/// How deep a value may be that a program gives; what an estate is written in is less deep.
const DEEPEST: usize = 127;

/// Begins a thread that has room.
pub(crate) fn spawn<'s, T: Send + 's>(
    scope: &'s Scope<'s, '_>,
    work: impl FnOnce() -> T + Send + 's,
) -> ScopedJoinHandle<'s, T> {
    Builder::new().stack_size(SIZE).spawn_scoped(scope, work).expect("the system has room for a thread")
}

/// Does something where there is room.
pub(crate) fn alone<T: Send>(work: impl FnOnce() -> T + Send) -> T {
    std::thread::scope(|scope| spawn(scope, work).join().expect("it does not panic"))
}

/// Does something on several threads that have room.
pub(crate) fn side_by_side<T: Send>(work: impl FnOnce() -> T + Send) -> T {
    static POOL: LazyLock<Option<ThreadPool>> =
        LazyLock::new(|| ThreadPoolBuilder::new().stack_size(SIZE).build().ok());
    match &*POOL {
        Some(pool) => pool.install(work),
        None => work(),
    }
}

/// A value, unless it is too deep for what is done with values.
pub(crate) fn not_too_deep(value: Val) -> Result<Val, String> {
    let mut level = below(&value);
    for _ in 0..DEEPEST {
        if level.is_empty() {
            return Ok(value);
        }
        level = level.into_iter().flat_map(below).collect();
    }
    // Taking it apart would go as deep as it is.
    std::mem::forget(value);
    Err(format!("gives a value of more than {DEEPEST} levels"))
}

/// The values right within a value.
fn below(value: &Val) -> Vec<&Val> {
    match value {
        Val::Arr(all) => all.iter().collect(),
        Val::Obj(all) => all.iter().flat_map(|(key, value)| [key, value]).collect(),
        _ => Vec::new(),
    }
}
