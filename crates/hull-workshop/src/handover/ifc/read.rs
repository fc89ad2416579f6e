//! What a structural analysis model says, to be compared with the frame that was sent.

use hull_formats::step::part21::{Entity, File, Value};
use hull_frames::{Fix, Frame, LoadKind};
use hull_geometry::Watch;
use std::collections::{BTreeMap, HashMap};

/// A model as it was read back. Places are in the file's unit, forces in N and N/m.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Model {
    /// Places of connections, by their number.
    pub places: BTreeMap<usize, [f64; 3]>,
    /// How connections are held: free, held, or against so much (N/m, N·m/rad).
    pub held: BTreeMap<usize, [Held; 6]>,
    /// Members in order: the places of their ends, the name of their profile set.
    pub members: Vec<([[f64; 3]; 2], Option<String>)>,
    /// Ends that do not hold everything: member, joint, and how each movement is held.
    pub released: Vec<(usize, usize, [Held; 6])>,
    /// Ends beside their joint: member, joint, and the way from the end to the joint.
    pub beside: Vec<(usize, usize, [f64; 3])>,
    /// Cases by name: parts of gravity, and the sum of all forces on joints and along members each.
    pub cases: BTreeMap<String, Case>,
    /// Combinations by name: cases with factors.
    pub combinations: BTreeMap<String, Vec<(String, f64)>>,
    /// Sets by name: numbers of members, then of joints.
    pub sets: BTreeMap<String, [Vec<usize>; 2]>,
}

/// How one movement is held.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Held {
    /// It moves.
    Free,
    /// It does not.
    Held,
    /// Against a spring.
    Spring(f64),
}

/// What acts in a case.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Case {
    /// Parts of gravity along x, y, z.
    pub weight: Option<[f64; 3]>,
    /// Forces and moments on connections, by number.
    pub on_joints: Vec<(usize, [f64; 6])>,
    /// Forces along members, by number.
    pub along: Vec<(usize, [f64; 3])>,
    /// Kelvin by which members are warmer.
    pub warmer: Vec<(usize, f64)>,
}

/// The entities of a file by number.
struct Entities<'a>(HashMap<u64, Entity<'a>>);

impl<'a> Entities<'a> {
    fn at(&self, value: Option<&Value<'a>>) -> Option<&Entity<'a>> {
        self.0.get(&value?.reference()?)
    }

    fn of(&self, kind: &str) -> Vec<&Entity<'a>> {
        let mut all: Vec<&Entity<'a>> = self.0.values().filter(|e| e.is(kind)).collect();
        all.sort_by_key(|e| e.id);
        all
    }

