//! Facets and lines as a drawing of the year 2000's form, as text.

use crate::format::Surface;
use crate::naming;
use crate::text::real;
use hull_exact::curve::{Curve, Piece};
use hull_exact::fineness::Fineness;
use hull_exact::nurbs::NurbsCurve;
use hull_exact::shape::{Edge, VertexId};
use hull_exact::{Frame, Model, Motion, sample};
use hull_geometry::vector::{scale, sub};
use hull_geometry::{Point, Unit};
use std::f64::consts::TAU;
use std::fmt::Write as _;

/// A curve that has no entity of its own is drawn by straight pieces within this share of its size.
const FINE: f64 = 1e-4;

struct Out {
    text: String,
    handle: usize,
}

impl Out {
    /// The header with the unit, and the layers.
    fn new(layers: &[&str], unit: Option<Unit>) -> Out {
        let mut out = Out { text: String::new(), handle: 0x100 };
        let code = match unit {
            None => "0",
            Some(Unit::In) => "1",
            Some(Unit::Ft) => "2",
            Some(Unit::Mm) => "4",
            Some(Unit::Cm) => "5",
            Some(Unit::M) => "6",
        };
        let head = [
            (0, "SECTION"),
            (2, "HEADER"),
            (9, "$ACADVER"),
            (1, "AC1015"),
            (9, "$INSUNITS"),
            (70, code),
            (0, "ENDSEC"),
            (0, "SECTION"),
            (2, "TABLES"),
            (0, "TABLE"),
            (2, "LTYPE"),
            (5, "5"),
            (100, "AcDbSymbolTable"),
            (70, "1"),
            (0, "LTYPE"),
            (5, "14"),
            (100, "AcDbSymbolTableRecord"),
            (100, "AcDbLinetypeTableRecord"),
            (2, "CONTINUOUS"),
            (70, "0"),
            (3, "Solid line"),
            (72, "65"),
            (73, "0"),
            (40, "0.0"),
            (0, "ENDTAB"),
            (0, "TABLE"),
            (2, "LAYER"),
            (5, "2"),
            (100, "AcDbSymbolTable"),
        ];
        out.pairs(&head);
        out.pair(70, &layers.len().to_string());
        for layer in layers {
            out.pair(0, "LAYER");
            out.handle();
            out.pairs(&[(100, "AcDbSymbolTableRecord"), (100, "AcDbLayerTableRecord"), (2, layer)]);
            out.pairs(&[(70, "0"), (62, "7"), (6, "CONTINUOUS")]);
        }
        out.pairs(&[(0, "ENDTAB"), (0, "ENDSEC"), (0, "SECTION"), (2, "ENTITIES")]);
        out
    }

    fn pair(&mut self, code: i32, value: &str) {
        // Writing to memory cannot fail.
        let _ = writeln!(self.text, "{code:3}\n{value}");
    }

    fn pairs(&mut self, all: &[(i32, &str)]) {
        all.iter().for_each(|(code, value)| self.pair(*code, value));
    }

    fn number(&mut self, code: i32, x: f64) {
        self.pair(code, &real(x));
    }

    fn point(&mut self, code: i32, p: Point) {
        (0..3).for_each(|k| self.number(code + 10 * k as i32, p[k]));
    }

    fn handle(&mut self) {
        self.handle += 1;
        let handle = format!("{:X}", self.handle);
        self.pair(5, &handle);
    }

    fn entity(&mut self, word: &str, layer: &str, class: &str) {
        self.pair(0, word);
        self.handle();
        self.pairs(&[(100, "AcDbEntity"), (8, layer)]);
        if !class.is_empty() {
            self.pair(100, class);
        }
    }

    fn line(&mut self, layer: &str, from: Point, to: Point) {
        self.entity("LINE", layer, "AcDbLine");
        self.point(10, from);
        self.point(11, to);
    }

    fn polyline(&mut self, layer: &str, points: &[Point]) {
        self.entity("POLYLINE", layer, "AcDb3dPolyline");
        self.pairs(&[(66, "1"), (10, "0.0"), (20, "0.0"), (30, "0.0"), (70, "8")]);
        for p in points {
            self.entity("VERTEX", layer, "AcDbVertex");
            self.pair(100, "AcDb3dPolylineVertex");
            self.point(10, *p);
            self.pair(70, "32");
        }
        self.entity("SEQEND", layer, "");
    }

    fn circle(&mut self, layer: &str, frame: &Frame, radius: f64, range: [f64; 2]) {
        let full = (range[1] - range[0]).abs() >= TAU - 1e-9;
        let own = crate::affine::Affine::of_normal(frame.z);
        let local = |p: Point| [0, 1, 2].map(|k| hull_geometry::vector::dot(p, own.columns[k]));
        self.entity(if full { "CIRCLE" } else { "ARC" }, layer, "AcDbCircle");
        self.point(10, local(frame.origin));
        self.number(40, radius);
        self.point(210, frame.z);
        if !full {
            let angle = |t: f64| {
                let p = local(sub(frame.place([radius * t.cos(), radius * t.sin(), 0.0]), frame.origin));
                p[1].atan2(p[0]).to_degrees()
            };
            self.pair(100, "AcDbArc");
            self.number(50, angle(range[0].min(range[1])));
            self.number(51, angle(range[0].max(range[1])));
        }
    }

