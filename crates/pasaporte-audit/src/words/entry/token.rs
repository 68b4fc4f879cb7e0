//! What is told of verifiers.

use pasaporte_core::estate::{FunctionId, VerifierId};

use crate::Audit;
use crate::rules::entry::token::{Weakness, weaknesses, worst_of};
use crate::words::Told;
use crate::words::phrases::{capitalised, listed, with_what};

pub(super) fn tell(audit: &Audit<'_>, id: VerifierId, functions: &[FunctionId]) -> Option<Told> {
    let estate = audit.estate();
    let verifier = estate.get(id)?;
    let weak = weaknesses(audit, verifier);
    let all = |of: fn(&Weakness) -> &'static str| {
        let texts: Vec<String> = weak.iter().map(|it| of(it).to_owned()).collect();
        listed(&texts)
    };
    let names: Vec<String> =
        functions.iter().map(|function| format!("function:{}", estate.id(*function))).collect();
    let with_what = worst_of(audit, functions).map_or_else(String::new, |worst| with_what(audit, worst));
    let told =
        Told::new(format!("{}. It guards {}.{with_what}", capitalised(&all(|it| it.what)), listed(&names)))
            .fix(format!("In verifier:{}, {}.", estate.id(id), all(|it| it.mend)));
    Some(told.at(verifier.origin, "the verifier"))
}
