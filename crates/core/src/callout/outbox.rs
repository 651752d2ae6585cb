//! The words of the outbox: what a message is about, how far it is, and how an attempt to send it ended.

use serde::{Deserialize, Serialize};

macro_rules! words {
    ($(#[$about:meta])* $name:ident { $($(#[$of:meta])* $word:ident = $text:literal,)+ }) => {
        $(#[$about])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
        #[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
        #[serde(rename_all = "lowercase")]
        pub enum $name { $($(#[$of])* $word,)+ }

        impl $name {
            /// Its word.
            #[must_use]
            pub const fn as_str(self) -> &'static str {
                match self { $(Self::$word => $text,)+ }
            }
        }

        impl std::str::FromStr for $name {
            type Err = ();

            fn from_str(word: &str) -> Result<Self, ()> {
                match word { $($text => Ok(Self::$word),)+ _ => Err(()) }
            }
        }
    };
}

words! {
    /// What a message is about.
    CalloutSort {
        /// Somebody is called.
        Call = "call",
        /// What they were called for is over.
        End = "end",
        /// Somebody tries whether a message arrives.
        Test = "test",
    }
}

words! {
    /// How far a message is.
    CalloutState {
        /// It will be sent.
        Waiting = "waiting",
        /// It is being sent.
        Sending = "sending",
        /// A server has taken it.
        Sent = "sent",
        /// It could not be sent.
        Failed = "failed",
        /// It may have been sent: nobody said so.
        Uncertain = "uncertain",
        /// Nobody needs it any more.
        Dropped = "dropped",
    }
}

words! {
    /// How an attempt to send ended.
    AttemptOutcome {
        /// A server has taken it.
        Sent = "sent",
        /// It was refused for good.
        Refused = "refused",
        /// It was refused for now, or no server was reached.
        Later = "later",
        /// It may have been sent.
        Uncertain = "uncertain",
    }
}
