//! What goes wrong, by plan: which requests fail, and how.

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

/// Draws fates, in the order of requests.
#[derive(Debug, Default)]
pub(crate) struct Chance(AtomicU64);

impl Chance {
    pub(crate) fn draw(&self, plan: &Faults) -> Fate {
        let number = self.0.fetch_add(1, Ordering::Relaxed);
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
