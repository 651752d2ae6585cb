//! Changes of many objects at once: a line for each of them.

use super::{Deed, Doer, Records};
use crate::problem::Problem;
use lantern_api::Difference;
use lantern_store::Site;
use serde_json::Value;
use std::collections::BTreeSet;

/// Objects and what they were; none that were not there.
pub type Pictures = Vec<(String, Option<Value>)>;

/// The objects that differences are of, by the paths of the parts that differ.
#[must_use]
pub fn objects_of(differences: &[Difference]) -> BTreeSet<String> {
    let object = |difference: &Difference| {
        let parts: Vec<&str> = difference.path.split('/').collect();
        match parts.as_slice() {
            ["devices", device, "signals", signal, ..] => format!("devices/{device}/signals/{signal}"),
            [sort @ ("devices" | "kinds"), code, ..] => format!("{sort}/{code}"),
            _ => String::new(),
        }
    };
    differences.iter().map(object).collect()
}

impl Records {
    /// What objects are now.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn pictures(&self, site: &Site, objects: BTreeSet<String>) -> Result<Pictures, Problem> {
        let mut pictures = Vec::with_capacity(objects.len());
        for object in objects {
            let picture = self.picture(site, &object).await?;
            pictures.push((object, picture));
        }
        Ok(pictures)
    }

    /// Writes a line for each object that is no longer what it was.
    pub async fn write_each(&self, doer: &Doer, site: &Site, before: &Pictures) {
        for (object, before) in before {
            // What cannot be pictured has changed all the same.
            let after = self.picture(site, object).await.ok().flatten();
            if *before == after && before.is_some() {
                continue;
            }
            let action = if before.is_some() { "changed" } else { "added" };
            let deed = Deed { site: Some(site), action, object, before: before.as_ref(), after: after.as_ref() };
            self.write(doer, &deed).await;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn differences_are_of_objects() {
        let differences = ["site/name", "devices/tower/name", "devices/tower/signals/level/unit", "kinds/radio/name"]
            .map(|path| Difference { path: path.to_owned(), from: None, to: None });
        let objects = objects_of(&differences);
        let objects: Vec<&str> = objects.iter().map(String::as_str).collect();
        assert_eq!(objects, ["", "devices/tower", "devices/tower/signals/level", "kinds/radio"]);
    }
}
