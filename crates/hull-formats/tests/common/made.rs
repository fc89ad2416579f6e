//! STEP statements written by hand.

use super::step_file;
use hull_exact::Shape;
use hull_exact::model::PartId;
use hull_exact::parameter_loops::Reader;
use hull_exact::quadrature::{Figures, figures, length};
use hull_formats::{Design, step};
use hull_geometry::{Point, Watch};
use std::fmt::Write;

pub fn read(data: &str) -> Design {
    step::read("made.step", step_file(data).as_bytes(), &Watch::default()).unwrap_or_else(|e| panic!("{e}\n{data}"))
}

/// Directions and placements that most statements need: world axes at #10, about y at #11, at (5, 0, 0) at #12.
pub const PLACES: &str = "#1=CARTESIAN_POINT('',(0.,0.,0.));#2=CARTESIAN_POINT('',(5.,0.,0.));#3=DIRECTION('',(0.,0.,1.));\
    #4=DIRECTION('',(1.,0.,0.));#5=DIRECTION('',(0.,1.,0.));#10=AXIS2_PLACEMENT_3D('',#1,#3,#4);\
    #11=AXIS2_PLACEMENT_3D('',#1,#5,#4);#12=AXIS2_PLACEMENT_3D('',#2,#3,#4);#13=AXIS1_PLACEMENT('',#1,#3);";

pub const MM: &str = "(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))";
pub const RADIAN: &str = "(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))";
pub const DEGREE: &str = "(CONVERSION_BASED_UNIT('DEGREE',#906)NAMED_UNIT(#907)PLANE_ANGLE_UNIT())";

/// A context at #900 with a unit of length at #901 and one of angle at #902.
pub fn context(length: &str, angle: &str) -> String {
    format!(
        "#900=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNIT_ASSIGNED_CONTEXT((#901,#902))\
         REPRESENTATION_CONTEXT('',''));#901={length};#902={angle};\
         #906=PLANE_ANGLE_MEASURE_WITH_UNIT(PLANE_ANGLE_MEASURE(0.017453292519943295),#908);\
         #907=DIMENSIONAL_EXPONENTS(0.,0.,0.,0.,0.,0.,0.);#908=(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.));"
    )
}

/// A file of one representation in millimetres and radians with the item #100.
pub fn of(item: &str) -> Design {
    read(&format!("{PLACES}{}#99=SHAPE_REPRESENTATION('',(#10,#100),#900);{item}", context(MM, RADIAN)))
}

pub fn curves(d: &Design) -> (f64, Point, Point) {
    let shape = &d.model.parts[PartId(0)].shape;
    let edges: Vec<_> = shape.wires.iter().map(|w| &shape.edges[*w]).collect();
    let (first, last) = (edges[0], edges[edges.len() - 1]);
    let ends = (first.curve.point(first.range[0]), last.curve.point(last.range[1]));
    (edges.iter().map(|e| length(e)).sum(), ends.0, ends.1)
}

pub fn sum(shapes: &[Shape]) -> Figures {
    assert_eq!(shapes.len(), 1);
    figures(&shapes[0], Reader::Trusting)
}

pub fn at(name: &str, p: Point, q: Point) {
    assert!((0..3).all(|k| (p[k] - q[k]).abs() < 1e-9), "{name}: at {p:?}, expected {q:?}");
}

/// A box from `at` with sides 2, 3 and 4, numbered from `n`: its points, edges, faces; shells and solids are up to the
/// caller. Faces are `n + 60 ..= n + 65`.
pub struct Boxed {
    pub n: u64,
    pub at: Point,
    pub size: Point,
}

impl Boxed {
    fn corner(&self, k: usize) -> Point {
        [0, 1, 2].map(|a| self.at[a] + if k >> a & 1 == 1 { self.size[a] } else { 0.0 })
    }

