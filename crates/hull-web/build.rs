//! Embedded files and templates are compiled again when they change.

fn main() {
    // Embedded files and templates are read when this crate is compiled.
    println!("cargo:rerun-if-changed=../../web/dist");
    println!("cargo:rerun-if-changed=templates");
}
