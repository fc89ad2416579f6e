//! What a frame is made of.

use crate::sections::Section;
use hull_geometry::Point;
use hull_geometry::mesh::Bounds;
use hull_geometry::vector::{V3, add, cross, distance, dot, scale, sub, unit};
use serde::{Deserialize, Serialize};

/// How one of the six movements of a joint is held: along x, y, z, then about them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub enum Fix {
    /// It moves.
    #[default]
    Free,
    /// It does not.
    Held,
    /// Against a spring, in N/mm or N·mm/rad.
    Spring(f64),
    /// It is moved by so much, in mm or rad.
    Moved(f64),
}

/// A point where members meet.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Joint {
    /// In mm.
    pub at: Point,
    /// Along x, y, z, then about them.
    pub held: [Fix; 6],
    /// Numbers of the frame's sets that it is in, rising.
    #[serde(skip)]
    pub sets: Vec<u32>,
}

impl Joint {
    /// Whether it is supported in any way.
    pub fn is_supported(&self) -> bool {
        self.held.iter().any(|f| *f != Fix::Free)
    }
}

/// How a member's end is joined.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum End {
    /// It turns with the joint.
    #[default]
    Rigid,
    /// It turns freely about both axes of its section; torsion is held.
    Pinned,
    /// It slides along the member.
    Sliding,
    /// It turns about both axes of its section against a spring, in N·mm/rad; torsion is held.
    Elastic(f64),
}

impl End {
    /// The local movements that the end does not share with its joint.
    pub fn released(self) -> &'static [usize] {
        match self {
            End::Rigid => &[],
            End::Pinned | End::Elastic(_) => &[4, 5],
            End::Sliding => &[0],
        }
    }

    /// What those movements take, in N·mm/rad: nought where the end lets go.
    pub fn spring(self) -> f64 {
        if let End::Elastic(stiffness) = self { stiffness } else { 0.0 }
    }
}

/// A straight piece between two joints.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Member {
    /// Joints at its ends.
    pub ends: [u32; 2],
    /// Of the frame's sections.
    pub section: Option<u32>,
    /// Of the frame's materials.
    pub material: Option<u32>,
    /// Of the frame's layers.
    pub layer: u32,
    /// Degrees by which its section is turned about the member, from “web vertical” (for upright members: web along x).
    pub turn: f64,
    /// How its ends are joined.
    pub joined: [End; 2],
    /// From the joint to the member's end, along the whole's axes in mm: a rigid piece that has no mass of its own.
    #[serde(skip)]
    pub offset: [V3; 2],
    /// Numbers of the frame's sets that it is in, rising.
    #[serde(skip)]
    pub sets: Vec<u32>,
}

impl Member {
    /// Whether it ends beside a joint.
    pub fn is_offset(&self) -> bool {
        self.offset != [[0.0; 3]; 2]
    }
}

/// What members are made of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Material {
    /// As people call it.
    pub name: String,
    /// Young's modulus, in N/mm².
    pub young: f64,
    /// Shear modulus, in N/mm².
    pub shear: f64,
    /// In t/mm³.
    pub density: f64,
    /// Where it yields, in N/mm²; of timber its strength in bending.
    pub yields: f64,
}

/// Materials by name: name, Young's and shear modulus in N/mm², density in kg/m³, yield in N/mm². EN 1993-1-1 (steel, thickness
/// up to 40 mm), EN 1993-1-4 (stainless), EN 1999-1-1 (6082-T6, 5083-H111), EN 338 (C24), EN 14080 (GL24h); *from memory*.
const MATERIALS: [(&str, [f64; 4]); 8] = [
    ("S235", [210_000.0, 81_000.0, 7850.0, 235.0]),
    ("S275", [210_000.0, 81_000.0, 7850.0, 275.0]),
    ("S355", [210_000.0, 81_000.0, 7850.0, 355.0]),
    ("1.4404", [200_000.0, 76_923.0, 8000.0, 220.0]),
    ("EN AW-6082-T6", [70_000.0, 27_000.0, 2700.0, 260.0]),
    ("EN AW-5083-H111", [70_000.0, 27_000.0, 2700.0, 110.0]),
    ("C24", [11_000.0, 690.0, 420.0, 24.0]),
    ("GL24h", [11_500.0, 650.0, 420.0, 24.0]),
];

impl Material {
    /// The material of a name.
    pub fn named(name: &str) -> Option<Material> {
        let (name, [young, shear, density, yields]) =
            MATERIALS.iter().find(|m| m.0.eq_ignore_ascii_case(name.trim()))?;
        Some(Material { name: (*name).into(), young: *young, shear: *shear, density: density * 1e-12, yields: *yields })
    }

