//! Buttons that people press: a call for help.

use super::Alarms;
use super::answering::not_so;
use super::judging::tell;
use crate::clock;
use crate::problem::Problem;
use lantern_core::Value;
use lantern_core::watch::When;
use lantern_store::Site;

impl Alarms {
    /// Somebody presses the button of a watch: there is an alarm at once, which waits until somebody
    /// acknowledges it.
    ///
    /// # Errors
    /// A [`Problem`]: there is no such watch, or it has no button (`not-so`).
    pub async fn press(&self, site: &Site, code: &str, who: &str, note: &str) -> Result<(), Problem> {
        let row = self.find_watch(site, code).await?;
        let _writing = self.writing.lock().await;
        {
            let mut points = self.points();
            let of = points.of_watch(row.id);
            let point = of.first().and_then(|id| points.get_mut(*id));
            let point = point.filter(|point| matches!(point.bound.watch.when, When::Pressed {}));
            let point = point.ok_or_else(|| not_so("This watch has no button."))?;
            let now = clock::now();
            tell(point, now, &Value::Flag(true));
            point.note("pressed", Some(who), note);
            tell(point, now.next(), &Value::Flag(false));
        }
        Ok(self.write().await?)
    }
}
