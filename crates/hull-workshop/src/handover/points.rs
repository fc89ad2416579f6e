//! Points and splats as a file, read back and compared.

use super::{Comparison, Form, HandoverError, NamedFile};
use crate::numbers::{count, fixed, four_digits};
use hull_geometry::cloud::Cloud;
use hull_geometry::splats::Splat;
use hull_geometry::vector::{distance, scale};
use hull_geometry::{Point, Unit, Watch};

/// Points in the solver's unit as a file, with what was read back of it.
pub(super) fn written(
    stem: &str,
    mut cloud: Cloud,
    unit: Unit,
    form: Form,
    watch: &Watch,
) -> Result<(Vec<NamedFile>, Vec<Comparison>), HandoverError> {
    let factor = 1.0 / unit.millimetres();
    cloud.move_by(|p| scale(p, factor), |d| d, factor);
    let splats = cloud.splats.len();
    let of_scans = matches!(form, Form::Las | Form::Laz | Form::E57);
    if form == Form::Xyz || of_scans {
        // Splats go there as their middles.
        cloud.splats = Vec::new();
    }
    let directions = cloud.normals.len();
    if of_scans {
        cloud.normals = Vec::new();
    }
    let format = form.of_points().ok_or_else(|| HandoverError::Failed("the form is not one of points".into()))?;
    let name = format!("{stem}.{}", format.endings[0]);
    // Each of these formats writes points.
    let bytes = format.write_points.map_or(Vec::new(), |write| write(&cloud, false, Some(unit)));
    let read = hull_formats::open(&name, &bytes, watch).map_err(|e| HandoverError::Different(e.to_string()))?;
    let hull_formats::Content::Points(back) = read else {
        return Err(HandoverError::Different("points came back as something else".into()));
    };
    let back = back.cloud;
    let single = form == Form::UsdzPoints;
    if single && cloud.splats.is_empty() {
        // Single precision, and no directions: what is left is compared as it was written.
        cloud.points.iter_mut().flatten().for_each(|x| *x = f64::from(*x as f32));
        cloud.normals.clear();
    }
    if single {
        cloud.splats.iter_mut().for_each(|s| s.colour = s.colour.map(|x| x.clamp(0.0, 1.0)));
    }
    let mut rows = vec![Comparison::number("points", cloud.points.len(), back.points.len())];
    if matches!(form, Form::Las | Form::Laz) {
        let row = in_steps(&cloud, &back);
        if row.same {
            // What the steps of the form lose is told by itself; the rest is compared as it was written.
            cloud.points.clone_from(&back.points);
        }
        rows.push(row);
    }
    if of_scans && directions > 0 {
        rows.push(Comparison::told("directions", count(directions), "not carried by this form".into(), true));
    }
    if cloud.splats.is_empty() {
        rows.extend(points_compared(&cloud, &back));
        if splats > 0 {
            rows.push(Comparison::told("splats", count(splats), "written as points".into(), true));
        }
    } else {
        rows.extend(splats_compared(&cloud, &back, form));
    }
    Ok((vec![(name, bytes)], rows))
}

/// Places that were written as whole steps of a billionth of the extent, or up to ten times that.
fn in_steps(cloud: &Cloud, back: &Cloud) -> Comparison {
    let most = 1e-8 * cloud.bounds().diagonal();
    let apart = cloud.points.iter().zip(&back.points).map(|(a, b)| distance(*a, *b)).fold(0.0, f64::max);
    let same = apart <= most && cloud.points.len() == back.points.len();
    let (wanted, found) = (four_digits(most), four_digits(apart));
    Comparison::told("places", format!("within {wanted}"), format!("off by {found}"), same)
}

fn points_compared(cloud: &Cloud, back: &Cloud) -> Vec<Comparison> {
    let corner = |figure: &str, a: Point, b: Point| {
        let text = |p: Point| p.map(|x| fixed(x, 6)).join(", ");
        Comparison::told(figure, text(a), text(b), a == b)
    };
    let (a, b) = (cloud.bounds(), back.bounds());
    vec![
        corner("box from", a.min, b.min),
        corner("box to", a.max, b.max),
        Comparison::number("colours", cloud.colours.len(), back.colours.len()),
        Comparison::number("directions", cloud.normals.len(), back.normals.len()),
        Comparison::told("every point, colour and direction", "as sent".into(), "as read".into(), cloud == back),
    ]
}

/// Splats are written in single precision, or in bytes: what that may lose is allowed, and told.
fn splats_compared(cloud: &Cloud, back: &Cloud, form: Form) -> Vec<Comparison> {
    let bytes = form == Form::Splat;
    let reach = cloud.points.iter().flatten().fold(0.0, |m: f64, x| m.max(x.abs()));
    let pairs = || cloud.splats.iter().zip(&back.splats);
    let worst = |of: fn(&Splat, &Splat) -> f64| pairs().map(|(a, b)| of(a, b)).fold(0.0, f64::max);
    let row = |figure: &str, off: f64, most: f64| {
        let same = off <= most && cloud.splats.len() == back.splats.len();
        Comparison::told(figure, format!("within {}", four_digits(most)), format!("off by {}", four_digits(off)), same)
    };
    let apart = cloud.points.iter().zip(&back.points).map(|(a, b)| distance(*a, *b)).fold(0.0, f64::max);
    let step = if bytes { 0.5 / 255.0 + 1e-6 } else { 1e-5 };
    let mut rows = vec![
        Comparison::number("splats", cloud.splats.len(), back.splats.len()),
        row("places", apart, (1e-6 * reach).max(f64::MIN_POSITIVE)),
        row(
            "axes, as a part of the longest",
            worst(|a, b| largest(&a.axes, &b.axes) / f64::from(a.size()).max(1e-30)),
            1e-5,
        ),
        row("turns, radians", worst(turned), if bytes { 0.03 } else { 1e-3 }),
        row("opacity", worst(|a, b| f64::from((a.opacity - b.opacity).abs())), step),
    ];
    if bytes {
        let clamped = worst(|a, b| largest(&a.colour.map(|x| x.clamp(0.0, 1.0)), &b.colour));
        rows.push(row("colours", clamped, step));
    } else {
        rows.push(row("colours", worst(|a, b| largest(&a.colour, &b.colour)), step));
    }
    if form == Form::Ply {
        rows.push(row(
            "colours by direction",
            worst(|a, b| largest(a.sheen.as_flattened(), b.sheen.as_flattened())),
            step,
        ));
    } else {
        rows.push(Comparison::told("colours by direction", "not carried by this form".into(), "—".into(), true));
    }
    rows
}

/// The largest difference of two lists.
fn largest(a: &[f32], b: &[f32]) -> f64 {
    a.iter().zip(b).map(|(x, y)| f64::from((x - y).abs())).fold(0.0, f64::max)
}

/// The angle between two turns.
fn turned(a: &Splat, b: &Splat) -> f64 {
    let product: f64 = a.turn.iter().zip(b.turn).map(|(x, y)| f64::from(x * y)).sum();
    2.0 * product.abs().min(1.0).acos()
}
