//! For the benchmarks: reads a file as `hull check` does, joins equal points and surveys the topology, and
//! nothing else.

#[allow(dead_code)]
#[path = "../src/input.rs"]
mod input;

use hull_geometry::Watch;
use hull_geometry::topology::Topology;
use std::path::PathBuf;

fn main() -> anyhow::Result<()> {
    let path = PathBuf::from(std::env::args().nth(1).unwrap_or_default());
    let hull_formats::Content::Facets(received) = input::open(&path)? else {
        anyhow::bail!("the file holds exact geometry, not facets");
    };
    let topology = Topology::of(&received.mesh, &Watch::default())?;
    println!("{} {}", topology.is_closed(), topology.shells);
    Ok(())
}
