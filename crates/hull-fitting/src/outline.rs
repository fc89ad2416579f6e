//! Polylines as lines, arcs and splines within a tolerance: the longest line or arc that fits from each place on, and one
//! spline where many short ones would follow each other smoothly.

use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, distance, dot, lerp, norm, scale, sub, unit};

/// A piece of an outline, from where the one before ends.
#[derive(Clone, Debug, PartialEq)]
pub enum Piece {
    /// Straight.
    Line {
        /// Its ends.
        ends: [Point; 2],
    },
    /// Round: from `from`, by `angle` radians about `axis` through `centre`.
    Arc {
        /// Its centre.
        centre: Point,
        /// Across its plane, of length one.
        axis: V3,
        /// Where it begins.
        from: Point,
        /// More than 0, less than a whole turn.
        angle: f64,
    },
    /// Cubic: the four points of each span in Bernstein form; spans meet in one direction.
    Spline {
        /// One after the other.
        spans: Vec<[Point; 4]>,
    },
}

/// An arc takes up at least so many pieces of the polyline: fewer lie on a circle by chance.
const FEWEST: usize = 4;
/// Pieces that meet at less than this many degrees go on smoothly.
const SMOOTH: f64 = 20.0;
/// So many short pieces after each other are tried as a spline.
const MANY: usize = 4;
/// Places that are tried on each span.
const TRIED: usize = 8;

/// The pieces of a polyline, and the largest distance between its corners or the middles of its sides and them. A closed
/// one does not repeat its first point; its pieces end where they begin.
pub fn fitted(points: &[Point], closed: bool, tolerance: f64) -> (Vec<Piece>, f64) {
    let mut way = points.to_vec();
    way.dedup();
    if closed && way.len() > 2 {
        let first = beginning(&way);
        way.rotate_left(first);
        way.push(way[0]);
    }
    if way.len() < 2 {
        return (Vec::new(), 0.0);
    }
    let runs = smoothed(&way, greedy(&way, tolerance), tolerance);
    let off = runs.iter().map(|r| off_by(&way[r.from..=r.to], &r.piece)).fold(0.0, f64::max);
    (runs.into_iter().map(|r| r.piece).collect(), off)
}

/// A piece and the corners of the polyline that it stands for.
struct Run {
    from: usize,
    to: usize,
    piece: Piece,
}

/// Where the pieces of a closed polyline begin: where it turns most, or, if it is smooth all around, where its longest side
/// ends, which is no place within an arc.
fn beginning(way: &[Point]) -> usize {
    let n = way.len();
    let largest = |of: &dyn Fn(usize) -> f64| {
        // The first of equal ones, however they were rounded.
        (0..n).fold((0, f64::NEG_INFINITY), |best, i| {
            if best.1 < 0.0 || of(i) > best.1 * (1.0 + 1e-9) { (i, of(i)) } else { best }
        })
    };
    let corner = largest(&|i| turn(way[(i + n - 1) % n], way[i], way[(i + 1) % n]));
    if corner.1 >= SMOOTH { corner.0 } else { largest(&|i| distance(way[(i + n - 1) % n], way[i])).0 }
}

/// By how many degrees a way turns at its middle place.
fn turn(a: Point, b: Point, c: Point) -> f64 {
    let (u, v) = (sub(b, a), sub(c, b));
    norm(cross(u, v)).atan2(dot(u, v)).to_degrees()
}

fn greedy(way: &[Point], tolerance: f64) -> Vec<Run> {
    let last = way.len() - 1;
    let mut out = Vec::new();
    let mut from = 0;
    while from < last {
        let straight = furthest(from, last, 1, |to| line(&way[from..=to], tolerance).is_some());
        let round = furthest(from, last, FEWEST, |to| arc(&way[from..=to], tolerance).is_some());
        let fit = if round >= from + FEWEST && round > straight { arc } else { line };
        let furthest = if round >= from + FEWEST && round > straight { round } else { straight };
        let to = trimmed(&way[from..=furthest], tolerance, fit) + from;
        let piece = fit(&way[from..=to], tolerance);
        out.push(Run { from, to, piece: piece.unwrap_or(Piece::Line { ends: [way[from], way[to]] }) });
        from = to;
    }
    out
}