    fn ellipse(&mut self, layer: &str, frame: &Frame, [a, b]: [f64; 2], range: [f64; 2]) {
        // The longer half axis comes first; where that is y, angles begin a quarter later.
        let (along, ratio, turn) =
            if a >= b { (scale(frame.x, a), b / a, 0.0) } else { (scale(frame.y, b), a / b, -TAU / 4.0) };
        self.entity("ELLIPSE", layer, "AcDbEllipse");
        self.point(10, frame.origin);
        self.point(11, along);
        self.point(210, frame.z);
        self.number(40, ratio);
        self.number(41, range[0].min(range[1]) + turn);
        self.number(42, range[0].max(range[1]) + turn);
    }

    fn spline(&mut self, layer: &str, curve: &NurbsCurve) {
        let knots = curve.knots.values.clone();
        let degree = knots.len() - curve.points.len() - 1;
        self.entity("SPLINE", layer, "AcDbSpline");
        let flags = if curve.rational { "12" } else { "8" };
        self.pairs(&[(70, flags), (71, &degree.to_string()), (72, &knots.len().to_string())]);
        self.pairs(&[(73, &curve.points.len().to_string()), (74, "0")]);
        knots.iter().for_each(|k| self.number(40, *k));
        if curve.rational {
            curve.weights().collect::<Vec<_>>().iter().for_each(|w| self.number(41, *w));
        }
        curve.control_points().collect::<Vec<_>>().iter().for_each(|p| self.point(10, *p));
    }

    fn end(mut self) -> Vec<u8> {
        self.pairs(&[(0, "ENDSEC"), (0, "EOF")]);
        self.text.into_bytes()
    }
}

/// Names of layers as the form allows them: a blank one is `0`, signs with a meaning become `_`; different names stay different.
pub fn layer_names<'a>(names: impl Iterator<Item = &'a str>) -> Vec<String> {
    naming::written(names, layer_name)
}

fn layer_name(name: &str) -> String {
    let clean: String =
        name.chars().map(|c| if "<>/\\\":;?*|=,`".contains(c) || c.is_control() { '_' } else { c }).collect();
    if clean.trim().is_empty() { "0".into() } else { clean }
}

/// Facets as faces of three corners, each part on a layer.
pub fn write_facets(s: &Surface) -> Vec<u8> {
    let layers = layer_names(s.parts.iter().map(|p| p.name));
    let names: Vec<&str> = layers.iter().map(String::as_str).collect();
    let mut out = Out::new(&names, s.unit);
    for (part, layer) in s.parts.iter().zip(&layers) {
        for f in part.facets {
            let [a, b, c] = s.mesh.corners(*f);
            out.entity("3DFACE", layer, "AcDbFace");
            [(10, a), (11, b), (12, c), (13, c)].iter().for_each(|(code, p)| out.point(*code, *p));
        }
    }
    out.end()
}

/// The lines of a model, brought to `unit` by `placed`, each on the layer of its path of names.
pub fn write_lines(model: &Model, placed: &Motion, unit: Option<Unit>) -> Vec<u8> {
    let paths: Vec<String> = model.occurrences().map(|(node, _)| model.path(node)).collect();
    let layers = layer_names(paths.iter().map(String::as_str));
    let mut names: Vec<&str> = layers.iter().map(String::as_str).collect();
    names.dedup();
    let mut out = Out::new(&names, unit);
    for ((node, part), layer) in model.occurrences().zip(&layers) {
        let shape = part.shape.moved(&placed.after(&node.placement));
        for &w in &shape.wires {
            let edge = &shape.edges[w];
            curve(&mut out, layer, &edge.curve, edge.range);
        }
    }
    out.end()
}

fn curve(out: &mut Out, layer: &str, curve: &Curve, range: [f64; 2]) {
    match curve {
        Curve::Line { .. } => out.line(layer, curve.point(range[0]), curve.point(range[1])),
        Curve::Ellipse { frame, a, b } if a == b && !frame.is_mirrored() => out.circle(layer, frame, *a, range),
        Curve::Ellipse { frame, a, b } if !frame.is_mirrored() => out.ellipse(layer, frame, [*a, *b], range),
        Curve::Nurbs(n) if n.knots.domain() == range => out.spline(layer, n),
        Curve::Chain(pieces) if pieces.iter().all(|p| matches!(p.curve, Curve::Line { .. })) => {
            let ends = |p: &Piece| p.curve.point(p.range[1]);
            let first = pieces.iter().take(1).map(|p| p.curve.point(p.range[0]));
            out.polyline(layer, &first.chain(pieces.iter().map(ends)).collect::<Vec<_>>());
        }
        Curve::Chain(pieces) => pieces.iter().for_each(|p| self::curve(out, layer, &p.curve, p.range)),
        other => {
            let ends = [other.point(range[0]), other.point(range[1])];
            let size = hull_geometry::vector::distance(ends[0], ends[1]).max(f64::MIN_POSITIVE);
            let fine = Fineness { deviation: FINE * size, angle: 10.0, largest: None, smallest: None, even: false };
            let edge = Edge { curve: other.clone(), range, ends: [VertexId(0); 2] };
            let points = sample::along(&edge, &fine);
            if points.len() > 1 { out.polyline(layer, &points) } else { out.line(layer, ends[0], ends[1]) }
        }
    }
}
