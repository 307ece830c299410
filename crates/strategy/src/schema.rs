//! The published JSON Schema.

use crate::{CustomersFile, Strategy};

impl Strategy {
    /// The JSON Schema of a strategy.
    pub fn schema() -> serde_json::Value {
        schemars::schema_for!(Self).to_value()
    }
}

impl CustomersFile {
    /// The JSON Schema of a file of customers.
    pub fn schema() -> serde_json::Value {
        schemars::schema_for!(Self).to_value()
    }
}
