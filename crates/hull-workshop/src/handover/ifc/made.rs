//! What members are made of: profiles by their dimensions, materials, and the figures of both.

use super::{Writer, real, refs, text};
use hull_frames::{Material, Section, Shape};
use std::collections::BTreeMap;

impl Writer<'_> {
    /// Profiles and materials, and which members have them.
    pub(super) fn made_of(&mut self, members: &[usize]) {
        let frame = self.frame;
        let profiles: Vec<usize> = frame.sections.iter().map(|s| self.profile(s)).collect();
        let materials: Vec<usize> = frame.materials.iter().map(|m| self.material(m)).collect();
        let mut alike: BTreeMap<(u32, u32), Vec<usize>> = BTreeMap::new();
        for (member, number) in frame.members.iter().zip(members) {
            if let Some(pair) = member.section.zip(member.material).filter(|_| frame.made_of(member).is_some()) {
                alike.entry(pair).or_default().push(*number);
            }
        }
        for ((section, material), members) in alike {
            let (profile, material) = (profiles[section as usize], materials[material as usize]);
            let name = text(&frame.sections[section as usize].name);
            let of = self.add(format!("IFCMATERIALPROFILE({name},$,#{material},#{profile},$,$)"));
            let set = self.add(format!("IFCMATERIALPROFILESET({name},$,(#{of}),$)"));
            // Members run through the centroid of their profile: cardinal point 10 of the standard.
            let usage = self.add(format!("IFCMATERIALPROFILESETUSAGE(#{set},10,$)"));
            self.relation("IFCRELASSOCIATESMATERIAL", &format!("{},#{usage}", refs(members)));
        }
    }

    fn material(&mut self, m: &Material) -> usize {
        let material = self.add(format!("IFCMATERIAL({},$,$)", text(&m.name)));
        let modulus = "IFCMODULUSOFELASTICITYMEASURE";
        let mechanical = [("YoungModulus", modulus, m.young * 1e6), ("ShearModulus", modulus, m.shear * 1e6)];
        self.properties("IFCMATERIALPROPERTIES", "Pset_MaterialMechanical", material, &mechanical);
        let density = [("MassDensity", "IFCMASSDENSITYMEASURE", m.density * 1e12)];
        self.properties("IFCMATERIALPROPERTIES", "Pset_MaterialCommon", material, &density);
        let yields = [("YieldStress", "IFCPRESSUREMEASURE", m.yields * 1e6)];
        self.properties("IFCMATERIALPROPERTIES", "Pset_MaterialSteel", material, &yields);
        material
    }

    fn profile(&mut self, section: &Section) -> usize {
        let shape = Shape::named(&section.name).ok().map(|s| s.1);
        let profile = match &shape {
            Some(shape) => self.drawn(&section.name, shape),
            // A section without a known shape is its figures alone.
            None => self.add(format!("IFCPROFILEDEF(.AREA.,{})", text(&section.name))),
        };
        let (moment, area, length) = ("IFCMOMENTOFINERTIAMEASURE", "IFCAREAMEASURE", "IFCLENGTHMEASURE");
        let centre = shape.map_or([0.0; 2], |s| s.shear_centre()).map(|x| x * self.factor);
        let figures = [
            ("CrossSectionArea", area, section.area * 1e-6),
            ("MomentOfInertiaY", moment, section.iy * 1e-12),
            ("MomentOfInertiaZ", moment, section.iz * 1e-12),
            ("TorsionalConstantX", moment, section.torsion * 1e-12),
            ("ShearDeformationAreaY", area, section.shear[0] * 1e-6),
            ("ShearDeformationAreaZ", area, section.shear[1] * 1e-6),
            ("ShearCentreY", length, centre[0]),
            ("ShearCentreZ", length, centre[1]),
        ];
        self.properties("IFCPROFILEPROPERTIES", "Pset_ProfileMechanical", profile, &figures);
        profile
    }

    /// A profile by its dimensions, turned so that the member's axes are its principal ones.
    fn drawn(&mut self, name: &str, shape: &Shape) -> usize {
        let (middle, turn) = shape.principal();
        let origin = self.add("IFCCARTESIANPOINT((0.,0.))");
        // The profile's own axes stand turned back against the member's.
        let (s, c) = (-turn).sin_cos();
        let way = if turn == 0.0 {
            "$".to_string()
        } else {
            format!("#{}", self.add(format!("IFCDIRECTION(({},{}))", real(c), real(s))))
        };
        let place = self.add(format!("IFCAXIS2PLACEMENT2D(#{origin},{way})"));
        let sizes = |own: &[f64], factor: f64| own.iter().map(|x| real(x * factor)).collect::<Vec<_>>().join(",");
        let of = |own: &[f64]| sizes(own, self.factor);
        let radius = |r: f64| if r > 0.0 { real(r * self.factor) } else { "$".to_string() };
        let head = format!(".AREA.,{},#{place}", text(name));
        let record = match *shape {
            Shape::Rolled { h, b, web, flange, root } => {
                format!("IFCISHAPEPROFILEDEF({head},{},$,$)", of(&[b, h, web, flange, root]))
            }
            Shape::Tube { d, t } => format!("IFCCIRCLEHOLLOWPROFILEDEF({head},{})", of(&[0.5 * d, t])),
            Shape::Hollow { h, b, t } => {
                format!("IFCRECTANGLEHOLLOWPROFILEDEF({head},{})", of(&[b, h, t, t, 1.5 * t]))
            }
            Shape::Round { d } => format!("IFCCIRCLEPROFILEDEF({head},{})", of(&[0.5 * d])),
            Shape::Flat { h, b } => format!("IFCRECTANGLEPROFILEDEF({head},{})", of(&[b, h])),
            Shape::U { h, b, web, flange, root } => {
                format!("IFCUSHAPEPROFILEDEF({head},{},{},$,$)", of(&[h, b, web, flange]), radius(root))
            }
            Shape::L { h, b, t, roots: [root, toe] } => {
                format!("IFCLSHAPEPROFILEDEF({head},{},{},{},$)", of(&[h, b, t]), radius(root), radius(toe))
            }
            Shape::T { h, b, web, flange } => {
                format!("IFCTSHAPEPROFILEDEF({head},{},$,$,$,$,$)", of(&[h, b, web, flange]))
            }
            Shape::Outline(ref corners) => {
                let (s, c) = turn.sin_cos();
                let about = |[y, z]: &[f64; 2]| {
                    let (y, z) = (y - middle[0], z - middle[1]);
                    [y * c + z * s, z * c - y * s].map(|x| x * self.factor)
                };
                let mut places: Vec<[f64; 2]> = corners.iter().map(about).collect();
                places.push(places[0]);
                let points: Vec<usize> = places
                    .into_iter()
                    .map(|[y, z]| self.add(format!("IFCCARTESIANPOINT(({},{}))", real(y), real(z))))
                    .collect();
                let line = self.add(format!("IFCPOLYLINE({})", refs(points)));
                format!("IFCARBITRARYCLOSEDPROFILEDEF(.AREA.,{},#{line})", text(name))
            }
        };
        self.add(record)
    }
}
