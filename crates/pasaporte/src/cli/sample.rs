//! The sample estate of Marivela Ferries, which the program carries with it.

use std::path::Path;

use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::text::{Form, Source};

use super::Stop;
use crate::session::Session;
use crate::view;

/// The files of the sample estate, by name.
pub(super) const FILES: &[(&str, &str)] = &[
    ("company.yaml", include_str!("../../../../demo/company.yaml")),
    ("contracts/front-door.yaml", include_str!("../../../../demo/contracts/front-door.yaml")),
    ("declared/tickets.yaml", include_str!("../../../../demo/declared/tickets.yaml")),
    ("gregal.catalogue.yaml", include_str!("../../../../demo/gregal.catalogue.yaml")),
    ("gregal.yaml", include_str!("../../../../demo/gregal.yaml")),
    ("keys.ndjson", include_str!("../../../../demo/keys.ndjson")),
    ("knocks.ndjson", include_str!("../../../../demo/knocks.ndjson")),
    ("lebeche.catalogue.yaml", include_str!("../../../../demo/lebeche.catalogue.yaml")),
    ("lebeche.yaml", include_str!("../../../../demo/lebeche.yaml")),
    ("levante.catalogue.yaml", include_str!("../../../../demo/levante.catalogue.yaml")),
    ("levante.yaml", include_str!("../../../../demo/levante.yaml")),
    ("poniente.catalogue.yaml", include_str!("../../../../demo/poniente.catalogue.yaml")),
    ("poniente.yaml", include_str!("../../../../demo/poniente.yaml")),
    ("siroco.catalogue.yaml", include_str!("../../../../demo/siroco.catalogue.yaml")),
    ("siroco.yaml", include_str!("../../../../demo/siroco.yaml")),
    ("tramontana.catalogue.yaml", include_str!("../../../../demo/tramontana.catalogue.yaml")),
    ("tramontana.yaml", include_str!("../../../../demo/tramontana.yaml")),
    ("usage.ndjson", include_str!("../../../../demo/usage.ndjson")),
];

/// The sample estate that the program carries, as if it stood in a folder.
pub(super) fn session(place: &Path) -> Result<Session, Stop> {
    let sources = carried(place);
    let estate = load(&sources, &Beside::default(), Diagnostics::default()).map_err(Stop::Wrong)?;
    Ok(Session::new(estate, sources, Beside::default()))
}

/// Its files, as if they stood in a folder.
fn carried(place: &Path) -> Vec<Source> {
    let source = |(name, text): &(&str, &str)| Source::Text {
        name: view::safe(&place.join(name).to_string_lossy()),
        text: (*text).to_owned(),
        form: Form::of(Path::new(name)).unwrap_or(Form::Yaml),
    };
    FILES.iter().map(source).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn carries_every_file_of_the_sample_estate() {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        let mut found = pasaporte_read::diagnostic::Diagnostics::default();
        let names: Vec<String> = Source::find(std::slice::from_ref(&folder), &mut found)
            .iter()
            .map(|source| source.name()[folder.to_str().unwrap().len() + 1..].to_owned())
            .collect();
        let carried: Vec<&str> = FILES.iter().map(|(name, _)| *name).collect();
        assert_eq!(names, carried);
    }
}