    /// The item of the one representation that an object has.
    fn item(&self, object: &Entity<'a>) -> Option<&Entity<'a>> {
        let first = |value: Option<&Value<'a>>| value?.list()?.first().cloned();
        let shape = self.at(object.get(6))?;
        let topology = self.at(first(shape.get(2)).as_ref())?;
        self.at(first(topology.get(3)).as_ref())
    }

    fn place(&self, vertex: &Entity<'a>) -> Option<[f64; 3]> {
        let point = self.at(vertex.get(0))?;
        numbers(point.get(0))?.try_into().ok()
    }

    fn condition(&self, value: Option<&Value<'a>>) -> Option<[Held; 6]> {
        let condition = self.at(value)?;
        let held = |k: usize| match condition.get(k + 1) {
            Some(Value::Typed(name, inner)) if name.eq_ignore_ascii_case("IFCBOOLEAN") => {
                if inner.first().and_then(Value::truth) == Some(true) { Held::Held } else { Held::Free }
            }
            Some(measure) => measure.number().map_or(Held::Free, Held::Spring),
            None => Held::Free,
        };
        Some(std::array::from_fn(held))
    }
}

fn numbers(value: Option<&Value>) -> Option<Vec<f64>> {
    value?.list()?.iter().map(Value::number).collect()
}

/// Numbers that may be missing, which are none.
fn values<const N: usize>(e: &Entity, from: usize) -> [f64; N] {
    std::array::from_fn(|k| e.get(from + k).and_then(Value::number).unwrap_or(0.0))
}

fn named(e: &Entity) -> String {
    e.get(2).and_then(Value::text).unwrap_or_default().into_owned()
}

/// The number behind “joint 12” or “member 3”, from nought.
fn number(e: &Entity) -> Option<usize> {
    named(e).rsplit(' ').next()?.parse::<usize>().ok()?.checked_sub(1)
}

/// Reads a model.
///
/// # Errors
/// A sentence: the file cannot be read, or something in it refers to what is not there.
pub fn read(bytes: &[u8]) -> Result<Model, String> {
    let file = File::index("the model", bytes, &Watch::default()).map_err(|e| e.to_string())?;
    let mut all = HashMap::new();
    for id in file.numbers() {
        let entity = file.entity(id).ok_or("a record is missing")?;
        all.insert(id, entity.map_err(|(byte, why)| format!("byte {byte}: {why}"))?);
    }
    Entities(all).model().ok_or_else(|| "the model refers to what is not there".into())
}

impl Entities<'_> {
    fn model(&self) -> Option<Model> {
        let mut out = Model::default();
        for e in self.of("IFCSTRUCTURALPOINTCONNECTION") {
            let n = number(e)?;
            out.places.insert(n, self.place(self.item(e)?)?);
            if let Some(held) = self.condition(e.get(7)) {
                out.held.insert(n, held);
            }
        }
        let profiles = self.profiles();
        for e in self.of("IFCSTRUCTURALCURVEMEMBER") {
            let edge = self.item(e)?;
            let end = |k: usize| self.place(self.at(edge.get(k))?);
            out.members.push(([end(0)?, end(1)?], profiles.get(&e.id).cloned()));
        }
        let joined = ["IFCRELCONNECTSSTRUCTURALMEMBER", "IFCRELCONNECTSWITHECCENTRICITY"];
        let mut joined: Vec<&Entity> = joined.into_iter().flat_map(|kind| self.of(kind)).collect();
        joined.sort_by_key(|e| e.id);
        for e in joined {
            let (member, joint) = (number(self.at(e.get(4))?)?, number(self.at(e.get(5))?)?);
            if let Some(held) = self.condition(e.get(6)) {
                out.released.push((member, joint, held));
            }
            if let Some(beside) = self.at(e.get(10)) {
                out.beside.push((member, joint, values(beside, 2)));
            }
        }
        let cases: HashMap<u64, String> =
            self.of("IFCSTRUCTURALLOADCASE").into_iter().map(|e| (e.id, named(e))).collect();
        for e in self.of("IFCSTRUCTURALLOADCASE") {
            let weight = numbers(e.get(10)).and_then(|w| w.try_into().ok());
            out.cases.insert(named(e), Case { weight, ..Case::default() });
        }
        self.actions(&cases, &mut out)?;
        self.sets(&mut out)?;
        for e in self.of("IFCSTRUCTURALLOADGROUP") {
            out.combinations.insert(named(e), Vec::new());
        }
        for e in self.of("IFCRELASSIGNSTOGROUPBYFACTOR") {
            let of = named(self.at(e.get(6))?);
            let case = e.get(4)?.list()?.first()?.reference()?;
            out.combinations.get_mut(&of)?.push((cases.get(&case)?.clone(), e.get(7)?.number()?));
        }
        Some(out)
    }

    /// Groups that are no cases: named sets.
    fn sets(&self, out: &mut Model) -> Option<()> {
        for e in self.of("IFCRELASSIGNSTOGROUP") {
            let Some(group) = self.at(e.get(6)).filter(|g| g.is("IFCGROUP")) else { continue };
            let set = out.sets.entry(named(group)).or_default();
            for object in e.get(4)?.list()? {
                let object = self.at(Some(object))?;
                set[usize::from(object.is("IFCSTRUCTURALPOINTCONNECTION"))].push(number(object)?);
            }
        }
        Some(())
    }

    /// The name of the profile set of each member that has one.
    fn profiles(&self) -> HashMap<u64, String> {
        let mut out = HashMap::new();
        for e in self.of("IFCRELASSOCIATESMATERIAL") {
            let set = self.at(e.get(5)).and_then(|usage| self.at(usage.get(0)));
            let name = set.and_then(|s| s.get(0)).and_then(Value::text).unwrap_or_default();
            let members = e.get(4).and_then(Value::list).unwrap_or_default();
            out.extend(members.iter().filter_map(Value::reference).map(|m| (m, name.to_string())));
        }
        out
    }

