//! The forms in which a body can be handed over: one table, from which pages, shell and checks take what they say.

use super::naming::Allowed;
use crate::export::DesignForm;
use crate::survey::Survey;
use hull_formats::FileFormat;
use hull_formats::step::Schema;
use hull_geometry::Unit;
use serde::{Deserialize, Serialize};

/// How a body is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs, reason = "the table beside says what each one is")]
pub enum Form {
    Ascii,
    Binary,
    Obj,
    PlySurface,
    ThreeMf,
    Glb,
    Vtu,
    Vtm,
    Dxf,
    Cgns,
    Exodus,
    Ply,
    Xyz,
    Splat,
    UsdzPoints,
    Las,
    Laz,
    E57,
    Usdz,
    Frame,
    Ap203,
    Ap214,
    Ap242,
    Iges,
    #[serde(rename = "iges-surfaces")]
    IgesSurfaces,
}

/// What a form is written from.
#[derive(Clone, Copy)]
pub(super) enum Of {
    /// Facets, boundaries in one file by a writer of the table of formats.
    Whole(&'static FileFormat),
    /// Facets, boundaries in one file.
    Named,
    /// Facets, one file a boundary.
    Each,
    /// Points without facets.
    Points,
    /// Members and joints.
    Frame,
    /// Exact geometry, or facets where STEP carries them.
    Design(DesignForm),
}

/// What is known of a form.
#[derive(Clone, Copy)]
pub struct About {
    /// The form.
    pub form: Form,
    /// As an address and an option say it.
    pub key: &'static str,
    /// As people call it.
    pub title: &'static str,
    /// What the files hold, as a line.
    pub carries: &'static str,
    /// Whether it stands among the first that are offered for a surface.
    pub common: bool,
    pub(super) of: Of,
    /// What its numbers can lose, as a part of the body's reach.
    pub(super) precision: f64,
    /// What names it allows, where it sets limits.
    pub(super) names: Option<Allowed>,
}

const DOUBLE: f64 = 1e-12;
const SINGLE: f64 = 1e-6;

const fn about(form: Form, key: &'static str, of: Of, title: &'static str, carries: &'static str) -> About {
    About { form, key, title, carries, common: false, of, precision: DOUBLE, names: None }
}

const fn step(form: Form, key: &'static str, schema: Schema, title: &'static str, carries: &'static str) -> About {
    about(form, key, Of::Design(DesignForm::Step(schema)), title, carries)
}

impl About {
    const fn common(self) -> About {
        About { common: true, ..self }
    }

    const fn single(self) -> About {
        About { precision: SINGLE, ..self }
    }

    const fn names_of(self, most: usize) -> About {
        About { names: Some(Allowed { most, also: "-_.", digit_first: true }), ..self }
    }

    const fn names_as_words(self) -> About {
        About { names: Some(Allowed { most: 255, also: "_", digit_first: false }), ..self }
    }
}

/// Every form, in the order in which they are offered.
pub const FORMS: [About; 25] = [
    about(
        Form::Frame,
        "frame",
        Of::Frame,
        "Frame",
        "IFC4 structural model, Exodus II, VTU, DXF, tables of joints, members, sections and loads, JSON, solids as STL and STEP",
    ),
    about(Form::Ascii, "ascii", Of::Named, "ASCII STL", "one file, one named block a boundary").common(),
    about(Form::Binary, "binary", Of::Each, "Binary STL", "one file a boundary, smaller, single precision")
        .common()
        .single(),
    step(Form::Ap242, "ap242", Schema::Ap242, "STEP AP242", Schema::Ap242.carries()).common(),
    about(Form::Iges, "iges", Of::Design(DesignForm::Iges), "IGES", DesignForm::Iges.carries()).common(),
    about(Form::Obj, "obj", Of::Named, "OBJ", "one file, one group a boundary, points shared, double precision"),
    about(Form::PlySurface, "ply_surface", Of::Each, "PLY", "one file a boundary, double precision"),
    about(
        Form::ThreeMf,
        "3mf",
        Of::Whole(&hull_formats::threemf::FORMAT),
        "3MF",
        "one file, one material a boundary, the unit declared, double precision",
    ),
    about(
        Form::Cgns,
        "cgns",
        Of::Whole(&hull_formats::cgns::FORMAT),
        "CGNS",
        "one zone, a section, family and condition a boundary, the unit declared, double precision",
    )
    .names_of(hull_formats::cgns::NAME),
    about(
        Form::Exodus,
        "exodus",
        Of::Whole(&hull_formats::exodus::FORMAT),
        "Exodus II",
        "a block, side set and node set a boundary, double precision",
    )
    .names_of(hull_formats::exodus::NAME),
    about(
        Form::Vtu,
        "vtu",
        Of::Whole(&hull_formats::vtu::FORMAT),
        "VTU",
        "one file, boundaries as numbered cells with their names, double precision",
    ),
    about(
        Form::Vtm,
        "vtm",
        Of::Each,
        "VTM",
        "an index of blocks and a VTU file a boundary, each under its name, double precision",
    ),
    about(
        Form::Glb,
        "glb",
        Of::Whole(&hull_formats::gltf::FORMAT),
        "GLB",
        "one file, one node a boundary, turned to Y up and scaled to metres, single precision",
    )
    .single(),
    about(
        Form::Usdz,
        "usdz",
        Of::Whole(&hull_formats::usd::FORMAT),
        "USDZ",
        "one file, one mesh a boundary, the unit declared, Z up, single precision",
    )
    .single()
    .names_as_words(),
    about(
        Form::Dxf,
        "dxf",
        Of::Whole(&hull_formats::dxf::FORMAT),
        "DXF",
        "one file, one layer a boundary, the unit declared, double precision",
    ),
    step(Form::Ap203, "ap203", Schema::Ap203, "STEP AP203", Schema::Ap203.carries()),
    step(Form::Ap214, "ap214", Schema::Ap214, "STEP AP214", Schema::Ap214.carries()),
    about(
        Form::IgesSurfaces,
        "iges-surfaces",
        Of::Design(DesignForm::IgesSurfaces),
        "IGES, surfaces only",
        DesignForm::IgesSurfaces.carries(),
    ),
    about(
        Form::Ply,
        "ply",
        Of::Points,
        "PLY",
        "points with colours and directions, double precision; splats in single",
    ),
    about(Form::Xyz, "xyz", Of::Points, "XYZ", "points as text, one a line, with colours and directions"),
    about(Form::Splat, "splat", Of::Points, "32-byte splats", "place, axes, turn, colour and opacity in 32 bytes each")
        .single(),
    about(
        Form::UsdzPoints,
        "usdz_points",
        Of::Points,
        "USDZ",
        "points with widths, colours and opacities, Z up, single precision",
    )
    .single(),
    about(Form::Las, "las", Of::Points, "LAS", "points in whole steps of a billionth of their extent, with colours"),
    about(Form::Laz, "laz", Of::Points, "LAZ", "the same, packed"),
    about(Form::E57, "e57", Of::Points, "E57", "points in metres by definition, double precision, with colours"),
];

impl Form {
    /// What is known of it.
    pub fn about(self) -> &'static About {
        // Every form stands in the table: a test asks for each.
        FORMS.iter().find(|a| a.form == self).unwrap_or(&FORMS[0])
    }

