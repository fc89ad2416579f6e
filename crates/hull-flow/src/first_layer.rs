//! The first layer of cells at a wall, from speed, length and fluid.
//!
//! Sources: skin friction and thickness of a flat plate's boundary layer, H. Schlichting and K. Gersten, Boundary-Layer Theory
//! (local friction of the turbulent plate (2 log₁₀ Re − 0.65)^−2.3, thickness 0.37 x Re^−1/5; laminar 0.664 Re^−1/2 and
//! 5.0 x Re^−1/2, transition taken at Re = 5·10⁵); *from memory*.

use serde::{Deserialize, Serialize};

/// A fluid at a temperature.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Fluid {
    /// In kg/m³.
    pub density: f64,
    /// Dynamic, in Pa s.
    pub viscosity: f64,
}

/// Water at 0.1 MPa: degrees Celsius, kg/m³, mPa s. Density after IAPWS-95, viscosity after IAPWS R12-08; *from memory*.
const WATER: [(f64, f64, f64); 14] = [
    (0.0, 999.84, 1.7916),
    (5.0, 999.97, 1.5182),
    (10.0, 999.70, 1.3059),
    (15.0, 999.10, 1.1375),
    (20.0, 998.21, 1.0016),
    (25.0, 997.05, 0.8900),
    (30.0, 995.65, 0.7972),
    (40.0, 992.22, 0.6527),
    (50.0, 988.04, 0.5465),
    (60.0, 983.20, 0.4660),
    (70.0, 977.77, 0.4035),
    (80.0, 971.80, 0.3540),
    (90.0, 965.31, 0.3142),
    (100.0, 958.35, 0.2816),
];

/// Water at a temperature in degrees Celsius; `None` outside 0 to 100.
pub fn water(celsius: f64) -> Option<Fluid> {
    let i = WATER.windows(2).position(|w| (w[0].0..=w[1].0).contains(&celsius))?;
    let (a, b) = (WATER[i], WATER[i + 1]);
    let t = (celsius - a.0) / (b.0 - a.0);
    // Viscosity falls nearly exponentially, so its logarithm is what is interpolated.
    let viscosity = (a.2.ln() * (1.0 - t) + b.2.ln() * t).exp() * 1e-3;
    Some(Fluid { density: a.1 + t * (b.1 - a.1), viscosity })
}

/// Dry air at 101 325 Pa: ideal gas and Sutherland's law with the constants of the standard atmosphere (ISO 2533:1975).
/// `None` outside −100 to 500 °C.
pub fn air(celsius: f64) -> Option<Fluid> {
    if !(-100.0..=500.0).contains(&celsius) {
        return None;
    }
    let kelvin = celsius + 273.15;
    Some(Fluid {
        density: 101_325.0 / (287.052_87 * kelvin),
        viscosity: 1.458e-6 * kelvin.powf(1.5) / (kelvin + 110.4),
    })
}

/// What is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Asked {
    /// The fluid.
    pub fluid: Fluid,
    /// In m/s.
    pub speed: f64,
    /// Along the flow, in metres.
    pub length: f64,
    /// The wanted y⁺ of the first point.
    pub y_plus: f64,
    /// From one layer to the next.
    pub growth: f64,
}

/// The layers that follow.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Layers {
    /// Speed × length / kinematic viscosity.
    pub reynolds: f64,
    /// Whether the plate is taken as turbulent.
    pub turbulent: bool,
    /// Local, at the end of the length.
    pub skin_friction: f64,
    /// √(wall shear / density), in m/s.
    pub friction_velocity: f64,
    /// Distance of the first point from the wall, in metres.
    pub first_point: f64,
    /// Height of the first cell where its value stands in its middle, in metres.
    pub first_cell: f64,
    /// Of the boundary layer at the end of the length, in metres.
    pub thickness: f64,
    /// Cells that fill that thickness.
    pub count: usize,
    /// Their height together, in metres.
    pub height: f64,
}

