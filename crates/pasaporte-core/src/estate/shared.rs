//! Words that several things use.

super::vocabulary! {
    /// Which life a thing serves.
    Environment: "an environment" {
        /// Serves customers.
        Production = "production",
        /// Rehearsal of production.
        Staging = "staging",
        /// For tests.
        Test = "test",
        /// For development.
        Development = "development",
    }
}

super::vocabulary! {
    /// Whether a thing is switched on.
    State: "a state" {
        /// In use.
        Enabled = "enabled",
        /// Switched off.
        Disabled = "disabled",
    }
}

super::vocabulary! {
    /// Whose allow is needed when caller and resource are of different accounts (access-model §4.5).
    CrossAccount: "an account's cross_account" {
        /// An allow from both sides.
        BothSides = "both-sides",
        /// An allow from either side.
        OneSide = "one-side",
    }
}

super::vocabulary! {
    /// Whether upper and lower case differ in an account's actions (access-model §3).
    CaseOfActions: "an account's action_case" {
        /// `Bucket/Read` and `bucket/read` are two actions.
        Counts = "counts",
        /// They are one.
        Ignored = "ignored",
    }
}

super::vocabulary! {
    /// How much harm a resource's disclosure would do.
    Sensitivity: "a sensitivity" {
        /// Meant for everybody.
        Public = "public",
        /// For those who work here.
        Internal = "internal",
        /// For few.
        Confidential = "confidential",
    }
}
