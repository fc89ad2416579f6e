//! The tests of this crate, in one program: it is linked once, and its tests share all cores.

mod any_bytes;
mod archives;
mod bad_input;
mod collada;
mod common;
mod design_input;
mod dxf;
mod facet_names;
mod formats;
mod iges_entities;
mod independent;
mod lines_table;
mod names;
mod others;
mod packed;
mod plain_rows;
mod reference;
mod step_geometry;
mod step_structure;
mod usd_solids;
mod write_back;