    /// The names there are.
    pub fn names() -> impl Iterator<Item = &'static str> {
        MATERIALS.iter().map(|m| m.0)
    }
}

/// A load.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Load {
    /// Loads of one case act together.
    pub case: String,
    /// What acts.
    pub kind: LoadKind,
}

/// What acts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum LoadKind {
    /// The members' own weight: the acceleration, in mm/s².
    Weight {
        /// Mostly downwards.
        acceleration: V3,
    },
    /// A force and a moment on a joint, in N and N·mm.
    Joint {
        /// Which.
        joint: u32,
        /// Along x, y, z, then about them.
        force: [f64; 6],
    },
    /// A force along the whole of a member, in N/mm, along the axes of the whole.
    Line {
        /// Which.
        member: u32,
        /// Along x, y, z.
        force: V3,
    },
    /// A member that is warmer than when it was built, in kelvin, and how much it grows by one, in 1/K.
    Warmth {
        /// Which.
        member: u32,
        /// Warmer by so much.
        by: f64,
        /// Of its length.
        growth: f64,
    },
}

/// Members between joints.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Stored", into = "Stored")]
pub struct Frame {
    /// Where members meet.
    pub joints: Vec<Joint>,
    /// Between them.
    pub members: Vec<Member>,
    /// Sections that members have.
    pub sections: Vec<Section>,
    /// Materials that members have.
    pub materials: Vec<Material>,
    /// Names of layers.
    pub layers: Vec<String>,
    /// What acts.
    pub loads: Vec<Load>,
    /// Cases together, each times a factor.
    pub combinations: Vec<Combination>,
    /// Names of sets; members and joints say which they are in.
    pub sets: Vec<String>,
}

/// A set with what is in it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct NamedSet {
    /// As people call it.
    pub name: String,
    /// Members, by number from 0, rising.
    pub members: Vec<u32>,
    /// Joints, by number from 0, rising.
    pub joints: Vec<u32>,
}

/// A frame as it is written: what few members have stands behind the rest, so that frames of before can be read.
#[derive(Serialize, Deserialize)]
struct Stored {
    joints: Vec<Joint>,
    members: Vec<Member>,
    sections: Vec<Section>,
    materials: Vec<Material>,
    layers: Vec<String>,
    loads: Vec<Load>,
    /// Frames stored before there were any end here.
    #[serde(default)]
    combinations: Vec<Combination>,
    /// Of members that end beside a joint. Frames stored before there were any end here.
    #[serde(default)]
    offsets: Vec<(u32, [V3; 2])>,
    /// Frames stored before there were any end here.
    #[serde(default)]
    sets: Vec<NamedSet>,
}

impl TryFrom<Stored> for Frame {
    type Error = String;

    fn try_from(s: Stored) -> Result<Frame, String> {
        let Stored { mut joints, mut members, sections, materials, layers, loads, combinations, offsets, sets } = s;
        for (number, offset) in offsets {
            let member = members.get_mut(number as usize);
            member.ok_or_else(|| format!("an offset is of member {}, which is not there", number + 1))?.offset = offset;
        }
        for (number, set) in (0..).zip(&sets) {
            let missing = |what: &str, i: u32| format!("set “{}” holds {what} {}, which is not there", set.name, i + 1);
            for i in &set.members {
                members.get_mut(*i as usize).ok_or_else(|| missing("member", *i))?.sets.push(number);
            }
            for i in &set.joints {
                joints.get_mut(*i as usize).ok_or_else(|| missing("joint", *i))?.sets.push(number);
            }
        }
        let sets = sets.into_iter().map(|s| s.name).collect();
        Ok(Frame { joints, members, sections, materials, layers, loads, combinations, sets })
    }
}

impl From<Frame> for Stored {
    fn from(f: Frame) -> Stored {
        let sets = f.named_sets();
        let Frame { joints, members, sections, materials, layers, loads, combinations, .. } = f;
        let all = members.iter().enumerate().filter(|(_, m)| m.is_offset());
        let offsets = all.map(|(i, m)| (i as u32, m.offset)).collect();
        Stored { joints, members, sections, materials, layers, loads, combinations, offsets, sets }
    }
}

/// Cases that act together, each times a factor.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Combination {
    /// As people call it.
    pub name: String,
    /// Cases with their factors.
    pub parts: Vec<(String, f64)>,
}

