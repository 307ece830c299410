//! Walks that must end as the planner said.

use barometer_strategy::Strategy;
use jiff::tz::TimeZone;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::host::plain;
use crate::scene::Scene;
use crate::walk::{Walk, WalkEnd, What};

/// "A frequent traveller at 21:30 reaches the evening desk within 60 s."
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Expectation {
    /// What planners call it.
    pub name: String,
    /// Who comes in, when, and who is there.
    pub scene: Scene,
    /// What is expected.
    pub expects: Outcome,
}

/// What is expected of a walk. What is left out may be anything.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Outcome {
    /// How it comes out.
    #[serde(default)]
    pub end: Option<WalkEnd>,
    /// A step that it reaches, by its id.
    #[serde(default)]
    pub reaches: Option<String>,
    /// The most seconds from coming in to that end; or, where only a step is named, to that step.
    #[serde(default)]
    pub within_secs: Option<f64>,
}

/// An expectation beside what happened.
#[derive(Clone, Debug, PartialEq)]
pub struct Checked {
    /// Whether it is met.
    pub is_met: bool,
    /// What happened instead, or what keeps it from being walked; or what happened as expected.
    pub told: String,
}

impl Expectation {
    /// The JSON Schema of this form.
    pub fn schema() -> serde_json::Value {
        schemars::schema_for!(Self).to_value()
    }

    /// Whether a strategy meets it.
    pub fn check(&self, strategy: &Strategy, zone: &TimeZone) -> Checked {
        let name_of = |id: &str| {
            strategy.step(id).map_or_else(|| format!("“{id}”"), |step| format!("“{}”", step.name))
        };
        if let Some(id) = &self.expects.reaches
            && strategy.step(id).is_none()
        {
            let told = format!("the strategy has no step “{id}”");
            return Checked { is_met: false, told };
        }
        let walk = match self.scene.walk(strategy, zone) {
            Ok(walk) => walk,
            Err(error) => return Checked { is_met: false, told: error.to_string() },
        };
        let reached = self.expects.reaches.as_ref().map(|id| (id, reached_after(&walk, id)));
        let mut told = Vec::new();
        let mut is_met = true;
        if let Some((id, secs)) = reached {
            is_met &= secs.is_some();
            told.push(match secs {
                Some(secs) => format!("reaches {} after {} s", name_of(id), plain(secs)),
                None => format!("never reaches {}", name_of(id)),
            });
        }
        is_met &= self.expects.end.is_none_or(|end| end == walk.end);
        told.push(match walk.end {
            WalkEnd::NotCalled => walk.end.words().to_owned(),
            end => format!("{} after {} s", end.words(), plain(walk.secs)),
        });
        if let Some(within) = self.expects.within_secs {
            let secs = match (self.expects.end, reached) {
                (None, Some((_, Some(secs)))) => secs,
                _ => walk.secs,
            };
            is_met &= secs <= within + 1e-9;
        }
        Checked { is_met, told: told.join(", ") }
    }
}

fn reached_after(walk: &Walk, step: &str) -> Option<f64> {
    let mut moments = walk.moments.iter();
    moments
        .find(|moment| moment.what == What::Reached && moment.step.as_deref() == Some(step))
        .map(|moment| moment.at_secs)
}