    fn actions(&self, cases: &HashMap<u64, String>, out: &mut Model) -> Option<()> {
        let on: HashMap<u64, &Entity> = self
            .of("IFCRELCONNECTSSTRUCTURALACTIVITY")
            .into_iter()
            .filter_map(|e| Some((e.get(5)?.reference()?, self.at(e.get(4))?)))
            .collect();
        for e in self.of("IFCRELASSIGNSTOGROUP") {
            let Some(case) = e.get(6).and_then(Value::reference).and_then(|g| cases.get(&g)) else { continue };
            let case = out.cases.get_mut(case)?;
            for action in e.get(4)?.list()? {
                let (what, on) = (self.at(Some(action))?, number(on.get(&action.reference()?)?)?);
                let load = self.at(what.get(7))?;
                match load.name().to_ascii_uppercase().as_str() {
                    "IFCSTRUCTURALLOADSINGLEFORCE" => case.on_joints.push((on, values(load, 1))),
                    "IFCSTRUCTURALLOADLINEARFORCE" => case.along.push((on, values(load, 1))),
                    "IFCSTRUCTURALLOADTEMPERATURE" => case.warmer.push((on, values::<1>(load, 1)[0])),
                    _ => {}
                }
            }
        }
        Some(())
    }
}

/// What a frame should be read back as, in the unit that `factor` makes of mm.
pub fn expected(frame: &Frame, factor: f64) -> Model {
    let used = super::used(frame);
    let held = |f: &Fix, k: usize| match f {
        Fix::Free => Held::Free,
        Fix::Held | Fix::Moved(_) => Held::Held,
        Fix::Spring(s) => Held::Spring(s * if k < 3 { 1e3 } else { 1e-3 }),
    };
    let mut out = Model::default();
    for (i, joint) in frame.joints.iter().enumerate().filter(|(i, _)| used[*i]) {
        out.places.insert(i, joint.at.map(|x| x * factor));
        if joint.is_supported() {
            out.held.insert(i, std::array::from_fn(|k| held(&joint.held[k], k)));
        }
    }
    for (i, member) in frame.members.iter().enumerate() {
        let ends = frame.places(member).map(|p| p.map(|x| x * factor));
        out.members.push((ends, frame.made_of(member).map(|m| m.0.name.clone())));
        for (end, joined) in member.joined.iter().enumerate() {
            let (joint, released) = (member.ends[end] as usize, joined.released());
            let soft = if joined.spring() > 0.0 { Fix::Spring(joined.spring()) } else { Fix::Free };
            let fix = |k: usize| if released.contains(&k) { soft } else { Fix::Held };
            if !released.is_empty() {
                out.released.push((i, joint, std::array::from_fn(|k| held(&fix(k), k))));
            }
            if member.offset[end] != [0.0; 3] {
                out.beside.push((i, joint, member.offset[end].map(|x| -x * factor)));
            }
        }
    }
    for load in &frame.loads {
        let case = out.cases.entry(load.case.clone()).or_default();
        match load.kind {
            LoadKind::Weight { acceleration } => {
                let own = acceleration.map(|a| a / super::GRAVITY);
                case.weight = Some(case.weight.map_or(own, |w| [0, 1, 2].map(|k| w[k] + own[k])));
            }
            LoadKind::Joint { joint, force: [x, y, z, a, b, c] } => {
                case.on_joints.push((joint as usize, [x, y, z, a * 1e-3, b * 1e-3, c * 1e-3]));
            }
            LoadKind::Line { member, force } => case.along.push((member as usize, force.map(|f| f * 1e3))),
            LoadKind::Warmth { member, by, .. } => case.warmer.push((member as usize, by)),
        }
    }
    for set in frame.named_sets() {
        let joints: Vec<usize> = set.joints.iter().map(|j| *j as usize).filter(|j| used[*j]).collect();
        let members: Vec<usize> = set.members.iter().map(|m| *m as usize).collect();
        if !(joints.is_empty() && members.is_empty()) {
            out.sets.insert(set.name, [members, joints]);
        }
    }
    let is_moved = |j: &hull_frames::Joint| j.held.iter().any(|f| matches!(f, Fix::Moved(_)));
    if frame.joints.iter().any(is_moved) {
        out.cases.entry(super::MOVED.into()).or_default();
    }
    for combination in &frame.combinations {
        let known = |p: &&(String, f64)| out.cases.contains_key(&p.0);
        let parts = combination.parts.iter().filter(known).cloned().collect();
        out.combinations.insert(combination.name.clone(), parts);
    }
    out
}