/// The last corner that belongs to a piece: not one that the tolerance let in from the next piece, without which it fits
/// much better.
fn trimmed(part: &[Point], tolerance: f64, fit: fn(&[Point], f64) -> Option<Piece>) -> usize {
    let off = |to: usize| fit(&part[..=to], tolerance).map_or(f64::INFINITY, |p| off_by(&part[..=to], &p));
    let mut to = part.len() - 1;
    let mut now = off(to);
    while to > 1 && now > 0.02 * tolerance {
        let next = off(to - 1);
        if next > 0.3 * now {
            break;
        }
        (to, now) = (to - 1, next);
    }
    to
}

/// The furthest place up to which a piece fits, tried in growing steps and then between; `from` if none of `least` does.
fn furthest(from: usize, last: usize, least: usize, fits: impl Fn(usize) -> bool) -> usize {
    if from + least > last || !fits(from + least) {
        return from + usize::from(least == 1);
    }
    let (mut good, mut step) = (from + least, least);
    while good < last && fits((good + step).min(last)) {
        good = (good + step).min(last);
        step *= 2;
    }
    let mut bad = (good + step).min(last + 1);
    while bad - good > 1 {
        let middle = good.midpoint(bad);
        if fits(middle) {
            good = middle;
        } else {
            bad = middle;
        }
    }
    good
}

fn line(part: &[Point], tolerance: f64) -> Option<Piece> {
    let piece = Piece::Line { ends: [part[0], part[part.len() - 1]] };
    (off_by(part, &piece) <= tolerance).then_some(piece)
}

/// The circle through both ends that is nearest to what lies between, by least squares: with the ends at −c and c on x,
/// x² + y² − c² = 2 h y for the height h of the centre.
fn arc(part: &[Point], tolerance: f64) -> Option<Piece> {
    let (a, b) = (part[0], part[part.len() - 1]);
    let normal = part.windows(2).fold([0.0; 3], |sum, w| add(sum, cross(sub(w[0], a), sub(w[1], a))));
    if distance(a, b) <= 1e-9 * norm(normal).sqrt() {
        return None;
    }
    let middle = lerp(a, b, 0.5);
    let x = unit(sub(b, a))?;
    // Across the line between the ends, so that the arc meets both of a way that is not quite flat.
    let axis = unit(sub(normal, scale(x, dot(normal, x))))?;
    let y = cross(axis, x);
    let half = 0.5 * distance(a, b);
    let (mut above, mut below) = (0.0, 0.0);
    for p in part {
        let off = sub(*p, middle);
        let (u, v) = (dot(off, x), dot(off, y));
        above += v * (u * u + v * v - half * half);
        below += 2.0 * v * v;
    }
    let height = if below > 0.0 { above / below } else { return None };
    let centre = add(middle, scale(y, height));
    // What lies between is on the side away from y, as the way turns about the axis.
    let angle = 2.0 * half.atan2(height);
    let piece = Piece::Arc { centre, axis, from: a, angle };
    (angle < 1.9 * std::f64::consts::PI && off_by(part, &piece) <= tolerance).then_some(piece)
}

/// Runs of many short pieces that follow each other smoothly, as splines where that takes fewer.
fn smoothed(way: &[Point], runs: Vec<Run>, tolerance: f64) -> Vec<Run> {
    let is_smooth = |at: usize| at > 0 && at + 1 < way.len() && turn(way[at - 1], way[at], way[at + 1]) < SMOOTH;
    let mut out: Vec<Run> = Vec::new();
    let mut waiting: Vec<Run> = Vec::new();
    let flush = |waiting: &mut Vec<Run>, out: &mut Vec<Run>| {
        let ends = waiting.first().zip(waiting.last()).map(|(a, b)| (a.from, b.to));
        if let (Some((from, to)), true) = (ends, waiting.len() >= MANY) {
            let mut spans = Vec::new();
            spanned(way, from, to, [from, to], tolerance, &mut spans);
            let fewer = spans.len() < 2 * waiting.len();
            let piece = Piece::Spline { spans };
            if fewer && off_by(&way[from..=to], &piece) <= tolerance {
                waiting.clear();
                out.push(Run { from, to, piece });
            }
        }
        out.append(waiting);
    };
    for run in runs {
        if !is_smooth(run.from) {
            flush(&mut waiting, &mut out);
        }
        waiting.push(run);
    }
    flush(&mut waiting, &mut out);
    out
}

