//! `pasaporte demo`: the sample estate of Marivela Ferries, which the program carries with it.

use std::fs;
use std::path::{Path, PathBuf};

use clap::Args;
use pasaporte_formats::diagnostic::Diagnostics;
use pasaporte_formats::estate::load;
use pasaporte_formats::text::{Form, Source};

use super::audit::{Judging, Showing};
use super::{Done, Sheet, Stop};
use crate::audited::Audited;
use crate::view;

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// Write the sample estate into this folder; nothing is written if left out
    folder: Option<PathBuf>,
    #[command(flatten)]
    showing: Showing,
}

/// The files of the sample estate, by name.
const FILES: &[(&str, &str)] = &[
    ("company.yaml", include_str!("../../../../demo/company.yaml")),
    ("gregal.yaml", include_str!("../../../../demo/gregal.yaml")),
    ("lebeche.yaml", include_str!("../../../../demo/lebeche.yaml")),
    ("levante.yaml", include_str!("../../../../demo/levante.yaml")),
    ("poniente.yaml", include_str!("../../../../demo/poniente.yaml")),
    ("siroco.yaml", include_str!("../../../../demo/siroco.yaml")),
    ("tramontana.yaml", include_str!("../../../../demo/tramontana.yaml")),
];

impl Demo {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        if let Some(folder) = &self.folder {
            write(folder)?;
        }
        let place = self.folder.as_deref().unwrap_or(Path::new("demo"));
        let sources: Vec<Source> = FILES
            .iter()
            .map(|(name, text)| Source::Text {
                name: view::safe(&place.join(name).to_string_lossy()),
                text: (*text).to_owned(),
                form: Form::Yaml,
            })
            .collect();
        let estate = load(&sources, None, Diagnostics::default()).map_err(Stop::Wrong)?;
        let audited = Audited::new(&estate, Judging::default().chosen()?);
        sheet.text(&view::audit(sheet.page, &audited, self.showing.in_full()))?;
        sheet.text(&view::next_steps(sheet.page, self.folder.as_deref()))?;
        Ok(0)
    }
}

/// Writes the sample estate, but never over a file that is there already.
fn write(folder: &Path) -> Result<(), Stop> {
    let failed = |what: &Path, error: &std::io::Error| Stop::Misused {
        message: format!("cannot write {}: {error}", view::safe(&what.to_string_lossy())),
        help: "name a folder that you may write to".to_owned(),
    };
    for (name, text) in FILES {
        let path = folder.join(name);
        if let Ok(there) = fs::read(&path)
            && there != text.as_bytes()
        {
            return Err(Stop::Misused {
                message: format!("{} is there already, and differs", view::safe(&path.to_string_lossy())),
                help: "name an empty or a new folder".to_owned(),
            });
        }
    }
    fs::create_dir_all(folder).map_err(|error| failed(folder, &error))?;
    for (name, text) in FILES {
        let path = folder.join(name);
        fs::write(&path, text).map_err(|error| failed(&path, &error))?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn carries_every_file_of_the_sample_estate() {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        let mut names: Vec<String> = fs::read_dir(folder)
            .unwrap()
            .map(|entry| entry.unwrap().file_name().into_string().unwrap())
            .collect();
        names.sort();
        let carried: Vec<&str> = FILES.iter().map(|(name, _)| *name).collect();
        assert_eq!(names, carried);
    }
}
