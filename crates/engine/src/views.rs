//! Views of charts that people keep by name.

use crate::changes::{Change, Changes};
use crate::checks::check_name;
use crate::clock;
use crate::problem::Problem;
use lantern_api::NewView;
use lantern_store::{Site, Store, View};
use std::sync::Arc;

/// Views of one site.
const MOST: u32 = 500;
/// Bytes of an address.
const MOST_BYTES: usize = 4_000;

/// Keeps and removes views.
pub struct Views {
    pub(crate) store: Arc<Store>,
    pub(crate) changes: Arc<Changes>,
}

impl Views {
    /// Keeps a view, in place of the one of the same name.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so; nothing was kept then.
    pub async fn keep(&self, site: &Site, name: &str, new: &NewView, person: &str) -> Result<View, Problem> {
        let name = check_name(name)?;
        if new.query.len() > MOST_BYTES || new.query.chars().any(char::is_control) {
            return Err(Problem::invalid("query", format_args!("it has at most {MOST_BYTES} bytes, in one line")));
        }
        let view = View {
            name: name.to_owned(),
            query: new.query.trim_start_matches('?').to_owned(),
            kept_by: person.to_owned(),
            kept_at: clock::now(),
        };
        if !self.store.keep_view(site.id, &view, MOST).await? {
            return Err(Problem::invalid("name", format_args!("the site keeps {MOST} views already; remove one")));
        }
        self.changes.carry(Change::View(site.id)).await;
        Ok(view)
    }

    /// Removes a view.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such view.
    pub async fn remove(&self, site: &Site, name: &str) -> Result<(), Problem> {
        let missing = |error| Problem::missing(error, "view", name);
        self.store.remove_view(site.id, name).await.map_err(missing)?;
        self.changes.carry(Change::View(site.id)).await;
        Ok(())
    }
}
