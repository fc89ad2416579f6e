//! Every reader with files whose bytes and numbers were changed: an error, or something that hangs together and comes back
//! from what is written of it, never a panic. The same inputs at every run; `scripts/fuzz` searches further, guided by coverage.

#[path = "../../../fuzz/src/lib.rs"]
mod asked;

use hull_formats::{FORMATS, FileFormat};
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use rayon::prelude::*;
use std::fs;
use std::path::Path;

/// Changed files tried of each format.
const CASES: u32 = 3000;
/// Files larger than this are left to `scripts/fuzz mutations`.
const LARGEST: u64 = 12_000;
/// What numbers become that readers find hard to bear.
const NUMBERS: [&str; 14] = [
    "0",
    "-1",
    "1e308",
    "-1e308",
    "1e-308",
    "2147483647",
    "-2147483648",
    "4294967296",
    "99999999999999999999",
    "1e80",
    "NaN",
    "inf",
    "0.1",
    "1e9",
];

/// One change of a file; places are fractions of its length.
#[derive(Clone, Debug)]
enum Change {
    Byte(f64, u8),
    Word(f64, u32),
    Cut(f64, usize),
    Twice(f64, usize),
    End(f64),
    Number(f64, usize),
}

fn change() -> impl Strategy<Value = Change> {
    let place = 0.0..1.0f64;
    let length = prop_oneof![Just(1usize), Just(4), 2..40usize, 40..400usize];
    let word = prop_oneof![Just(0), Just(1), Just(u32::MAX), Just(i32::MAX as u32), Just(0x7f80_0000), any::<u32>()];
    prop_oneof![
        4 => (place.clone(), any::<u8>()).prop_map(|(at, byte)| Change::Byte(at, byte)),
        2 => (place.clone(), word).prop_map(|(at, word)| Change::Word(at, word)),
        1 => (place.clone(), length.clone()).prop_map(|(at, n)| Change::Cut(at, n)),
        1 => (place.clone(), length).prop_map(|(at, n)| Change::Twice(at, n)),
        1 => place.clone().prop_map(Change::End),
        4 => (place, 0..NUMBERS.len()).prop_map(|(at, which)| Change::Number(at, which)),
    ]
}

/// The number of a text that is nearest behind a place.
fn number_behind(bytes: &[u8], at: usize) -> Option<std::ops::Range<usize>> {
    let of_number = |b: &u8| b.is_ascii_digit() || b"+-.eE".contains(b);
    let start = at + bytes[at..].iter().position(u8::is_ascii_digit)?;
    let before = bytes[..start].iter().rev().take_while(|b| of_number(b)).count();
    let length = bytes[start..].iter().take_while(|b| of_number(b)).count();
    Some(start - before..start + length)
}

impl Change {
    fn apply(&self, bytes: &mut Vec<u8>) {
        if bytes.is_empty() {
            return;
        }
        let index = |at: f64| (at * bytes.len() as f64) as usize;
        match *self {
            Change::Byte(at, byte) => {
                let i = index(at);
                bytes[i] = byte;
            }
            Change::Word(at, word) => {
                let i = index(at) & !3;
                let end = (i + 4).min(bytes.len());
                bytes[i..end].copy_from_slice(&word.to_le_bytes()[..end - i]);
            }
            Change::Cut(at, n) => {
                let i = index(at);
                bytes.drain(i..(i + n).min(bytes.len()));
            }
            Change::Twice(at, n) => {
                let i = index(at);
                let again = bytes[i..(i + n).min(bytes.len())].to_vec();
                bytes.splice(i..i, again);
            }
            Change::End(at) => bytes.truncate(index(at)),
            Change::Number(at, which) => {
                if let Some(number) = number_behind(bytes, index(at)) {
                    bytes.splice(number, NUMBERS[which].bytes());
                }
            }
        }
    }
}

/// The kept files of a format: those that fuzzing found worth keeping, and small ones of the reference.
fn kept(format: &FileFormat) -> Vec<Vec<u8>> {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let folders = [here.join("../../fuzz/corpus").join(format.id), here.join("tests/reference").join(format.id)];
    let mut paths: Vec<_> = folders
        .iter()
        .filter_map(|folder| fs::read_dir(folder).ok())
        .flatten()
        .map(|entry| entry.expect("the folder can be read"))
        .filter(|entry| entry.metadata().is_ok_and(|m| m.is_file() && m.len() <= LARGEST))
        .map(|entry| entry.path())
        .collect();
    paths.sort();
    paths.iter().map(|path| fs::read(path).expect("it can be read")).collect()
}

fn try_format(format: &'static FileFormat) {
    let files = kept(format);
    assert!(!files.is_empty(), "fuzz/corpus/{} has a file to start from", format.id);
    for bytes in &files {
        asked::any(bytes, format);
    }
    let mut runner = TestRunner::new(Config { cases: CASES, failure_persistence: None, ..Config::default() });
    let changed = (0..files.len(), prop::collection::vec(change(), 1..5));
    let outcome = runner.run(&changed, |(file, changes)| {
        let mut bytes = files[file].clone();
        changes.iter().for_each(|change| change.apply(&mut bytes));
        asked::any(&bytes, format);
        Ok(())
    });
    outcome.unwrap_or_else(|failure| panic!("{}: {failure}", format.id));
}

#[test]
fn any_bytes_are_read_or_refused() {
    FORMATS.par_iter().with_max_len(1).for_each(try_format);
}
