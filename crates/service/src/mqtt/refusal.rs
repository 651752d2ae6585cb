//! Problems as MQTT says them. This is the one place where a problem's class becomes a reason
//! code (MQTT 5.0, section 2.4).

use lantern_engine::Problem;
use lantern_engine::problem::Class;
use lantern_mqtt::Refused;
use lantern_mqtt::codec::Reason;

/// The reason code of a class, to a client that is connected.
const fn reason_of(class: Class) -> Reason {
    match class {
        Class::NotKnown | Class::NotAllowed => Reason::NotAuthorized,
        Class::TooSoon | Class::OverAllowance | Class::Unavailable => Reason::QuotaExceeded,
        Class::Missing => Reason::TopicNameInvalid,
        Class::Malformed
        | Class::Slow
        | Class::Conflict
        | Class::TooLarge
        | Class::Unreadable
        | Class::Invalid
        | Class::Failed => Reason::PayloadFormatInvalid,
    }
}

/// A problem to a client that is connected.
pub(super) fn refused(problem: &Problem) -> Refused {
    with_reason(problem, reason_of(problem.class))
}

/// A problem to a client that wants to subscribe.
pub(super) fn not_subscribed(problem: &Problem) -> Refused {
    with_reason(problem, Reason::NotAuthorized)
}

/// A problem to a client that wants to connect.
pub(super) fn turned_away(problem: &Problem) -> Refused {
    let reason = match problem.class {
        Class::NotKnown => Reason::BadUserNameOrPassword,
        Class::NotAllowed => Reason::NotAuthorized,
        _ => Reason::ServerUnavailable,
    };
    with_reason(problem, reason)
}

/// A problem of the storage.
pub(super) fn not_kept(problem: &Problem) -> Refused {
    with_reason(problem, Reason::ServerBusy)
}

fn with_reason(problem: &Problem, reason: Reason) -> Refused {
    let text = format!("{}: {} {}", problem.code, problem.detail, problem.remedy);
    Refused { reason, text, is_passing: problem.retry_after.is_some() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_class_has_a_reason_that_refuses() {
        for class in Class::ALL {
            let problem = Problem::new(class, "code", "title", "detail", "remedy");
            for said in [refused(&problem), turned_away(&problem), not_subscribed(&problem), not_kept(&problem)] {
                assert_ne!(said.reason, Reason::Success, "{class:?}");
                assert_eq!(said.text, "code: detail remedy");
            }
            assert_eq!(refused(&problem).reason == Reason::NotAuthorized, class.is_of_key(), "{class:?}");
        }
    }
}
