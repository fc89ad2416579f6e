//! A frame as a structural analysis model of IFC4 (ISO 16739-1): curve members with their profiles and materials, point
//! connections with what holds them, load cases with their actions, combinations.
//!
//! Places and dimensions of profiles are in the unit of the file; all other figures are in SI units, which the file declares.

mod loads;
mod made;
mod units;

pub mod read;

use hull_formats::step::write::lines::{Lines, list, refs, text, triple};
use hull_formats::text::real;
use hull_frames::{Fix, Frame, Joint, Member};
use hull_geometry::Unit;

/// Standard gravity in mm/s² (ISO 80000-3): own weight is told in parts of it.
const GRAVITY: f64 = 9806.65;
/// The case of supports that are moved, which act in every trial.
const MOVED: &str = "supports moved";

/// Numbers of the records that others refer to.
struct Common {
    /// The context of shapes that are points and edges.
    shapes: usize,
    /// Where everything is placed: at the origin.
    placement: usize,
}

/// The file while it is written.
struct Writer<'a> {
    lines: Lines,
    frame: &'a Frame,
    /// From mm to the unit of the file.
    factor: f64,
    /// How many global identifiers were given.
    given: u64,
    stem: &'a str,
}

/// A frame as an IFC file in a unit of length.
pub fn write(stem: &str, frame: &Frame, unit: Unit) -> Vec<u8> {
    let mut w = Writer { lines: Lines::default(), frame, factor: 1.0 / unit.millimetres(), given: 0, stem };
    let (project, common) = w.project(unit);
    let vertices: Vec<usize> = frame.joints.iter().map(|j| w.vertex(j)).collect();
    let used = used(frame);
    let connections: Vec<Option<usize>> = frame
        .joints
        .iter()
        .enumerate()
        .map(|(i, j)| used[i].then(|| w.connection(i, j, vertices[i], &common)))
        .collect();
    let members: Vec<usize> =
        frame.members.iter().enumerate().map(|(i, m)| w.member(i, m, &vertices, &common)).collect();
    for (m, number) in frame.members.iter().zip(&members) {
        for end in 0..2 {
            if let Some(connection) = connections[m.ends[end] as usize] {
                w.end(m, end, *number, connection);
            }
        }
    }
    w.made_of(&members);
    let loaded_by = w.loads(&connections, &members, &common);
    let everything: Vec<usize> = connections.iter().flatten().chain(&members).copied().collect();
    w.model(project, &common, &everything, &loaded_by);
    w.sets(&connections, &members);
    let head = format!(
        "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION(('structural analysis model'),'2;1');\nFILE_NAME({},'',(''),(''),\
         'Ready Hull {}','Ready Hull','');\nFILE_SCHEMA(('IFC4'));\nENDSEC;\nDATA;\n",
        text(stem),
        env!("CARGO_PKG_VERSION"),
    );
    [head.as_bytes(), w.lines.text.as_bytes(), b"ENDSEC;\nEND-ISO-10303-21;\n"].concat()
}

/// Which joints a member ends at, or a support or a load is on.
fn used(frame: &Frame) -> Vec<bool> {
    let mut out: Vec<bool> = frame.joints.iter().map(Joint::is_supported).collect();
    frame.members.iter().flat_map(|m| m.ends).for_each(|j| out[j as usize] = true);
    out
}

/// A global identifier (128 bits in 22 letters of the standard's alphabet) that is the same whenever the same is written.
fn global_id(stem: &str, number: u64) -> String {
    const LETTERS: &[u8; 64] = b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz_$";
    // FNV-1a in 128 bits (Fowler, Noll, Vo).
    let step = |hash: u128, byte: u8| (hash ^ u128::from(byte)).wrapping_mul(0x0000_0000_0100_0000_0000_0000_0000_013B);
    let bytes = stem.bytes().chain(number.to_le_bytes());
    let hash = bytes.fold(0x6C62_272E_07BB_0142_62B8_2175_6295_C58D_u128, step);
    (0..22).rev().map(|i| LETTERS[(hash >> (6 * i) & 63) as usize] as char).collect::<String>()
}