/// The direction of a way at a corner: of the circle through it and its neighbours, at its ends of the way there.
fn tangent(way: &[Point], at: usize, [first, last]: [usize; 2]) -> V3 {
    let (i, j, k) = match at {
        _ if last - first < 2 => return unit(sub(way[last], way[first])).unwrap_or_default(),
        at if at == first => (at, at + 1, at + 2),
        at if at == last => (at - 2, at - 1, at),
        at => (at - 1, at, at + 1),
    };
    let (u, v) = (distance(way[i], way[j]), distance(way[j], way[k]));
    let (p, q) = (scale(sub(way[j], way[i]), 1.0 / u), scale(sub(way[k], way[j]), 1.0 / v));
    let inner = scale(add(scale(p, v), scale(q, u)), 1.0 / (u + v));
    // At an end: as far beyond the outer side's direction as the inner one is on this side of it.
    let direction = match at {
        at if at == first => sub(scale(p, 2.0), inner),
        at if at == last => sub(scale(q, 2.0), inner),
        _ => inner,
    };
    unit(direction).unwrap_or_default()
}

/// Cubic spans between corners, halved until each fits.
fn spanned(way: &[Point], from: usize, to: usize, ends: [usize; 2], tolerance: f64, out: &mut Vec<[Point; 4]>) {
    let length: f64 = way[from..=to].windows(2).map(|w| distance(w[0], w[1])).sum();
    let reach = length / 3.0;
    let (p, q) = (tangent(way, from, ends), tangent(way, to, ends));
    let span = [way[from], add(way[from], scale(p, reach)), sub(way[to], scale(q, reach)), way[to]];
    let fits = off_by(&way[from..=to], &Piece::Spline { spans: vec![span] }) <= tolerance;
    if fits || to - from < 2 {
        out.push(span);
        return;
    }
    let middle = from.midpoint(to);
    spanned(way, from, middle, ends, tolerance, out);
    spanned(way, middle, to, ends, tolerance, out);
}

/// A place of a cubic span.
pub fn on_span([a, b, c, d]: &[Point; 4], t: f64) -> Point {
    let s = 1.0 - t;
    let weights = [s * s * s, 3.0 * s * s * t, 3.0 * s * t * t, t * t * t];
    std::array::from_fn(|k| weights[0] * a[k] + weights[1] * b[k] + weights[2] * c[k] + weights[3] * d[k])
}

/// The largest distance between a polyline's corners and middles of sides and a piece that stands for it.
fn off_by(part: &[Point], piece: &Piece) -> f64 {
    let inner = part.windows(2).flat_map(|w| [w[0], lerp(w[0], w[1], 0.5)]);
    let places = inner.chain(part.last().copied());
    match piece {
        Piece::Line { ends } => places.map(|p| to_segment(p, *ends)).fold(0.0, f64::max),
        Piece::Arc { centre, axis, from, angle } => {
            let radius = distance(*from, *centre);
            let x = scale(sub(*from, *centre), 1.0 / radius);
            let y = cross(*axis, x);
            let off = |p: Point| {
                let d = sub(p, *centre);
                let along = dot(d, y).atan2(dot(d, x)).rem_euclid(std::f64::consts::TAU);
                // A little before it begins, or beyond its end: as far as from the end itself.
                let beyond = along > *angle + 1e-9 && along < std::f64::consts::TAU - 1e-9;
                if beyond { f64::INFINITY } else { (dot(d, x).hypot(dot(d, y)) - radius).hypot(dot(d, *axis)) }
            };
            places.map(off).fold(0.0, f64::max)
        }
        Piece::Spline { spans } => {
            let way: Vec<Point> = spans
                .iter()
                .flat_map(|s| (0..TRIED).map(move |i| on_span(s, i as f64 / TRIED as f64)))
                .chain(spans.last().map(|s| s[3]))
                .collect();
            // Both run along each other: what is nearest is looked for from where the last one was.
            let mut at = 0;
            let mut largest: f64 = 0.0;
            for p in places {
                let from = |k: usize| to_segment(p, [way[k], way[k + 1]]);
                let near = (at..way.len() - 1).take(4 * TRIED).map(|k| (k, from(k)));
                let best = near.fold((at, f64::INFINITY), |b, n| if n.1 < b.1 { n } else { b });
                at = best.0;
                largest = largest.max(best.1);
            }
            largest
        }
    }
}

