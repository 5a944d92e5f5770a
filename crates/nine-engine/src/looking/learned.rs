//! What is kept in the catalogue, and may be thrown away with it.

use nine_stores::Catalogue;
use serde::Serialize;
use serde::de::DeserializeOwned;

/// What was kept under a name, as far as it can be read.
pub fn kept<T: DeserializeOwned>(catalogue: Option<&Catalogue>, name: &str) -> Option<T> {
    let value = catalogue?.learned(name).ok().flatten()?;
    serde_json::from_slice(&value).ok()
}

/// Keeps something. Where that cannot be, it is learned again the next time.
pub fn keep<T: Serialize>(catalogue: Option<&Catalogue>, name: &str, value: &T) {
    let value = catalogue.zip(serde_json::to_vec(value).ok());
    if let Some(Err(error)) = value.map(|(catalogue, value)| catalogue.keep_learned(name, &value)) {
        tracing::info!(%error, name, "is not kept");
    }
}
