//! Any bytes as a file of facets: see `facets`; never a panic.
#![no_main]

use hull_formats::obj;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| hull_fuzz::facets(bytes, obj::read, &obj::FORMAT));
