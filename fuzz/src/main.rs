//! Any bytes as a file of the format named by HULL_FUZZ_FORMAT: see [`hull_fuzz::any`]; never a panic.
#![no_main]

use hull_formats::{FORMATS, FileFormat};
use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;

static FORMAT: LazyLock<&FileFormat> = LazyLock::new(|| {
    let asked = std::env::var("HULL_FUZZ_FORMAT").unwrap_or_default();
    FORMATS.iter().find(|f| f.id == asked).expect("HULL_FUZZ_FORMAT is the folder's name of a format")
});

fuzz_target!(|bytes: &[u8]| hull_fuzz::any(bytes, &FORMAT));
