//! Any bytes as a file of this format: see `any`; never a panic.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| hull_fuzz::any(bytes, &hull_formats::collada::FORMAT));
