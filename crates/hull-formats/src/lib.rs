//! File formats of Ready Hull: bytes in, received geometry out, and back.
//!
//! One module a format. A reader never panics and never reserves more memory than the bytes it was given
//! can fill; what it cannot use is an error with its place, or counted in [`Received::skipped`].

mod affine;
pub mod archive;
mod assembled;
pub mod bundles;
mod depth;
pub mod design;
mod encoding;
pub mod error;
pub mod extent;
pub mod format;
pub mod named_edges;
pub mod naming;
mod netcdf;
pub mod text;

pub use design::{Design, StatedFigures};
pub use error::{Location, ReadError};
pub use format::{Carries, FileFormat, Surface};

/// Lists the formats: makes their modules, and [`FORMATS`].
macro_rules! formats {
    ($($id:ident,)*) => {
        $(pub mod $id;)*

        /// Every format there is.
        pub static FORMATS: &[FileFormat] = &[$($id::FORMAT),*];
    };
}

formats! {
    step,
    iges,
    stl,
    obj,
    ply,
    off,
    xyz,
    splat,
    dxf,
    threemf,
    gltf,
    collada,
    vtk,
    vtu,
    vtp,
    las,
    laz,
    e57,
    exodus,
    cgns,
    usd,
}

use hull_exact::Model;
use hull_exact::model::DeclaredUnit;
use hull_geometry::cloud::Cloud;
use hull_geometry::{FacetId, Mesh, Watch};
use serde::{Deserialize, Serialize};
use std::fmt;
use typed_index_collections::TiVec;

/// A file format.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Format {
    /// STL as text.
    StlAscii,
    /// STL in single precision.
    StlBinary,
    /// OBJ.
    Obj,
    /// PLY as text.
    PlyAscii,
    /// PLY with the least significant byte first.
    PlyBinaryLittle,
    /// PLY with the most significant byte first.
    PlyBinaryBig,
    /// OFF.
    Off,
    /// DXF with faces.
    Dxf,
    /// 3MF.
    ThreeMf,
    /// glTF, as text or binary.
    Gltf,
    /// VTK, legacy form.
    VtkLegacy,
    /// VTK, XML form.
    VtkXml,
    /// Exodus II.
    Exodus,
    /// CGNS.
    Cgns,
    /// USD.
    Usd,
    /// COLLADA.
    Collada,
}

impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Format::StlAscii => "STL, ASCII",
            Format::StlBinary => "STL, binary",
            Format::Obj => "OBJ",
            Format::PlyAscii => "PLY, ASCII",
            Format::PlyBinaryLittle => "PLY, binary little-endian",
            Format::PlyBinaryBig => "PLY, binary big-endian",
            Format::Off => "OFF",
            Format::Dxf => "DXF",
            Format::ThreeMf => "3MF",
            Format::Gltf => "glTF",
            Format::VtkLegacy => "VTK, legacy",
            Format::VtkXml => "VTK, XML",
            Format::Exodus => "Exodus II",
            Format::Cgns => "CGNS",
            Format::Usd => "USD",
            Format::Collada => "COLLADA",
        })
    }
}

/// What the file calls a set of facets.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Label {
    /// Solid, object or group name; empty if the file gives none.
    pub name: String,
    /// A material or a colour.
    pub material: Option<String>,
}

/// Something in the file that the reader could not use.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Skipped {
    /// What it is.
    pub what: String,
    /// How often it was there.
    pub count: usize,
}

impl Skipped {
    /// Those of a list that there are.
    pub(crate) fn some(all: &[(&str, usize)]) -> Vec<Skipped> {
        let some = all.iter().filter(|x| x.1 > 0);
        some.map(|&(what, count)| Skipped { what: what.into(), count }).collect()
    }
}

/// The geometry of one file, in file units, with exactly equal points joined.
#[derive(Clone, Debug)]
pub struct Received {
    /// Which one it is.
    pub format: Format,
    /// The surface.
    pub mesh: Mesh,
    /// Cell number of each facet, where the file has faces of more than three corners; else empty.
    pub cell_of: TiVec<FacetId, u32>,
    /// Index into `labels` of each facet; empty if all have label 0.
    pub label_of: TiVec<FacetId, u32>,
    /// Names and colours, by the numbers in `label_of`.
    pub labels: Vec<Label>,
    /// Faces as the file counts them (a quad is one).
    pub faces_in_file: usize,
    /// Points as the file counts them.
    pub points_in_file: usize,
    /// What could not be used.
    pub skipped: Vec<Skipped>,
    /// What the file says of its numbers and axes.
    pub declared: Declared,
    /// Lines in space beside the facets, in file units; without parts if there are none.
    pub lines: Model,
}

/// What a file, or the definition of its format, says of its numbers and axes.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Declared {
    /// What one is.
    pub unit: Option<DeclaredUnit>,
    /// Whether the format's definition leaves no choice: taken without asking, to be overruled by people.
    #[serde(default)]
    pub certain: bool,
    /// The axis that is up: “+y”.
    #[serde(default)]
    pub up: Option<String>,
}

