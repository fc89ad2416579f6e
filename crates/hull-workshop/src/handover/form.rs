//! The forms in which a body can be handed over.

use crate::export::DesignForm;
use hull_formats::FileFormat;
use hull_formats::step::Schema;
use serde::{Deserialize, Serialize};

/// How the surface is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Form {
    /// One file, one named `solid` block a boundary.
    Ascii,
    /// One file a boundary, single precision.
    Binary,
    /// OBJ: one file, one group a boundary, double precision, points shared.
    Obj,
    /// PLY: one file a boundary, double precision.
    PlySurface,
    /// 3MF: one file, one material a boundary, double precision.
    ThreeMf,
    /// glTF, binary: one file, one node a boundary, in metres with Y up by definition, single precision.
    Glb,
    /// VTU: one file, boundaries as numbers of cells with their names, double precision.
    Vtu,
    /// DXF: one file, one layer a boundary, double precision.
    Dxf,
    /// CGNS: one zone, one section, family and condition a boundary, double precision.
    Cgns,
    /// Exodus II: one block, side set and node set a boundary, double precision.
    Exodus,
    /// Points without facets, with colours and directions, double precision.
    Ply,
    /// Points without facets, as text.
    Xyz,
    /// A frame: tables, JSON, VTU and DXF.
    Frame,
    /// STEP AP203.
    Ap203,
    /// STEP AP214.
    Ap214,
    /// STEP AP242.
    Ap242,
    /// IGES 5.3 with solids and shells.
    Iges,
    /// IGES 5.3 with trimmed surfaces alone.
    #[serde(rename = "iges-surfaces")]
    IgesSurfaces,
}

impl Form {
    /// The form of design geometry, if it is one.
    pub(super) fn design(self) -> Option<DesignForm> {
        match self {
            Form::Ascii | Form::Binary | Form::Obj | Form::PlySurface | Form::Ply | Form::Xyz => None,
            Form::ThreeMf | Form::Glb | Form::Vtu | Form::Dxf | Form::Frame => None,
            Form::Cgns | Form::Exodus => None,
            Form::Ap203 => Some(DesignForm::Step(Schema::Ap203)),
            Form::Ap214 => Some(DesignForm::Step(Schema::Ap214)),
            Form::Ap242 => Some(DesignForm::Step(Schema::Ap242)),
            Form::Iges => Some(DesignForm::Iges),
            Form::IgesSurfaces => Some(DesignForm::IgesSurfaces),
        }
    }

    /// All of them, by their keys as pages and shell say them.
    pub const KEYS: [(&'static str, Form); 18] = [
        ("ascii", Form::Ascii),
        ("binary", Form::Binary),
        ("obj", Form::Obj),
        ("ply_surface", Form::PlySurface),
        ("3mf", Form::ThreeMf),
        ("glb", Form::Glb),
        ("vtu", Form::Vtu),
        ("dxf", Form::Dxf),
        ("cgns", Form::Cgns),
        ("exodus", Form::Exodus),
        ("ply", Form::Ply),
        ("xyz", Form::Xyz),
        ("frame", Form::Frame),
        ("ap203", Form::Ap203),
        ("ap214", Form::Ap214),
        ("ap242", Form::Ap242),
        ("iges", Form::Iges),
        ("iges-surfaces", Form::IgesSurfaces),
    ];

    /// The form of a key.
    ///
    /// # Errors
    /// A sentence with the keys there are.
    pub fn named(key: &str) -> Result<Form, String> {
        let found = Form::KEYS.iter().find(|(k, _)| *k == key).map(|(_, form)| *form);
        found.ok_or_else(|| {
            let keys: Vec<&str> = Form::KEYS.iter().map(|(k, _)| *k).collect();
            format!("“{key}” is not a form of a handover; there are {}", keys.join(", "))
        })
    }

    /// Whether all boundaries stand in one file, each under its name.
    pub(super) fn names_within(self) -> bool {
        matches!(self, Form::Ascii | Form::Obj) || self.whole().is_some()
    }

    /// The format of a form that is written through the table of formats, all boundaries in one file.
    pub(super) fn whole(self) -> Option<&'static FileFormat> {
        match self {
            Form::ThreeMf => Some(&hull_formats::threemf::FORMAT),
            Form::Glb => Some(&hull_formats::gltf::FORMAT),
            Form::Vtu => Some(&hull_formats::vtu::FORMAT),
            Form::Dxf => Some(&hull_formats::dxf::FORMAT),
            Form::Cgns => Some(&hull_formats::cgns::FORMAT),
            Form::Exodus => Some(&hull_formats::exodus::FORMAT),
            _ => None,
        }
    }

    /// Characters that a name may have, where the form sets a limit; they are letters, digits, `-`, `_` and `.` then.
    pub(super) fn longest_name(self) -> Option<usize> {
        match self {
            Form::Cgns => Some(hull_formats::cgns::NAME),
            Form::Exodus => Some(hull_formats::exodus::NAME),
            _ => None,
        }
    }

    /// What single precision can lose, where the form has no more.
    pub(super) fn precision(self) -> f64 {
        if matches!(self, Form::Binary | Form::Glb) { 1e-6 } else { 1e-12 }
    }
}
