//! Writes the demo data of the *Pipit*: `hull-demo OUT_DIR`.

mod manifold;

use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let out = PathBuf::from(std::env::args().nth(1).unwrap_or_else(|| "demo/data".into()));
    std::fs::create_dir_all(&out)?;
    std::fs::write(out.join("raw-water-manifold.stl"), manifold::binary_stl_in_inches())
}
