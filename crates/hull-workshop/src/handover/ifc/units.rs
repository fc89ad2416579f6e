//! The units that the file declares.

use super::Writer;
use hull_geometry::Unit;

/// SI units by kind, prefix and name.
const SIMPLE: [(&str, &str, &str); 8] = [
    ("AREAUNIT", "$", "SQUARE_METRE"),
    ("FORCEUNIT", "$", "NEWTON"),
    ("PRESSUREUNIT", "$", "PASCAL"),
    ("MASSUNIT", ".KILO.", "GRAM"),
    ("TIMEUNIT", "$", "SECOND"),
    ("PLANEANGLEUNIT", "$", "RADIAN"),
    ("THERMODYNAMICTEMPERATUREUNIT", "$", "KELVIN"),
    ("LENGTHUNIT", "$", "METRE"),
];

/// Units made of these, by kind: name of each with its exponent.
const DERIVED: [(&str, &[(&str, i32)]); 8] = [
    ("MODULUSOFELASTICITYUNIT", &[("NEWTON", 1), ("METRE", -2)]),
    ("MASSDENSITYUNIT", &[("GRAM", 1), ("METRE", -3)]),
    ("MOMENTOFINERTIAUNIT", &[("METRE", 4)]),
    ("TORQUEUNIT", &[("NEWTON", 1), ("METRE", 1)]),
    ("LINEARFORCEUNIT", &[("NEWTON", 1), ("METRE", -1)]),
    ("LINEARSTIFFNESSUNIT", &[("NEWTON", 1), ("METRE", -1)]),
    ("ROTATIONALSTIFFNESSUNIT", &[("NEWTON", 1), ("METRE", 1), ("RADIAN", -1)]),
    ("THERMALEXPANSIONCOEFFICIENTUNIT", &[("KELVIN", -1)]),
];

impl Writer<'_> {
    /// The units of the project; lengths are in `unit`.
    pub(super) fn units(&mut self, unit: Unit) -> usize {
        let simple: Vec<(&str, usize)> = SIMPLE
            .iter()
            .map(|(kind, prefix, name)| (*name, self.add(format!("IFCSIUNIT(*,.{kind}.,{prefix},.{name}.)"))))
            .collect();
        let named = |name: &str| simple.iter().find(|s| s.0 == name).map_or(0, |s| s.1);
        let length = self.length(unit, named("METRE"));
        let mut all: Vec<usize> = simple.iter().filter(|s| s.0 != "METRE").map(|s| s.1).chain([length]).collect();
        for (kind, parts) in DERIVED {
            let of = |(name, exponent): &(&str, i32)| format!("IFCDERIVEDUNITELEMENT(#{},{exponent})", named(name));
            let elements: Vec<usize> = parts.iter().map(|p| self.add(of(p))).collect();
            let elements = super::refs(elements);
            all.push(self.add(format!("IFCDERIVEDUNIT({elements},.{kind}.,$)")));
        }
        let all = super::refs(all);
        self.add(format!("IFCUNITASSIGNMENT({all})"))
    }

    fn length(&mut self, unit: Unit, metre: usize) -> usize {
        let si = |prefix: &str| format!("IFCSIUNIT(*,.LENGTHUNIT.,{prefix},.METRE.)");
        let name = match unit {
            Unit::M => return metre,
            Unit::Mm => return self.add(si(".MILLI.")),
            Unit::Cm => return self.add(si(".CENTI.")),
            Unit::In => "INCH",
            Unit::Ft => "FOOT",
        };
        let exponents = self.add("IFCDIMENSIONALEXPONENTS(1,0,0,0,0,0,0)");
        let metres = super::real(unit.millimetres() / 1e3);
        let measure = self.add(format!("IFCMEASUREWITHUNIT(IFCLENGTHMEASURE({metres}),#{metre})"));
        self.add(format!("IFCCONVERSIONBASEDUNIT(#{exponents},.LENGTHUNIT.,'{name}',#{measure})"))
    }
}
