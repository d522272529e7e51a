//! A type for each table's key, so that one cannot be passed for another. Keys are UUIDs of version 7: they sort by time.

use std::{fmt, str::FromStr};

use serde::{Deserialize, Serialize};
use uuid::Uuid;

macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $name(pub Uuid);

        impl $name {
            /// A new key, later than those before it.
            #[allow(clippy::new_without_default)]
            pub fn new() -> Self {
                Self(Uuid::now_v7())
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        impl FromStr for $name {
            type Err = uuid::Error;
            fn from_str(text: &str) -> Result<Self, uuid::Error> {
                text.parse().map(Self)
            }
        }
    )*};
}

ids! {
    PracticeId;
    /// A coach of a practice.
    CoachId;
    /// A client.
    PersonId;
    /// A readiness check.
    ReadinessId;
    RunId;
    ResultId;
    /// A retest plan.
    PlanId;
    /// A planned retest.
    RetestId;
}
