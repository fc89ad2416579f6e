//! Load cases with what acts in them, combinations, and supports that are moved.

use super::{Common, GRAVITY, MOVED, Writer, real};
use hull_frames::{Fix, Load, LoadKind};

impl Writer<'_> {
    /// Cases, and then combinations.
    pub(super) fn loads(&mut self, connections: &[Option<usize>], members: &[usize], common: &Common) -> Vec<usize> {
        let frame = self.frame;
        let mut cases: Vec<(String, usize)> = Vec::new();
        for name in frame.cases() {
            let own: Vec<&Load> = frame.loads.iter().filter(|l| l.case == name).collect();
            let case = self.case(&name, &own);
            let acting: Vec<usize> = own.iter().filter_map(|l| self.action(l, connections, members, common)).collect();
            if !acting.is_empty() {
                self.assign(&acting, case);
            }
            cases.push((name, case));
        }
        let moved: Vec<usize> = (0..frame.joints.len()).filter_map(|j| self.moved(j, connections, common)).collect();
        if !moved.is_empty() {
            let case = self.case(MOVED, &[]);
            self.assign(&moved, case);
            cases.push((MOVED.into(), case));
        }
        let mut out: Vec<usize> = cases.iter().map(|c| c.1).collect();
        for combination in &frame.combinations {
            let rest = "$,.LOAD_COMBINATION.,.NOTDEFINED.,.NOTDEFINED.,$,$";
            let group = self.object("IFCSTRUCTURALLOADGROUP", &combination.name, rest);
            for (name, factor) in &combination.parts {
                if let Some((_, case)) = cases.iter().find(|c| c.0 == *name) {
                    let rest = format!("(#{case}),$,#{group},{}", real(*factor));
                    self.relation("IFCRELASSIGNSTOGROUPBYFACTOR", &rest);
                }
            }
            out.push(group);
        }
        out
    }

    fn case(&mut self, name: &str, loads: &[&Load]) -> usize {
        let weights = loads.iter().filter_map(|l| match l.kind {
            LoadKind::Weight { acceleration } => Some(acceleration.map(|a| a / GRAVITY)),
            _ => None,
        });
        let weight = weights.reduce(|a, b| [0, 1, 2].map(|k| a[k] + b[k]));
        let told = weight.map_or("$".to_string(), super::triple);
        let kind = if weight.is_some() { "PERMANENT_G" } else { "NOTDEFINED" };
        let rest = format!("$,.LOAD_CASE.,.{kind}.,.NOTDEFINED.,$,$,{told}");
        self.object("IFCSTRUCTURALLOADCASE", name, &rest)
    }

    /// What acts on a joint or a member; own weight is the case's.
    fn action(
        &mut self,
        load: &Load,
        connections: &[Option<usize>],
        members: &[usize],
        common: &Common,
    ) -> Option<usize> {
        let all = |values: &[f64]| values.iter().map(|x| real(*x)).collect::<Vec<_>>().join(",");
        match load.kind {
            LoadKind::Weight { .. } => None,
            LoadKind::Joint { joint, force: [x, y, z, about @ ..] } => {
                let [mx, my, mz] = about.map(|m| m * 1e-3);
                let force = self.add(format!("IFCSTRUCTURALLOADSINGLEFORCE($,{})", all(&[x, y, z, mx, my, mz])));
                self.on_joint(&load.case, force, connections[joint as usize], common)
            }
            LoadKind::Line { member, force } => {
                let [x, y, z] = force.map(|f| f * 1e3);
                let force = self.add(format!("IFCSTRUCTURALLOADLINEARFORCE($,{},$,$,$)", all(&[x, y, z])));
                Some(self.on_member(&load.case, force, members[member as usize], common))
            }
            LoadKind::Warmth { member, by, growth } => {
                let name = format!("grows by {growth} of its length by one kelvin");
                let warmth = format!("IFCSTRUCTURALLOADTEMPERATURE({},{},$,$)", super::text(&name), real(by));
                let warmth = self.add(warmth);
                Some(self.on_member(&load.case, warmth, members[member as usize], common))
            }
        }
    }

    fn on_joint(&mut self, name: &str, load: usize, connection: Option<usize>, common: &Common) -> Option<usize> {
        let connection = connection?;
        let rest = format!("$,#{},$,#{load},.GLOBAL_COORDS.,$", common.placement);
        let action = self.object("IFCSTRUCTURALPOINTACTION", name, &rest);
        self.relation("IFCRELCONNECTSSTRUCTURALACTIVITY", &format!("#{connection},#{action}"));
        Some(action)
    }

    fn on_member(&mut self, name: &str, load: usize, member: usize, common: &Common) -> usize {
        let rest = format!("$,#{},$,#{load},.GLOBAL_COORDS.,$,.TRUE_LENGTH.,.CONST.", common.placement);
        let action = self.object("IFCSTRUCTURALCURVEACTION", name, &rest);
        self.relation("IFCRELCONNECTSSTRUCTURALACTIVITY", &format!("#{member},#{action}"));
        action
    }

    /// A support that is moved, as an action on it.
    fn moved(&mut self, joint: usize, connections: &[Option<usize>], common: &Common) -> Option<usize> {
        let held = self.frame.joints[joint].held;
        if !held.iter().any(|f| matches!(f, Fix::Moved(_))) {
            return None;
        }
        let by = |k: usize| match held[k] {
            Fix::Moved(by) => real(if k < 3 { by * self.factor } else { by }),
            _ => "$".into(),
        };
        let each: Vec<String> = (0..6).map(by).collect();
        let by = self.add(format!("IFCSTRUCTURALLOADSINGLEDISPLACEMENT($,{})", each.join(",")));
        self.on_joint(MOVED, by, connections[joint], common)
    }
}