fn to_segment(p: Point, [a, b]: [Point; 2]) -> f64 {
    let along = sub(b, a);
    let square = dot(along, along);
    let t = if square > 0.0 { (dot(sub(p, a), along) / square).clamp(0.0, 1.0) } else { 0.0 };
    distance(p, add(a, scale(along, t)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::{PI, TAU};

    /// A rectangle with round corners, each of `n` sides, turned and moved in space.
    fn rounded([w, h]: [f64; 2], r: f64, n: usize, turn: [V3; 3]) -> Vec<Point> {
        let mut out = Vec::new();
        for (q, (x, y)) in [(1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)].into_iter().enumerate() {
            for i in 0..=n {
                let (s, c) = (PI / 2.0 * (q as f64 + i as f64 / n as f64)).sin_cos();
                let p = [x * (w / 2.0 - r) + r * c, y * (h / 2.0 - r) + r * s];
                out.push(add([3.0, 4.0, 5.0], add(scale(turn[0], p[0]), scale(turn[1], p[1]))));
            }
        }
        out
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

        /// Four lines and four arcs of its radius, whatever the sides of its corners and however it lies, from any point on.
        #[test]
        fn a_rounded_rectangle_is_four_lines_and_four_arcs(
            size in prop::array::uniform2(20.0..60.0_f64),
            r in 2.0..9.0_f64,
            n in 8_usize..40,
            tilt in 0.0..3.0_f64,
            start in 0_usize..40,
        ) {
            let (s, c) = tilt.sin_cos();
            let mut way = rounded(size, r, n, [[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]]);
            let sagitta = r * (1.0 - (PI / 4.0 / n as f64).cos());
            let m = way.len();
            way.rotate_left(start % m);
            let (pieces, off) = fitted(&way, true, 1.5 * sagitta);
            let arcs: Vec<f64> = pieces.iter().filter_map(|p| match p {
                Piece::Arc { centre, from, .. } => Some(distance(*centre, *from)),
                _ => None,
            }).collect();
            prop_assert!(arcs.len() == 4 && pieces.len() == 8, "{pieces:?}");
            prop_assert!(off <= 1.5 * sagitta);
            prop_assert!(arcs.iter().all(|a| (a - r).abs() < 0.01 * r), "{arcs:?} for {r}");
        }
    }

    #[test]
    fn a_circle_is_arcs_an_ellipse_a_spline_and_a_square_its_lines() {
        let round = |a: f64, b: f64, n: usize| -> Vec<Point> {
            (0..n).map(|i| TAU * i as f64 / n as f64).map(|t| [a * t.cos(), b * t.sin(), 2.0]).collect()
        };
        let (circle, off) = fitted(&round(10.0, 10.0, 90), true, 0.01);
        let turned: f64 = circle.iter().map(|p| if let Piece::Arc { angle, .. } = p { *angle } else { 0.0 }).sum();
        assert!((turned - TAU).abs() < 1e-6 && circle.len() <= 3 && off < 0.01, "{circle:?}");
        let (ellipse, off) = fitted(&round(20.0, 10.0, 400), true, 0.002);
        let [Piece::Spline { spans }] = ellipse.as_slice() else { panic!("{ellipse:?}") };
        assert!(off <= 0.002 && spans.len() <= 40, "{} spans", spans.len());
        // The closed form of an ellipse: everywhere between the points, too.
        for t in spans.iter().flat_map(|s| (0..50).map(move |i| on_span(s, f64::from(i) / 50.0))) {
            let level = (t[0] / 20.0).hypot(t[1] / 10.0);
            assert!((level - 1.0).abs() * 10.0 < 0.004, "{t:?}");
        }
        let square = vec![[0.0; 3], [4.0, 0.0, 0.0], [4.0, 4.0, 0.0], [0.0, 4.0, 0.0]];
        assert_eq!(fitted(&square, true, 0.01).0.len(), 4);
        assert_eq!(fitted(&square[..2], false, 0.01).0, vec![Piece::Line { ends: [square[0], square[1]] }]);
        assert!(fitted(&square[..1], false, 0.01).0.is_empty());
    }
}
