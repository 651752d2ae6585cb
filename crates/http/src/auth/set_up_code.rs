//! The one-time code with which the first owner is made.

use lantern_engine::secret::{hash, random};
use std::sync::{Mutex, PoisonError};

/// The one-time code with which the first owner is made.
pub struct SetUpCode(Mutex<Option<String>>);

impl SetUpCode {
    /// A fresh code if one is needed.
    #[must_use]
    pub fn new(needed: bool) -> Self {
        Self(Mutex::new(needed.then(|| random(20))))
    }

    /// The code, while it can be used.
    #[must_use]
    pub fn current(&self) -> Option<String> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Whether a code is the right one.
    #[must_use]
    pub fn matches(&self, code: &str) -> bool {
        // Hashes are compared, so that timing tells nothing of the code.
        self.current().is_some_and(|current| hash(&current) == hash(code.trim()))
    }

    /// Ends the code's use.
    pub fn spend(&self) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).take();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_set_up_code_works_until_spent() {
        let code = SetUpCode::new(true);
        let current = code.current().unwrap();
        assert!(code.matches(&current) && !code.matches("other"));
        code.spend();
        assert!(!code.matches(&current));
        assert!(!SetUpCode::new(false).matches(""));
    }
}
