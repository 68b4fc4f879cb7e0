//! Six made-up platforms, served on this machine, with the sample world of Marivela Ferries in them.
//!
//! Each talks in its own way, and none as any platform there is: names, nesting, ids, sign-in, paging and errors
//! are inventions. What they are for is collecting from something that answers over real sockets, and that fails
//! in all the ways in which platforms fail.

mod door;
mod faults;
mod logs;
mod openapi;
mod platform;
mod serve;
mod world;

pub use door::{Asks, Door};
pub use faults::Faults;
pub use logs::{END as SAMPLE_END, SAMPLE_SEAL, SEALED, sample_logs, sample_value};
pub use serve::{CLIENT, Options, Running, names, start};

#[cfg(test)]
mod tests {
    use super::platform;
    use super::world::World;

    /// Whether a path is one that a pattern with `{name}` steps describes.
    fn describes(pattern: &str, path: &str) -> bool {
        let (pattern, path): (Vec<&str>, Vec<&str>) =
            (pattern.split('/').collect(), path.split('/').collect());
        pattern.len() == path.len()
            && pattern.iter().zip(&path).all(|(step, at)| step.starts_with('{') || step == at)
    }

    #[test]
    fn every_list_is_in_the_contract_and_every_path_of_it_has_a_list() {
        let served = super::logs::all(super::SAMPLE_END, std::collections::HashMap::default());
        for (of, path) in served.keys() {
            let platform = platform::ALL.iter().find(|platform| platform.name == *of).unwrap();
            assert!(platform.logs.iter().any(|it| describes(it, path)), "{of} {path}");
        }
        for platform in platform::ALL {
            let world = World::new(platform, 0, false);
            for path in world.paths() {
                assert!(platform.paths.iter().any(|it| describes(it, path)), "{} {path}", platform.name);
            }
            for pattern in platform.logs {
                let log = served.keys().any(|(of, path)| *of == platform.name && describes(pattern, path));
                assert!(log, "{} {pattern}", platform.name);
            }
            for pattern in platform.paths {
                assert!(world.paths().any(|path| describes(pattern, path)), "{} {pattern}", platform.name);
            }
        }
    }
}
