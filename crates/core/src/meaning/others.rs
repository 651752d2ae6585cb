//! What other signals say.

/// Values of the signals a meaning needs, by the place in
/// [`Checked::needs`](super::Checked::needs), in those signals' own units; flags
/// are 0 or 1.
pub trait Others {
    /// The last good value at or before a time (microseconds since 1970), with its
    /// time.
    fn last(&self, need: usize, at: i64) -> Option<(i64, f64)>;
}

/// There are none.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoOthers;

impl Others for NoOthers {
    fn last(&self, _: usize, _: i64) -> Option<(i64, f64)> {
        None
    }
}
