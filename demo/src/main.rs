//! Writes the demo data of the *Pipit*: `hull-demo OUT_DIR`.

use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let out = PathBuf::from(std::env::args().nth(1).unwrap_or_else(|| "demo/data".into()));
    std::fs::create_dir_all(&out)?;
    for (name, bytes) in hull_demo::files().map_err(std::io::Error::other)? {
        std::fs::write(out.join(name), bytes)?;
    }
    for (project, name, bytes) in hull_demo::studies::files() {
        std::fs::create_dir_all(out.join(project))?;
        std::fs::write(out.join(project).join(name), bytes)?;
    }
    Ok(())
}
