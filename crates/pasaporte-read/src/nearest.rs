//! The known word that somebody may have meant.

/// The known word that is nearest to a written one, if any is near.
pub(crate) fn nearest<'w>(word: &str, known: impl Iterator<Item = &'w str>) -> Option<&'w str> {
    let folded = |text: &str| text.to_lowercase().replace('-', "_");
    let word = folded(word);
    if word.chars().count() > 64 {
        return None;
    }
    known
        .map(|each| (strsim::damerau_levenshtein(&word, &folded(each)), each))
        .filter(|(distance, each)| *distance <= 1 + each.chars().count() / 4)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, each)| each)
}
