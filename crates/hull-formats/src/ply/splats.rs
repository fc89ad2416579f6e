//! Splats in a PLY file, under the property names that captures use: `f_dc_0…2` and `f_rest_…` for harmonics of colour,
//! `opacity` as its logit, `scale_0…2` as logarithms, `rot_0…3` with the real part first. *Common practice, no source.*

use super::{Element, Property};
use hull_geometry::cloud::Cloud;
use hull_geometry::splats::Splat;
use std::collections::BTreeMap;
use std::io::Write as _;

/// Factors of the real spherical harmonics of order 0 and 1: 1/(2 √π) and √3/(2 √π).
const C0: f64 = 0.282_094_791_773_878_14;
const C1: f64 = 0.488_602_511_902_919_9;

/// A length beyond this is none.
const LONGEST: f32 = 1e9;

/// Where the numbers of a splat stand among those that are kept: colour, opacity, axes, turn, first order of red, green, blue.
const DC: usize = 0;
const OPACITY: usize = 3;
const SCALE: usize = 4;
const ROT: usize = 7;
const REST: usize = 11;
const ALL: usize = 20;

/// Which properties of an element say what of a splat.
pub(super) struct Columns {
    /// Of each property, where its number goes.
    pub slots: Vec<Option<usize>>,
    /// Whether harmonics beyond the first order stand there, which are not kept.
    higher: bool,
}

impl Columns {
    /// `None` if the element has no splats.
    pub fn of(element: &Element) -> Option<Columns> {
        let names: Vec<&str> = element.properties.iter().map(Property::name).collect();
        let rest = names.iter().filter(|n| n.starts_with("f_rest_")).count();
        let each = rest / 3;
        let slot = |name: &&str| {
            let numbered = |of: &str, base: usize, most: usize| {
                let n: usize = name.strip_prefix(of)?.parse().ok()?;
                (n < most).then_some(base + n)
            };
            let harmonic = || {
                let n: usize = name.strip_prefix("f_rest_")?.parse().ok()?;
                (each >= 3 && n < rest && n % each < 3).then(|| REST + 3 * (n / each) + n % each)
            };
            let opacity = (*name == "opacity").then_some(OPACITY);
            let plain = numbered("f_dc_", DC, 3).or_else(|| numbered("scale_", SCALE, 3));
            plain.or_else(|| numbered("rot_", ROT, 4)).or(opacity).or_else(harmonic)
        };
        let slots: Vec<Option<usize>> = names.iter().map(slot).collect();
        let has = |s: usize| slots.contains(&Some(s));
        (0..REST).all(has).then_some(Columns { slots, higher: each > 3 })
    }
}

/// Splats as they are read, with what could not be used of them.
#[derive(Default)]
pub(super) struct Taken {
    pub splats: Vec<Splat>,
    /// What was wrong, with how many and the number of the first.
    wrong: BTreeMap<&'static str, (usize, usize)>,
    number: usize,
}

impl Taken {
    /// Takes the next splat; whether it is one.
    pub fn take(&mut self, at: [f64; 3], n: &[f64; ALL]) -> bool {
        let number = self.number;
        self.number += 1;
        let turn = [n[ROT], n[ROT + 1], n[ROT + 2], n[ROT + 3]];
        let idle = turn.iter().all(|x| *x == 0.0);
        if idle {
            self.note("splats without a rotation, taken as not turned", number);
        }
        let splat = Splat {
            axes: [0, 1, 2].map(|k| n[SCALE + k].exp() as f32),
            turn: if idle { [1.0, 0.0, 0.0, 0.0] } else { turn.map(|x| x as f32) },
            opacity: (1.0 / (1.0 + (-n[OPACITY]).exp())) as f32,
            colour: [0, 1, 2].map(|k| (0.5 + C0 * n[DC + k]) as f32),
            // The first order is y, z and x of the direction, with signs −, + and −.
            sheen: [0, 1, 2].map(|k| {
                let [y, z, x] = [n[REST + 3 * k], n[REST + 3 * k + 1], n[REST + 3 * k + 2]];
                [-C1 * x, -C1 * y, C1 * z].map(|v| v as f32)
            }),
        };
        if !at.iter().all(|x| x.is_finite()) {
            self.note("splats without a place, left out", number);
            return false;
        }
        match splat.settled() {
            Some(splat) if splat.size() < LONGEST => {
                self.splats.push(splat);
                true
            }
            Some(_) => {
                self.note("splats larger than all measure, left out", number);
                false
            }
            None => {
                self.note("splats with numbers that are none, left out", number);
                false
            }
        }
    }

    fn note(&mut self, what: &'static str, number: usize) {
        self.wrong.entry(what).or_insert((0, number)).0 += 1;
    }

    /// What could not be used, in words, with how many.
    pub fn skipped(&self, columns: Option<&Columns>) -> BTreeMap<String, usize> {
        let told = |(what, (count, first)): (&&str, &(usize, usize))| {
            (format!("{what} (the first is number {})", first + 1), *count)
        };
        let mut out: BTreeMap<String, usize> = self.wrong.iter().map(told).collect();
        if columns.is_some_and(|c| c.higher) && !self.splats.is_empty() {
            out.insert("splats with colours by direction beyond the first order".into(), self.splats.len());
        }
        out
    }
}

/// The numbers of a splat as the file has them, in the order of the properties that [`write`] names.
fn numbers(s: &Splat) -> impl Iterator<Item = f64> {
    let opacity = f64::from(s.opacity).clamp(1e-7, 1.0 - 1e-7);
    let colour = s.colour.map(|x| (f64::from(x) - 0.5) / C0);
    let rest = s.sheen.map(|v| {
        let [x, y, z] = v.map(f64::from);
        [-y / C1, z / C1, -x / C1]
    });
    let axes = s.axes.map(|x| f64::from(x).max(1e-30).ln());
    let rest: Vec<f64> = rest.as_flattened().to_vec();
    let turn = s.turn.map(f64::from);
    colour.into_iter().chain(rest).chain([(opacity / (1.0 - opacity)).ln()]).chain(axes).chain(turn)
}

/// Writes splats in single precision, as everybody does.
pub fn write(cloud: &Cloud, ascii: bool) -> Vec<u8> {
    let format = if ascii { "ascii" } else { "binary_little_endian" };
    let mut out = format!("ply\nformat {format} 1.0\nelement vertex {}\n", cloud.points.len());
    let rest = (0..9).map(|k| format!("f_rest_{k}"));
    let names = ["x", "y", "z", "f_dc_0", "f_dc_1", "f_dc_2"].map(String::from).into_iter().chain(rest);
    let tail = ["opacity", "scale_0", "scale_1", "scale_2", "rot_0", "rot_1", "rot_2", "rot_3"].map(String::from);
    for name in names.chain(tail) {
        out += &format!("property float {name}\n");
    }
    let mut out = (out + "end_header\n").into_bytes();
    for (p, s) in cloud.points.iter().zip(&cloud.splats) {
        let all = p.iter().copied().chain(numbers(s)).map(|x| x as f32);
        if ascii {
            let words: Vec<String> = all.map(|x| x.to_string()).collect();
            // Writing to memory cannot fail.
            let _ = writeln!(out, "{}", words.join(" "));
        } else {
            all.for_each(|x| out.extend_from_slice(&x.to_le_bytes()));
        }
    }
    out
}
