//! Diameters that are usual in millimetres: holes for screws and pipes. *From memory* of the standards that are named.

/// Clearance holes of ISO 273 in the fine, medium and coarse series, in mm.
const CLEARANCE: [(&str, [f64; 3]); 13] = [
    ("M2", [2.2, 2.4, 2.6]),
    ("M3", [3.2, 3.4, 3.6]),
    ("M4", [4.3, 4.5, 4.8]),
    ("M5", [5.3, 5.5, 5.8]),
    ("M6", [6.4, 6.6, 7.0]),
    ("M8", [8.4, 9.0, 10.0]),
    ("M10", [10.5, 11.0, 12.0]),
    ("M12", [13.0, 13.5, 14.5]),
    ("M16", [17.0, 17.5, 18.5]),
    ("M20", [21.0, 22.0, 24.0]),
    ("M24", [25.0, 26.0, 28.0]),
    ("M30", [31.0, 33.0, 35.0]),
    ("M36", [37.0, 39.0, 42.0]),
];
/// Outer diameters of pipes of EN 10220, series 1, in mm; those of ASME B36.10 that are no different stand here too.
const EN_PIPES: [f64; 20] = [
    10.2, 13.5, 17.2, 21.3, 26.9, 33.7, 42.4, 48.3, 60.3, 76.1, 88.9, 114.3, 139.7, 168.3, 219.1, 273.0, 323.9, 355.6,
    406.4, 508.0,
];
/// Those of ASME B36.10 that are, in mm.
const ASME_PIPES: [f64; 8] = [10.3, 13.7, 17.1, 26.7, 33.4, 42.2, 73.0, 141.3];

/// What a diameter in mm is usual for; it must be that to a hundredth of a millimetre, or what single precision keeps.
pub fn usual(diameter: f64) -> Option<String> {
    let is = |x: &f64| (diameter - x).abs() <= 0.01 + 2e-5 * x;
    if let Some((screw, _)) = CLEARANCE.iter().find(|(_, holes)| holes.iter().any(is)) {
        return Some(format!("a clearance hole for {screw} (ISO 273)"));
    }
    if EN_PIPES.iter().any(is) {
        return Some("the outside of a pipe (EN 10220)".into());
    }
    ASME_PIPES.iter().any(is).then(|| "the outside of a pipe (ASME B36.10)".into())
}
