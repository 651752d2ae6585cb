//! Refusals and remarks as answers and the contact log name them.

use crate::problem::Problem;
use lantern_api::{RefusedValue, Remark};
use lantern_core::{Refusal, RefusalCode, decode};

/// Refused values that an answer names one by one.
const MAX_NAMED: usize = 100;

pub(super) fn refused_value(refusal: Refusal) -> RefusedValue {
    RefusedValue {
        name: refusal.name.unwrap_or_default(),
        code: refusal.code.as_str().to_owned(),
        detail: refusal.detail,
        remedy: refusal.code.remedy().to_owned(),
    }
}

pub(super) fn remark(remark: decode::Remark) -> Remark {
    Remark { code: remark.code.as_str().to_owned(), detail: remark.detail }
}

/// The refused values that an answer names.
pub(super) fn named(refused: Vec<Refusal>) -> Vec<RefusedValue> {
    refused.into_iter().take(MAX_NAMED).map(refused_value).collect()
}

/// All values were refused: the first one's reason stands for the delivery.
pub(super) fn nothing_kept(refused: Vec<Refusal>) -> Problem {
    let first = refused.first().cloned();
    let first = first.unwrap_or_else(|| Refusal::whole(RefusalCode::NoValues, "The request holds no values."));
    let mut problem = Problem::from(first);
    problem.refused = named(refused);
    problem
}