impl Writer<'_> {
    fn add(&mut self, record: impl std::fmt::Display) -> usize {
        self.lines.add(record)
    }

    /// An object of the model: its identifier, then what follows its owner.
    fn object(&mut self, kind: &str, name: &str, rest: &str) -> usize {
        self.given += 1;
        // 128 bits leave two for the first letter.
        let id = global_id(self.stem, self.given);
        self.lines.add(format!("{kind}('{id}',$,{},$,{rest})", text(name)))
    }

    /// A relation, which has no name.
    fn relation(&mut self, kind: &str, rest: &str) -> usize {
        self.given += 1;
        let id = global_id(self.stem, self.given);
        self.lines.add(format!("{kind}('{id}',$,$,$,{rest})"))
    }

    fn point(&mut self, at: [f64; 3]) -> usize {
        self.add(format!("IFCCARTESIANPOINT({})", triple(at.map(|x| x * self.factor))))
    }

    fn direction(&mut self, way: [f64; 3]) -> usize {
        self.add(format!("IFCDIRECTION({})", triple(way)))
    }

    fn project(&mut self, unit: Unit) -> (usize, Common) {
        let units = self.units(unit);
        let origin = self.point([0.0; 3]);
        let axes = self.add(format!("IFCAXIS2PLACEMENT3D(#{origin},$,$)"));
        let context = self.add(format!("IFCGEOMETRICREPRESENTATIONCONTEXT($,'Model',3,1.E-5,#{axes},$)"));
        let shapes = self.add(format!(
            "IFCGEOMETRICREPRESENTATIONSUBCONTEXT('Reference','Model',*,*,*,*,#{context},$,.GRAPH_VIEW.,$)"
        ));
        let placement = self.add(format!("IFCLOCALPLACEMENT($,#{axes})"));
        let stem = self.stem;
        let project = self.object("IFCPROJECT", stem, &format!("$,$,$,(#{context}),#{units}"));
        (project, Common { shapes, placement })
    }

    fn vertex(&mut self, joint: &Joint) -> usize {
        let at = self.point(joint.at);
        self.add(format!("IFCVERTEXPOINT(#{at})"))
    }

    /// A shape of one vertex or one edge.
    fn shape(&mut self, kind: &str, item: usize, common: &Common) -> usize {
        let shape = self.add(format!("IFCTOPOLOGYREPRESENTATION(#{},'Reference','{kind}',(#{item}))", common.shapes));
        self.add(format!("IFCPRODUCTDEFINITIONSHAPE($,$,(#{shape}))"))
    }

    fn connection(&mut self, number: usize, joint: &Joint, vertex: usize, common: &Common) -> usize {
        let shape = self.shape("Vertex", vertex, common);
        let held = joint.is_supported().then(|| self.condition(&joint.held));
        let held = held.map_or("$".into(), |h| format!("#{h}"));
        let placement = common.placement;
        let name = format!("joint {}", number + 1);
        self.object("IFCSTRUCTURALPOINTCONNECTION", &name, &format!("$,#{placement},#{shape},{held},$"))
    }

    /// How six movements are held: along x, y, z, then about them.
    fn condition(&mut self, held: &[Fix; 6]) -> usize {
        let each = held.iter().enumerate().map(|(k, fix)| match fix {
            Fix::Free => "IFCBOOLEAN(.F.)".to_string(),
            Fix::Held | Fix::Moved(_) => "IFCBOOLEAN(.T.)".into(),
            // N/mm are 1000 N/m; N·mm are 0.001 N·m.
            Fix::Spring(s) if k < 3 => format!("IFCLINEARSTIFFNESSMEASURE({})", real(s * 1e3)),
            Fix::Spring(s) => format!("IFCROTATIONALSTIFFNESSMEASURE({})", real(s * 1e-3)),
        });
        let each = each.collect::<Vec<_>>().join(",");
        self.add(format!("IFCBOUNDARYNODECONDITION($,{each})"))
    }

    fn member(&mut self, number: usize, member: &Member, vertices: &[usize], common: &Common) -> usize {
        let places = self.frame.places(member);
        // A member that ends beside its joint has a vertex of its own there.
        let [a, b] = [0, 1].map(|e| match member.offset[e] == [0.0; 3] {
            true => vertices[member.ends[e] as usize],
            false => {
                let at = self.point(places[e]);
                self.add(format!("IFCVERTEXPOINT(#{at})"))
            }
        });
        let edge = self.add(format!("IFCEDGE(#{a},#{b})"));
        let shape = self.shape("Edge", edge, common);
        let up = self.frame.axes(member)[2];
        let up = self.direction(up);
        let layer = self.frame.layers.get(member.layer as usize).map_or("$".to_string(), |l| text(l));
        let name = format!("member {}", number + 1);
        let rest = format!("{layer},#{},#{shape},.RIGID_JOINED_MEMBER.,#{up}", common.placement);
        self.object("IFCSTRUCTURALCURVEMEMBER", &name, &rest)
    }

    /// How an end of a member is joined: what it lets go of is told along the member's own axes, and where it ends beside its
    /// joint, how far: from its own end to the joint.
    fn end(&mut self, member: &Member, end: usize, number: usize, connection: usize) {
        let released = member.joined[end].released();
        let told = if released.is_empty() {
            "$,$,$,$".to_string()
        } else {
            let spring = member.joined[end].spring();
            let soft = if spring > 0.0 { Fix::Spring(spring) } else { Fix::Free };
            let held = std::array::from_fn(|k| if released.contains(&k) { soft } else { Fix::Held });
            let condition = self.condition(&held);
            let at = self.frame.places(member)[end];
            let [x, _, z] = self.frame.axes(member);
            let (at, z, x) = (self.point(at), self.direction(z), self.direction(x));
            let axes = self.add(format!("IFCAXIS2PLACEMENT3D(#{at},#{z},#{x})"));
            format!("#{condition},$,$,#{axes}")
        };
        if member.offset[end] == [0.0; 3] {
            self.relation("IFCRELCONNECTSSTRUCTURALMEMBER", &format!("#{number},#{connection},{told}"));
            return;
        }
        let joint = self.frame.joints[member.ends[end] as usize].at;
        let (own, joint) = (self.point(self.frame.places(member)[end]), self.point(joint));
        let [x, y, z] = member.offset[end].map(|d| real(-d * self.factor));
        let beside = self.add(format!("IFCCONNECTIONPOINTECCENTRICITY(#{own},#{joint},{x},{y},{z})"));
        self.relation("IFCRELCONNECTSWITHECCENTRICITY", &format!("#{number},#{connection},{told},#{beside}"));
    }

    fn model(&mut self, project: usize, common: &Common, everything: &[usize], loaded_by: &[usize]) {
        let by = if loaded_by.is_empty() { "$".to_string() } else { refs(loaded_by.iter().copied()) };
        let rest = format!("$,.LOADING_3D.,$,{by},$,#{}", common.placement);
        let stem = self.stem;
        let model = self.object("IFCSTRUCTURALANALYSISMODEL", stem, &rest);
        self.relation("IFCRELDECLARES", &format!("#{project},(#{model})"));
        if !everything.is_empty() {
            self.assign(everything, model);
        }
    }

    /// Named sets, as groups.
    fn sets(&mut self, connections: &[Option<usize>], members: &[usize]) {
        for set in self.frame.named_sets() {
            let joints = set.joints.iter().filter_map(|j| connections[*j as usize]);
            let all: Vec<usize> = set.members.iter().map(|m| members[*m as usize]).chain(joints).collect();
            if !all.is_empty() {
                let group = self.object("IFCGROUP", &set.name, "'set'");
                self.assign(&all, group);
            }
        }
    }

    fn assign(&mut self, objects: &[usize], group: usize) {
        let all = refs(objects.iter().copied());
        self.relation("IFCRELASSIGNSTOGROUP", &format!("{all},$,#{group}"));
    }

    /// A property with its measure.
    fn property(&mut self, name: &str, measure: &str, value: f64) -> usize {
        self.add(format!("IFCPROPERTYSINGLEVALUE('{name}',$,{measure}({}),$)", real(value)))
    }

    /// Properties of a material or a profile under a name that the standard knows.
    fn properties(&mut self, kind: &str, set: &str, of: usize, values: &[(&str, &str, f64)]) {
        let each: Vec<usize> = values.iter().map(|(name, measure, x)| self.property(name, measure, *x)).collect();
        self.add(format!("{kind}('{set}',$,{},#{of})", list(each.iter().map(|n| format!("#{n}")))));
    }
}