    /// The form of a key.
    ///
    /// # Errors
    /// A sentence with the keys there are.
    pub fn named(key: &str) -> Result<Form, String> {
        FORMS.iter().find(|a| a.key == key).map(|a| a.form).ok_or_else(|| {
            let keys: Vec<&str> = FORMS.iter().map(|a| a.key).collect();
            format!("“{key}” is not a form of a handover; there are {}", keys.join(", "))
        })
    }

    /// The forms that have a place for what a body is, the proposed one first; `exact`: its design geometry is still there.
    pub fn offered(survey: &Survey, exact: bool) -> Vec<&'static About> {
        let surface = survey.size.triangles > 0;
        let members = survey.frame.figures.members > 0;
        let points = survey.points.points > 0;
        let fits = |a: &&About| match a.of {
            Of::Frame => members,
            Of::Points => {
                let splats = survey.points.splats.is_some();
                points && !surface && !members && (splats || a.form != Form::Splat)
            }
            Of::Design(design) => (surface || !(members || points)) && (design.iges().is_none() || exact || !surface),
            Of::Whole(_) | Of::Named | Of::Each => surface,
        };
        let mut all: Vec<&About> = FORMS.iter().filter(fits).collect();
        // Of a surface with members the surface comes first.
        all.sort_by_key(|a| surface && a.form == Form::Frame);
        all
    }

    /// The format that points are written in, for forms of points.
    pub(super) fn of_points(self) -> Option<&'static FileFormat> {
        match self {
            Form::Ply => Some(&hull_formats::ply::FORMAT),
            Form::Xyz => Some(&hull_formats::xyz::FORMAT),
            Form::Splat => Some(&hull_formats::splat::FORMAT),
            Form::UsdzPoints => Some(&hull_formats::usd::FORMAT),
            Form::Las => Some(&hull_formats::las::FORMAT),
            Form::Laz => Some(&hull_formats::laz::FORMAT),
            Form::E57 => Some(&hull_formats::e57::FORMAT),
            _ => None,
        }
    }

    /// The unit that a form has by definition, whatever is asked for.
    pub(super) fn own_unit(self) -> Option<Unit> {
        (self == Form::E57).then_some(Unit::M)
    }

    /// The form of design geometry, if it is one.
    pub(super) fn design(self) -> Option<DesignForm> {
        if let Of::Design(design) = self.about().of { Some(design) } else { None }
    }

    /// Whether all boundaries stand in one file, each under its name.
    pub(super) fn names_within(self) -> bool {
        matches!(self.about().of, Of::Whole(_) | Of::Named)
    }

    /// The format of a form that is written through the table of formats, all boundaries in one file.
    pub(super) fn whole(self) -> Option<&'static FileFormat> {
        if let Of::Whole(format) = self.about().of { Some(format) } else { None }
    }
}
