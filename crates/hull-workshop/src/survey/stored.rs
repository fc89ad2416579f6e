//! Surveys that were stored before December 2026: all figures in one object, those of the deeper survey in another within.

use super::gaps::Gaps;
use super::names::Names;
use super::{Cost, PROBES, Survey};
use serde::Deserialize;
use serde::de::DeserializeOwned;
use serde_json::Value;

/// The figures of all probes in one.
#[derive(Deserialize)]
#[serde(transparent)]
pub(super) struct Figures(Value);

/// What the deeper survey consisted of.
const DEEPER: [&str; 5] = ["doubles", "shells", "walls", "shapes", "tunnels"];

/// The figures of a probe out of one object of all.
fn part<T: DeserializeOwned + Default>(all: &Value) -> T {
    serde_json::from_value(all.clone()).unwrap_or_default()
}

impl Figures {
    /// Gives each probe its figures. What was not looked at then is awaited, as is what nobody looked for then.
    pub(super) fn spread(self, survey: &mut Survey, gaps: Gaps, names: Names) {
        let all = &self.0;
        let deep = all.get("depth").cloned().unwrap_or(Value::Null);
        survey.size = part(all);
        survey.topology = part(all);
        survey.direction = part(all);
        survey.quality = part(all);
        survey.crossings = part(all);
        survey.doubles = part(&deep);
        survey.shells = part(&deep);
        survey.walls = part(&deep);
        survey.shapes = part(&deep);
        survey.tunnels = part(&deep);
        (survey.gaps, survey.names) = (gaps, names);
        // What was awaited stood as kinds of findings; open edges stood for the stitching tolerances.
        let before = std::mem::take(&mut survey.awaited);
        let awaited = |p: &super::About| {
            before.iter().any(|a| p.kinds.iter().any(|k| k.id == a) || (p.id == "gaps" && a == "open_edges"))
        };
        let known = |id: &str| ["gaps", "crossings"].contains(&id) || (DEEPER.contains(&id) && !deep.is_null());
        let late = PROBES.iter().filter(|p| p.cost != Cost::FirstLook && (!known(p.id) || awaited(p)));
        survey.awaited = late.map(|p| p.id.to_string()).collect();
    }
}
