//! Any bytes as a file of facets: see `facets`; never a panic.
#![no_main]

use hull_formats::off;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| hull_fuzz::facets(bytes, off::read, &off::FORMAT));
