//! How a connection begins: what a CONNECT must be, and how it is answered.

use super::RECEIVE_MAXIMUM;
use crate::codec::{ALIASES, Connect, Reason, Version, Welcome};
use crate::host::Refused;
use std::sync::Arc;

/// Checks what can be told of a CONNECT without knowing whose it is.
///
/// # Errors
/// The reason to refuse it.
pub(crate) fn check(connect: &Connect) -> Result<(), Refused> {
    let refuse = |reason, text: &str| Err(Refused { reason, text: text.to_owned(), is_passing: false });
    if connect.has_method {
        let text = "No authentication method is offered; send the key as password.";
        return refuse(Reason::BadAuthenticationMethod, text);
    }
    if connect.client_id.is_empty() && connect.version == Version::V3 && !connect.clean_start {
        return refuse(Reason::ClientIdentifierNotValid, "A session that is kept needs a client id.");
    }
    if connect.client_id.len() > 256 {
        return refuse(Reason::ClientIdentifierNotValid, "A client id has at most 256 bytes.");
    }
    Ok(())
}

/// The answer to a CONNECT.
pub(crate) fn welcome(reason: Reason, text: Option<String>, is_present: bool, assigned: Option<Arc<str>>) -> Welcome {
    Welcome {
        reason,
        text,
        session_present: is_present,
        assigned,
        keep_alive_s: None,
        session_expiry_s: None,
        receive_maximum: RECEIVE_MAXIMUM,
        alias_maximum: ALIASES,
    }
}
