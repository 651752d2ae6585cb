//! Readings of several signals in order of time, however many, in bounded memory.

use lantern_core::meaning::{History, Others};
use lantern_core::quality::Quality;
use lantern_core::series::{Point, Run};
use lantern_core::{Micros, Moment, SignalId};
use lantern_store::{Order, Page, Scan, Store, StoreError};

/// One signal's readings, one after the other.
pub(super) struct Cursor<'a> {
    scan: Scan<'a>,
    run: Run,
    next: usize,
}

impl<'a> Cursor<'a> {
    pub(super) fn new(scan: Scan<'a>) -> Self {
        Self { scan, run: Run::default(), next: 0 }
    }

    /// Makes sure that the next reading is there, if there is one.
    pub(super) async fn fill(&mut self) -> Result<(), StoreError> {
        while self.next >= self.run.len() {
            let Some(run) = self.scan.next().await? else { return Ok(()) };
            self.run = run;
            self.next = 0;
        }
        Ok(())
    }

    /// The time of the next reading.
    pub(super) fn peek(&self) -> Option<i64> {
        self.run.times().get(self.next).copied()
    }

    pub(super) fn take(&mut self) -> Option<Point> {
        (self.next < self.run.len()).then(|| {
            self.next += 1;
            self.run.point(self.next - 1)
        })
    }
}

/// The time of the last reading of a run.
pub(super) fn last_at(run: &Run) -> Option<Moment> {
    run.span().and_then(|(_, last)| Moment::from_micros(last))
}

/// The last good readings of a signal before a time, the oldest first.
pub(super) async fn before(store: &Store, signal: SignalId, at: Moment, count: u32) -> Result<Vec<Point>, StoreError> {
    let page = Page { signal, from: Moment::MIN, to: at, limit: count, order: Order::Descending };
    let mut points = store.good_points(page).await?;
    points.reverse();
    Ok(points)
}

/// What other signals said, moving along with time.
pub(super) struct Alongside<'a> {
    cursors: Vec<(Cursor<'a>, History)>,
}

impl<'a> Alongside<'a> {
    /// The signals a meaning needs, from a time on.
    pub(super) async fn new(
        store: &'a Store,
        signals: &[SignalId],
        within: Micros,
        from: Moment,
        to: Moment,
    ) -> Result<Self, StoreError> {
        let mut cursors = Vec::new();
        for signal in signals {
            let mut history = History::keeping(within);
            for point in before(store, *signal, from, 1).await? {
                take(&mut history, &point);
            }
            cursors.push((Cursor::new(store.scan(*signal, from, to)), history));
        }
        Ok(Self { cursors })
    }

    /// Takes in all that was said up to a time.
    pub(super) async fn reach(&mut self, at: i64) -> Result<(), StoreError> {
        for (cursor, history) in &mut self.cursors {
            loop {
                match cursor.peek() {
                    Some(next) if next > at => break,
                    Some(_) => {
                        if let Some(point) = cursor.take() {
                            take(history, &point);
                        }
                    }
                    None => {
                        cursor.fill().await?;
                        if cursor.peek().is_none() {
                            break;
                        }
                    }
                }
            }
        }
        Ok(())
    }
}

fn take(history: &mut History, point: &Point) {
    if let Some(value) = point.value.as_number() {
        history.take(point.at.as_micros(), value, point.quality == Quality::Good);
    }
}

impl Others for Alongside<'_> {
    fn last(&self, need: usize, at: i64) -> Option<(i64, f64)> {
        self.cursors.get(need)?.1.last(at)
    }
}