    /// Corners of the faces, counter-clockwise seen from outside.
    const FACES: [[usize; 4]; 6] = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];

    fn points(&self) -> String {
        let mut out = String::new();
        for k in 0..8 {
            let [x, y, z] = self.corner(k);
            write!(out, "#{}=CARTESIAN_POINT('',({x:?},{y:?},{z:?}));", self.n + k as u64).expect("a string");
        }
        out
    }

    pub fn list(&self) -> String {
        (0..6).map(|i| format!("#{}", self.n + 60 + i)).collect::<Vec<_>>().join(",")
    }

    /// Faces of poly loops on their planes.
    pub fn poly(&self, kind: &str) -> String {
        let mut out = self.points();
        for (i, f) in Self::FACES.iter().enumerate() {
            let (n, ids) = (self.n + 200 + 10 * i as u64, f.map(|k| format!("#{}", self.n + k as u64)).join(","));
            let plane = self.plane(n + 4, f);
            let (surface, sense) = if kind == "FACE" { (String::new(), "") } else { (format!(",#{}", n + 4), ",.T.") };
            write!(
                out,
                "#{}={kind}('',(#{n}){surface}{sense});#{n}=FACE_OUTER_BOUND('',#{},.T.);#{}=POLY_LOOP('',({ids}));{plane}",
                self.n + 60 + i as u64,
                n + 1,
                n + 1
            )
            .expect("a string");
        }
        out
    }

    fn plane(&self, n: u64, f: &[usize; 4]) -> String {
        let [p, q, r] = [f[0], f[1], f[2]].map(|k| self.corner(k));
        let (a, b) = (hull_geometry::vector::sub(q, p), hull_geometry::vector::sub(r, q));
        let z = hull_geometry::vector::cross(a, b);
        format!(
            "#{n}=PLANE('',#{});#{}=AXIS2_PLACEMENT_3D('',#{},#{},#{});#{}=DIRECTION('',({:?},{:?},{:?}));#{}=DIRECTION('',({:?},{:?},{:?}));",
            n + 1,
            n + 1,
            self.n + f[0] as u64,
            n + 2,
            n + 3,
            n + 2,
            z[0],
            z[1],
            z[2],
            n + 3,
            a[0],
            a[1],
            a[2]
        )
    }

    /// Faces with edges and vertices; `complex` has faces and edges as instances of several parts.
    pub fn edged(&self, complex: bool) -> String {
        let mut out = self.points();
        let mut edges: Vec<(usize, usize)> = Vec::new();
        for k in 0..8 {
            write!(out, "#{}=VERTEX_POINT('',#{});", self.n + 10 + k, self.n + k).expect("a string");
        }
        for (i, f) in Self::FACES.iter().enumerate() {
            let n = self.n + 200 + 20 * i as u64;
            let mut names = Vec::new();
            for j in 0..4 {
                let (a, b) = (f[j], f[(j + 1) % 4]);
                let (low, high) = (a.min(b), a.max(b));
                let e = edges.iter().position(|e| *e == (low, high)).unwrap_or_else(|| {
                    edges.push((low, high));
                    edges.len() - 1
                });
                let sense = if a < b { ".T." } else { ".F." };
                write!(out, "#{}=ORIENTED_EDGE('',*,*,#{},{sense});", n + 10 + j as u64, self.n + 20 + e as u64)
                    .expect("a string");
                names.push(format!("#{}", n + 10 + j as u64));
            }
            let (bound, surface) = (format!("#{n}"), format!("#{}", n + 4));
            let face = if complex {
                format!(
                    "(ADVANCED_FACE()FACE(({bound}))FACE_SURFACE({surface},.T.)GEOMETRIC_REPRESENTATION_ITEM()\
                     REPRESENTATION_ITEM('side {i}')TOPOLOGICAL_REPRESENTATION_ITEM())"
                )
            } else {
                format!("ADVANCED_FACE('side {i}',({bound}),{surface},.T.)")
            };
            write!(
                out,
                "#{}={face};#{n}=FACE_BOUND('',#{},.T.);#{}=EDGE_LOOP('',({}));{}",
                self.n + 60 + i as u64,
                n + 1,
                n + 1,
                names.join(","),
                self.plane(n + 4, f)
            )
            .expect("a string");
        }
        for (e, (a, b)) in edges.iter().enumerate() {
            let (p, q) = (self.corner(*a), self.corner(*b));
            let d = hull_geometry::vector::sub(q, p);
            let (id, n) = (self.n + 20 + e as u64, self.n + 100 + 3 * e as u64);
            let [start, end] = [a, b].map(|k| self.n + 10 + *k as u64);
            let edge = if complex {
                format!(
                    "(EDGE(#{start},#{end})EDGE_CURVE(#{n},.T.)GEOMETRIC_REPRESENTATION_ITEM()REPRESENTATION_ITEM('')\
                     TOPOLOGICAL_REPRESENTATION_ITEM())"
                )
            } else {
                format!("EDGE_CURVE('',#{start},#{end},#{n},.T.)")
            };
            write!(
                out,
                "#{id}={edge};#{n}=LINE('',#{},#{});#{}=VECTOR('',#{},1.);#{}=DIRECTION('',({:?},{:?},{:?}));",
                self.n + *a as u64,
                n + 1,
                n + 1,
                n + 2,
                n + 2,
                d[0],
                d[1],
                d[2]
            )
            .expect("a string");
        }
        out
    }
}

pub const BOX: Boxed = Boxed { n: 1000, at: [1.0, 1.0, 1.0], size: [2.0, 3.0, 4.0] };
pub const INNER: Boxed = Boxed { n: 2000, at: [1.5, 1.5, 1.5], size: [1.0, 1.0, 1.0] };
