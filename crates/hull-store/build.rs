//! Embedded migrations are compiled again when they change.

fn main() {
    // Embedded migrations are read when this crate is compiled.
    println!("cargo:rerun-if-changed=migrations");
}