/// From laminar to turbulent.
const TRANSITION: f64 = 5e5;
/// Layers at most.
const MOST: usize = 200;

/// The layers for what is asked; `None` where a number cannot be.
pub fn layers(of: &Asked) -> Option<Layers> {
    let positive = [of.fluid.density, of.fluid.viscosity, of.speed, of.length, of.y_plus];
    if positive.iter().any(|x| !(*x > 0.0 && x.is_finite())) || !(1.0..=3.0).contains(&of.growth) {
        return None;
    }
    let nu = of.fluid.viscosity / of.fluid.density;
    let reynolds = of.speed * of.length / nu;
    let turbulent = reynolds >= TRANSITION;
    let skin_friction = if turbulent { (2.0 * reynolds.log10() - 0.65).powf(-2.3) } else { 0.664 / reynolds.sqrt() };
    let thickness = if turbulent { 0.37 * of.length / reynolds.powf(0.2) } else { 5.0 * of.length / reynolds.sqrt() };
    let friction_velocity = of.speed * (skin_friction / 2.0).sqrt();
    let first_point = of.y_plus * nu / friction_velocity;
    let first_cell = 2.0 * first_point;
    let (mut count, mut height, mut next) = (0, 0.0, first_cell);
    while height < thickness && count < MOST {
        height += next;
        next *= of.growth;
        count += 1;
    }
    Some(Layers {
        reynolds,
        turbulent,
        skin_friction,
        friction_velocity,
        first_point,
        first_cell,
        thickness,
        count,
        height,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Air at 15 °C of ISO 2533: 1.225 kg/m³, 1.7894·10⁻⁵ Pa s. Water at 20 °C: kinematic 1.0034 mm²/s.
    #[test]
    fn fluids_are_those_of_the_tables() {
        let a = air(15.0).unwrap();
        assert!((a.density - 1.225).abs() < 2e-4 && (a.viscosity / 1.7894e-5 - 1.0).abs() < 1e-4, "{a:?}");
        let w = water(20.0).unwrap();
        assert!((w.viscosity / w.density / 1.0034e-6 - 1.0).abs() < 1e-3);
        assert!(water(17.3).unwrap().viscosity < water(17.2).unwrap().viscosity);
        assert!(water(-1.0).is_none() && air(600.0).is_none());
    }

    /// A hull of 7.2 m at 3 m/s in water of 15 °C, worked by hand: ν = 1.13852·10⁻⁶, Re = 1.8972·10⁷, cf = 0.0025365.
    #[test]
    fn layers_by_hand() {
        let fluid = water(15.0).unwrap();
        let l = layers(&Asked { fluid, speed: 3.0, length: 7.2, y_plus: 30.0, growth: 1.2 }).unwrap();
        assert!((l.reynolds / 1.8972e7 - 1.0).abs() < 1e-3, "{l:?}");
        let by_hand = (2.0 * 1.8972e7_f64.log10() - 0.65).powf(-2.3);
        assert!((l.skin_friction / by_hand - 1.0).abs() < 1e-4 && l.turbulent);
        assert!((l.first_point - 30.0 * 1.13852e-6 / (3.0 * (by_hand / 2.0).sqrt())).abs() < 1e-8);
        // The sum of a geometric series, and one layer less would not fill the thickness.
        let series = l.first_cell * (1.2_f64.powi(l.count as i32) - 1.0) / 0.2;
        assert!((l.height / series - 1.0).abs() < 1e-12 && l.height >= l.thickness);
        assert!(l.height - l.first_cell * 1.2_f64.powi(l.count as i32 - 1) < l.thickness);
        // Laminar: Blasius.
        let slow = layers(&Asked { fluid, speed: 0.01, length: 0.5, y_plus: 1.0, growth: 1.2 }).unwrap();
        assert!(!slow.turbulent && (slow.skin_friction * slow.reynolds.sqrt() - 0.664).abs() < 1e-12);
        assert!(layers(&Asked { fluid, speed: 0.0, length: 1.0, y_plus: 1.0, growth: 1.2 }).is_none());
    }
}
