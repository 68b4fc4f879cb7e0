//! What goes wrong, by plan: which requests fail, and how.

use std::collections::HashMap;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

/// A plan of faults: shares of all requests, in percent.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Faults {
    /// Answered with 500 or 503.
    pub errors: u8,
    /// Answered with 429 and a time to wait.
    pub throttled: u8,
    /// Cut off in the middle of the answer.
    pub cut: u8,
    /// Answered late, by this many milliseconds.
    pub slow: Option<(u8, u64)>,
    /// Whether each list changes while it is read for the first time.
    pub shifting: bool,
    /// After how many requests a token is no longer accepted.
    pub lease: Option<u64>,
    /// What chance begins with.
    pub seed: u64,
}

/// What happens to a request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fate {
    Answered,
    Failed(u16),
    Throttled,
    Cut,
    Late(Duration),
}

/// How often in a row a request goes wrong at most: who asks again gets through.
const MOST_IN_A_ROW: u32 = 2;

/// Draws fates, in the order of requests.
#[derive(Debug, Default)]
pub(crate) struct Chance {
    drawn: AtomicU64,
    /// How often each request has gone wrong since it was last answered.
    in_a_row: Mutex<HashMap<String, u32>>,
}

impl Chance {
    /// The fate of a request to an address.
    pub(crate) fn of(&self, plan: &Faults, address: &str) -> Fate {
        let fate = self.draw(plan);
        if fate == Fate::Answered {
            return fate;
        }
        let mut in_a_row = self.in_a_row.lock().expect("nobody panics while holding it");
        let count = in_a_row.entry(address.to_owned()).or_default();
        *count += 1;
        if *count <= MOST_IN_A_ROW {
            return fate;
        }
        *count = 0;
        Fate::Answered
    }

    fn draw(&self, plan: &Faults) -> Fate {
        let number = self.drawn.fetch_add(1, Ordering::Relaxed);
        let mut rng = fastrand::Rng::with_seed(plan.seed.wrapping_mul(0x9e37_79b9).wrapping_add(number));
        let drawn = u16::from(rng.u8(0..100));
        let mut below = 0;
        let mut within = |share: u8| {
            below += u16::from(share);
            drawn < below
        };
        if within(plan.errors) {
            return Fate::Failed(if rng.bool() { 500 } else { 503 });
        }
        if within(plan.throttled) {
            return Fate::Throttled;
        }
        if within(plan.cut) {
            return Fate::Cut;
        }
        match plan.slow {
            Some((share, late)) if within(share) => Fate::Late(Duration::from_millis(late)),
            _ => Fate::Answered,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_asks_again_gets_through() {
        let plan = Faults { errors: 100, ..Faults::default() };
        let chance = Chance::default();
        let fates: Vec<bool> = (0..6).map(|_| chance.of(&plan, "/a") == Fate::Answered).collect();
        assert_eq!(fates, [false, false, true, false, false, true]);
    }

    #[test]
    fn shares_are_about_what_the_plan_says() {
        let plan = Faults { errors: 10, throttled: 20, cut: 5, slow: Some((5, 1)), ..Faults::default() };
        let chance = Chance::default();
        let fates: Vec<Fate> = (0..10_000).map(|_| chance.draw(&plan)).collect();
        let share = |is: fn(&Fate) -> bool| fates.iter().filter(|fate| is(fate)).count() / 100;
        assert!((9..=11).contains(&share(|fate| matches!(fate, Fate::Failed(_)))));
        assert!((18..=22).contains(&share(|fate| *fate == Fate::Throttled)));
        assert!((4..=6).contains(&share(|fate| *fate == Fate::Cut)));
        assert!((4..=6).contains(&share(|fate| matches!(fate, Fate::Late(_)))));
    }
}