impl Declared {
    /// Nothing is said.
    pub fn is_nothing(&self) -> bool {
        self.unit.is_none() && self.up.is_none()
    }
}

impl Received {
    /// A file of nothing but triangles, each with three points of its own, and no names.
    pub fn plain(format: Format, mesh: Mesh) -> Received {
        let facets = mesh.triangles.len();
        Received {
            format,
            mesh,
            cell_of: TiVec::new(),
            label_of: TiVec::new(),
            labels: vec![Label::default()],
            faces_in_file: facets,
            points_in_file: facets * 3,
            skipped: Vec::new(),
            declared: Declared::default(),
            lines: Model::default(),
        }
    }
}

/// The points of one file that holds no faces, in file units.
#[derive(Clone, Debug)]
pub struct ReceivedPoints {
    /// The format as people say it.
    pub format: String,
    /// The points, with what is said of each.
    pub cloud: Cloud,
    /// What could not be used.
    pub skipped: Vec<Skipped>,
    /// What the file says of its numbers and axes.
    pub declared: Declared,
}

/// What a file holds.
#[derive(Clone, Debug)]
pub enum Content {
    /// A surface of facets.
    Facets(Received),
    /// Design geometry.
    Exact(Box<Design>),
    /// Points without facets.
    Points(ReceivedPoints),
}

/// Reads a file whose name ends in a known ending.
///
/// # Errors
/// [`ReadError`] with the file, the place and the reason.
pub fn open(name: &str, bytes: &[u8], watch: &Watch) -> Result<Content, ReadError> {
    let text = encoding::plain(bytes);
    let mut content = format::open(name, &text, watch)?;
    extent::check(name, &text, &content)?;
    naming::tidy_all(&mut content);
    match &content {
        Content::Facets(received) if received.mesh.triangles.is_empty() && !received.lines.parts.is_empty() => {
            Ok(Content::Exact(Box::new(only_lines(received))))
        }
        Content::Facets(received) if received.mesh.triangles.is_empty() => {
            Err(ReadError::whole(name, "the file holds no facets"))
        }
        Content::Points(received) if received.cloud.points.is_empty() => {
            Err(ReadError::whole(name, "the file holds no points"))
        }
        _ => Ok(content),
    }
}

/// A file of lines without facets, as the formats of lines give them.
fn only_lines(received: &Received) -> Design {
    Design {
        format: received.format.to_string(),
        model: Model { unit: received.declared.unit.clone(), ..received.lines.clone() },
        skipped: received.skipped.clone(),
        certain_unit: received.declared.certain,
        ..Design::default()
    }
}

/// Reads a file that may name others beside it, as glTF names its arrays.
///
/// # Errors
/// [`ReadError`] as [`open`]; also if a neighbour is not there.
pub fn open_beside(name: &str, bytes: &[u8], beside: format::Beside, watch: &Watch) -> Result<Content, ReadError> {
    let gather = FileFormat::of_name(name).ok().and_then(|f| f.gather);
    match gather.map(|gather| gather(bytes, beside)) {
        Some(Err(why)) => Err(ReadError::whole(name, why)),
        Some(Ok(Some(whole))) => open(name, &whole, watch),
        _ => open(name, bytes, watch),
    }
}

/// Reads a file of facets.
///
/// # Errors
/// [`ReadError`] with the file, the place and the reason; also if the file holds exact geometry.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    match open(name, bytes, watch)? {
        Content::Facets(received) => Ok(received),
        Content::Exact(_) => Err(ReadError::whole(name, "the file holds exact geometry, not facets")),
        Content::Points(_) => Err(ReadError::whole(name, "the file holds points and no faces")),
    }
}

/// Collects labels in the order in which they first appear.
#[derive(Default)]
pub(crate) struct Labels {
    labels: Vec<Label>,
    number: std::collections::HashMap<Label, u32>,
}

impl Labels {
    pub(crate) fn number(&mut self, label: &Label) -> u32 {
        if let Some(&n) = self.number.get(label) {
            return n;
        }
        let n = self.labels.len() as u32;
        self.labels.push(label.clone());
        self.number.insert(label.clone(), n);
        n
    }

    /// The labels, and `label_of` emptied if it says nothing.
    pub(crate) fn finish(self, label_of: TiVec<FacetId, u32>) -> (Vec<Label>, TiVec<FacetId, u32>) {
        if self.labels.len() < 2 { (self.labels, TiVec::new()) } else { (self.labels, label_of) }
    }
}

/// Named facets of a mesh, for writing.
pub struct NamedFacets<'a> {
    /// Its name in the file.
    pub name: &'a str,
    /// Which facets it has.
    pub facets: &'a [FacetId],
    /// What it is to the solver, in a word: inlet, outlet, wall, symmetry …
    pub role: Option<&'a str>,
}