impl Load {
    /// The same so many times as large, in another case.
    fn times(&self, factor: f64, case: &str) -> Load {
        let kind = match &self.kind {
            LoadKind::Weight { acceleration } => LoadKind::Weight { acceleration: scale(*acceleration, factor) },
            LoadKind::Joint { joint, force } => LoadKind::Joint { joint: *joint, force: force.map(|x| x * factor) },
            LoadKind::Line { member, force } => LoadKind::Line { member: *member, force: scale(*force, factor) },
            LoadKind::Warmth { member, by, growth } => {
                LoadKind::Warmth { member: *member, by: by * factor, growth: *growth }
            }
        };
        Load { case: case.into(), kind }
    }
}

impl Frame {
    /// The number of the set of a name.
    pub fn set_called(&self, name: &str) -> Option<u32> {
        self.sets.iter().position(|s| s == name).map(|i| i as u32)
    }

    /// Every set with what is in it, in the order in which they were named.
    pub fn named_sets(&self) -> Vec<NamedSet> {
        let named = |name: &String| NamedSet { name: name.clone(), ..NamedSet::default() };
        let mut out: Vec<NamedSet> = self.sets.iter().map(named).collect();
        for (i, m) in (0..).zip(&self.members) {
            m.sets.iter().for_each(|s| out[*s as usize].members.push(i));
        }
        for (i, j) in (0..).zip(&self.joints) {
            j.sets.iter().for_each(|s| out[*s as usize].joints.push(i));
        }
        out
    }

    /// Puts members and joints, by number, into the set of a name, beside what is in it.
    pub fn put_in_set(&mut self, name: &str, members: &[usize], joints: &[usize]) {
        let number = self.set_called(name).unwrap_or_else(|| {
            self.sets.push(name.into());
            self.sets.len() as u32 - 1
        });
        let put = |sets: &mut Vec<u32>| {
            if let Err(at) = sets.binary_search(&number) {
                sets.insert(at, number);
            }
        };
        members.iter().for_each(|m| put(&mut self.members[*m].sets));
        joints.iter().for_each(|j| put(&mut self.joints[*j].sets));
    }

    /// Takes a set's name away; whether there was one.
    pub fn drop_set(&mut self, name: &str) -> bool {
        let Some(number) = self.set_called(name) else { return false };
        self.sets.remove(number as usize);
        let lists = self.members.iter_mut().map(|m| &mut m.sets).chain(self.joints.iter_mut().map(|j| &mut j.sets));
        for sets in lists {
            sets.retain(|s| *s != number);
            sets.iter_mut().filter(|s| **s > number).for_each(|s| *s -= 1);
        }
        true
    }

    /// The places of a member's ends.
    pub fn places(&self, member: &Member) -> [Point; 2] {
        [0, 1].map(|e| add(self.joints[member.ends[e] as usize].at, member.offset[e]))
    }

    /// How long a member is.
    pub fn length(&self, member: &Member) -> f64 {
        let [a, b] = self.places(member);
        distance(a, b)
    }

    /// A member's axes: along it, then its section's y and z. “Web vertical”: z is as upright as it can be.
    pub fn axes(&self, member: &Member) -> [V3; 3] {
        let [a, b] = self.places(member);
        let x = unit(sub(b, a)).unwrap_or([1.0, 0.0, 0.0]);
        let up = if x[2].abs() > 0.999_999 { [1.0, 0.0, 0.0] } else { [0.0, 0.0, 1.0] };
        let z = unit(sub(up, scale(x, dot(up, x)))).unwrap_or([0.0, 0.0, 1.0]);
        let y = cross(z, x);
        let (s, c) = member.turn.to_radians().sin_cos();
        let turned = |a: V3, b: V3, s: f64| std::array::from_fn(|k| a[k] * c + b[k] * s);
        [x, turned(y, z, s), turned(z, y, -s)]
    }

    /// The section and the material of a member, where it has both.
    pub fn made_of(&self, member: &Member) -> Option<(&Section, &Material)> {
        Some((self.sections.get(member.section? as usize)?, self.materials.get(member.material? as usize)?))
    }

    /// The number of a section, taken in if it is new.
    pub fn take_section(&mut self, section: Section) -> u32 {
        let at = self.sections.iter().position(|s| *s == section).unwrap_or_else(|| {
            self.sections.push(section);
            self.sections.len() - 1
        });
        at as u32
    }

    /// The number of a layer, taken in if it is new.
    pub fn take_layer(&mut self, name: &str) -> u32 {
        let at = self.layers.iter().position(|l| l == name).unwrap_or_else(|| {
            self.layers.push(name.into());
            self.layers.len() - 1
        });
        at as u32
    }

    /// The number of a material, taken in if it is new.
    pub fn take_material(&mut self, material: Material) -> u32 {
        let at = self.materials.iter().position(|m| *m == material).unwrap_or_else(|| {
            self.materials.push(material);
            self.materials.len() - 1
        });
        at as u32
    }

    /// Drops every group of members that hang together but the largest, the first of those of one size; joints that nothing
    /// uses go, and loads on what is gone.
    pub fn keep_largest_group(&mut self) {
        let group = crate::checks::groups(self);
        let mut size = std::collections::BTreeMap::new();
        group.iter().for_each(|g| *size.entry(*g).or_insert(0_usize) += 1);
        let largest = size.iter().max_by(|a, b| a.1.cmp(b.1).then(b.0.cmp(a.0))).map(|g| *g.0);
        let kept: Vec<bool> = group.iter().map(|g| Some(*g) == largest).collect();
        self.keep(&kept);
    }

    /// The box of its joints, and of members that end beside them.
    pub fn bounds(&self) -> Bounds {
        let beside = self.members.iter().filter(|m| m.is_offset()).flat_map(|m| self.places(m));
        Bounds::of(self.joints.iter().map(|j| j.at).chain(beside))
    }

    /// All mass, in tonnes; of members without section or material none.
    pub fn mass(&self) -> f64 {
        let of = |m: &Member| self.made_of(m).map_or(0.0, |(s, mat)| s.area * mat.density * self.length(m));
        self.members.iter().map(of).sum()
    }

    /// The frame under a combination: its loads are those of the cases, each times its factor, in a case of that name.
    /// Nothing if no combination is called so.
    pub fn combined(&self, name: &str) -> Option<Frame> {
        let combination = self.combinations.iter().find(|c| c.name == name)?;
        let of = |(case, factor): &(String, f64)| {
            let own = self.loads.iter().filter(|l| l.case == *case);
            own.map(|l| l.times(*factor, name)).collect::<Vec<_>>()
        };
        let loads = combination.parts.iter().flat_map(of).collect();
        Some(Frame { loads, combinations: Vec::new(), ..self.clone() })
    }

    /// The names of cases and then of combinations: what a trial is made of.
    pub fn tried(&self) -> Vec<String> {
        self.cases().into_iter().chain(self.combinations.iter().map(|c| c.name.clone())).collect()
    }

    /// The names of cases, in order.
    pub fn cases(&self) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        for load in &self.loads {
            if !out.contains(&load.case) {
                out.push(load.case.clone());
            }
        }
        out
    }

    /// The same frame with each member in `pieces` of equal length; loads on members go to their pieces.
    #[must_use]
    pub fn divided(&self, pieces: usize) -> Frame {
        let mut out = Frame { members: Vec::new(), loads: Vec::new(), ..self.clone() };
        let n = pieces.max(1);
        for m in &self.members {
            let [a, b] = self.places(m);
            let mut before = m.ends[0];
            for i in 1..=n {
                let after = if i == n {
                    m.ends[1]
                } else {
                    let t = i as f64 / n as f64;
                    let at = std::array::from_fn(|k| a[k] + (b[k] - a[k]) * t);
                    out.joints.push(Joint { at, ..Joint::default() });
                    out.joints.len() as u32 - 1
                };
                let joined =
                    [if i == 1 { m.joined[0] } else { End::Rigid }, if i == n { m.joined[1] } else { End::Rigid }];
                let offset = [if i == 1 { m.offset[0] } else { [0.0; 3] }, if i == n { m.offset[1] } else { [0.0; 3] }];
                out.members.push(Member { ends: [before, after], joined, offset, ..m.clone() });
                before = after;
            }
        }
        for load in &self.loads {
            let pieces_of = |member: u32| (0..n as u32).map(move |i| member * n as u32 + i);
            match &load.kind {
                LoadKind::Line { member, force } => out.loads.extend(
                    pieces_of(*member)
                        .map(|member| Load { case: load.case.clone(), kind: LoadKind::Line { member, force: *force } }),
                ),
                LoadKind::Warmth { member, by, growth } => out.loads.extend(pieces_of(*member).map(|member| Load {
                    case: load.case.clone(),
                    kind: LoadKind::Warmth { member, by: *by, growth: *growth },
                })),
                _ => out.loads.push(load.clone()),
            }
        }
        out
    }
}
