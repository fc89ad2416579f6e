//! Any words: every command that the shell's help names, with options of its own help and values by chance. Whatever comes ends
//! with a code that the guide knows and a sentence, never with a panic, and writes nothing when it refuses.

use hull_formats::stl;
use hull_geometry::dirt::Dice;
use hull_geometry::shapes::{cuboid, sphere, torn};
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::sync::atomic::AtomicUsize;
use std::sync::atomic::Ordering::Relaxed;
use std::time::{Duration, Instant};

fn hull(args: &[String], folder: &Path) -> Child {
    let mut command = Command::new(env!("CARGO_BIN_EXE_hull"));
    command.args(args).current_dir(folder).stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped());
    command.spawn().unwrap()
}

/// What a child says, or nothing if it does not end.
fn ended(mut child: Child) -> Option<Output> {
    let until = Instant::now() + Duration::from_secs(120);
    // What it says is short: it does not wait for somebody to read it.
    while child.try_wait().unwrap().is_none() {
        if Instant::now() > until {
            child.kill().unwrap();
            return None;
        }
        std::thread::sleep(Duration::from_millis(3));
    }
    Some(child.wait_with_output().unwrap())
}

fn help(words: &[&str]) -> String {
    let words: Vec<String> = words.iter().chain(&["-h"]).map(|w| (*w).into()).collect();
    String::from_utf8(ended(hull(&words, Path::new("."))).expect("help ends").stdout).unwrap()
}

/// The first words of the lines of a part of the help.
fn listed(help: &str, part: &str) -> Vec<String> {
    let from = help.split_once(&format!("\n{part}:\n")).map_or("", |x| x.1);
    let lines = from.lines().take_while(|l| !l.trim().is_empty());
    lines.filter(|l| l.starts_with("  ") && !l.starts_with("           ")).map(|l| l.trim().to_string()).collect()
}

/// An option as its help has it: its name, what stands for its value, and the values that are named.
struct Choice {
    name: String,
    value: Option<String>,
    known: Vec<String>,
}

fn options(help: &str) -> Vec<Choice> {
    let of = |line: &String| {
        let name = line.split_whitespace().find(|w| w.starts_with("--"))?.trim_end_matches(',').to_string();
        let behind = line.split_once(&name).map_or("", |x| x.1);
        let value = behind.strip_prefix(" <").and_then(|rest| rest.split_once('>')).map(|x| x.0.to_string());
        let known = line.split_once("[possible values: ").map_or("", |x| x.1);
        let known = known.trim_end_matches(']').split(", ").filter(|w| !w.is_empty()).map(String::from).collect();
        (name != "--help").then_some(Choice { name, value, known })
    };
    listed(help, "Options").iter().filter_map(of).collect()
}

/// A value that what stands for it allows: of a step it is the range of the field.
fn fitting(value: &str, dice: &mut Dice) -> String {
    let any = |of: &[&str], dice: &mut Dice| of[dice.below(of.len())].to_string();
    let number =
        |word: &str| word.trim_matches(|c: char| !c.is_ascii_digit() && !"-.e".contains(c)).parse::<f64>().ok();
    let ends = value.split_once(" to ").and_then(|(a, b)| Some((number(a)?, number(b.split(' ').next()?)?)));
    match value {
        "FILE" | "FILES" => any(&FILES, dice),
        "UNIT" => any(&["mm", "cm", "m", "in", "ft"], dice),
        "destination" => any(&["fluid", "print", "points", "lines", "robot"], dice),
        "a length" => any(&["0.001", "0.1", "0.5", "2"], dice),
        "yes or no" => any(&["yes", "no"], dice),
        v if v.starts_with("x, y, z;") => any(&["0,0,0;1,1,1", "0,0,0;2,0,0;0,3,0", "1,1,4"], dice),
        v if v.starts_with("x, y, z") => any(&["0,0,0", "0,0,1", "1,-2,0.5"], dice),
        v if v.starts_with("unnamed") => {
            any(&["unnamed", "region:1,1,4@30", "direction:0,0,1@20", "box:0,0,0;1,1,1"], dice)
        }
        v if v.contains("text") || v == "names" => any(&["a", "low", "a name"], dice),
        _ if ends.is_some() => {
            let (from, to) = ends.unwrap_or_default();
            let x = from + dice.part() * (to.min(from + 100.0) - from);
            if dice.part() < 0.5 { x.round().to_string() } else { x.to_string() }
        }
        v if v.contains(", ") => {
            let all: Vec<&str> = v.split(", ").collect();
            any(&all, dice)
        }
        _ => any(&["1", "0.5", "10", "1,2,3", "+z", "water"], dice),
    }
}

const FILES: [&str; 8] =
    ["cube.stl", "ball.stl", "torn.stl", "cloud.xyz", "lines.dxf", "names.obj", "no file.stl", "noise.step"];
const WRITTEN: [&str; 10] = [
    "out.stl",
    "out.obj",
    "out.ply",
    "out.step",
    "out.dxf",
    "out.3mf",
    "out.vtu",
    "out.none",
    "nowhere/out.stl",
    "out",
];
const VALUES: [&str; 30] = [
    "0", "1", "2", "-1", "0.5", "10", "90", "1e-9", "1e9", "1e308", "NaN", "inf", "", "x", "mm", "in", "m", "+z", "-x",
    "1,2,3", "0,0,1", "0,0,0", "1,2", "water", "fluid", "print", "points", "all", "a name", "cube.stl",
];

/// A folder with files of several kinds.
fn folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, bytes: Vec<u8>| std::fs::write(folder.path().join(name), bytes).unwrap();
    put("cube.stl", stl::write_whole(&cuboid([2.0, 3.0, 4.0])));
    let ball = sphere(2.0, 12, 6);
    put("ball.stl", stl::write_whole(&ball));
    put("torn.stl", stl::write_whole(&torn(&cuboid([2.0, 3.0, 4.0]), 6, 0.01)));
    put("cloud.xyz", (0..200).map(|i| format!("{} {} {}\n", i % 7, i % 11, i % 13)).collect::<String>().into_bytes());
    let line = |a: i32, b: i32| format!("0\nLINE\n8\n0\n10\n{a}\n20\n0\n30\n0\n11\n{b}\n21\n5\n31\n{a}\n");
    put("lines.dxf", format!("0\nSECTION\n2\nENTITIES\n{}{}0\nENDSEC\n0\nEOF\n", line(0, 4), line(4, 9)).into_bytes());
    let sides = "g low\nf 1 3 4 2\nf 5 6 8 7\ng round\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n";
    let corners: String = (0..8).map(|i| format!("v {} {} {}\n", i & 1, i >> 1 & 1, i >> 2)).collect();
    put("names.obj", (corners + sides).into_bytes());
    put("noise.step", b"ISO-10303-21;\nHEADER;\nnothing that closes".to_vec());
    folder
}

/// What stands in a folder, but for what is there before.
fn made(folder: &Path) -> Vec<String> {
    let names = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().to_string_lossy().into_owned());
    let mut names: Vec<String> = names.filter(|n| !FILES.contains(&n.as_str())).collect();
    names.sort();
    names
}

fn words(command: &[&str], arguments: &[String], options: &[Choice], usage: &str, dice: &mut Dice) -> Vec<String> {
    let mut out: Vec<String> = command.iter().map(|w| (*w).into()).collect();
    let any = |of: &[&str], dice: &mut Dice| of[dice.below(of.len())].to_string();
    for argument in arguments {
        let name = argument.split_whitespace().next().unwrap_or_default().to_lowercase();
        if name.starts_with('[') && dice.part() < 0.3 {
            continue;
        }
        for _ in 0..if name.contains("...") { 1 + dice.below(4) } else { 1 } {
            out.push(match name.as_str() {
                _ if dice.part() < 0.08 => any(&VALUES, dice),
                n if n.contains("out") || n.contains("folder") => {
                    any(&WRITTEN[..if dice.part() < 0.7 { 3 } else { WRITTEN.len() }], dice)
                }
                _ => any(&FILES[..if dice.part() < 0.7 { 3 } else { FILES.len() }], dice),
            });
        }
    }
    for o in options {
        // What the usage names has to be there.
        if !usage.contains(&format!("{} <", o.name)) && dice.part() > if o.value.is_some() { 0.6 } else { 0.3 } {
            continue;
        }
        out.push(o.name.clone());
        let Some(value) = &o.value else { continue };
        out.push(match o.known.len() {
            _ if dice.part() < 0.05 => any(&VALUES, dice),
            n if n > 0 => o.known[dice.below(n)].clone(),
            _ if o.name.contains("out") => any(&WRITTEN, dice),
            _ => fitting(value, dice),
        });
    }
    out
}

/// What went wrong, and how often commands ended with 0, 1 and 2.
#[derive(Default)]
struct Found {
    wrong: Vec<String>,
    codes: [usize; 3],
}

impl Found {
    /// Runs a command with some words.
    fn run(&mut self, command: &[&str], dice: &mut Dice, rounds: u64) {
        let text = help(command);
        let (arguments, options) = (listed(&text, "Arguments"), options(&text));
        let usage = text.lines().find(|l| l.starts_with("Usage:")).unwrap_or_default();
        for _ in 0..rounds {
            let folder = folder();
            let words = words(command, &arguments, &options, usage, dice);
            let told = format!("hull {}", words.join(" "));
            let Some(out) = ended(hull(&words, folder.path())) else {
                self.wrong.push(format!("{told}\ndoes not end"));
                continue;
            };
            let said = String::from_utf8_lossy(&out.stderr).into_owned();
            match out.status.code() {
                Some(code @ 0..=2) => self.codes[code as usize] += 1,
                other => self.wrong.push(format!("{told}\nended with {other:?}: {said}")),
            }
            if said.contains("panicked") {
                self.wrong.push(format!("{told}\n{said}"));
            }
            if out.status.code() == Some(2) {
                let left = made(folder.path());
                if said.trim().len() < 12 || !left.is_empty() {
                    self.wrong.push(format!("{told}\nsays “{}” and leaves {left:?}", said.trim()));
                }
            }
        }
    }
}

#[test]
fn any_words_end_with_a_code_and_a_sentence() {
    // `scripts/fuzz anything` asks for more, from another seed.
    let asked = |what: &str, otherwise: u64| std::env::var(what).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise);
    let (rounds, seed) = (asked("HULL_ANY_ROUNDS", 2), asked("HULL_ANY_SEED", 0));
    let mut commands: Vec<Vec<String>> = Vec::new();
    for line in listed(&help(&[]), "Commands") {
        let name = line.split_whitespace().next().unwrap_or_default().to_string();
        let below = listed(&help(&[&name]), "Commands");
        match below.as_slice() {
            _ if name == "help" => {}
            [] => commands.push(vec![name]),
            below => commands.extend(
                below.iter().map(|l| vec![name.clone(), l.split_whitespace().next().unwrap_or_default().into()]),
            ),
        }
    }
    assert!(commands.len() > 80, "{}", commands.len());
    let commands: Vec<Vec<&str>> = commands.iter().map(|c| c.iter().map(String::as_str).collect()).collect();
    let tried: Vec<usize> = (0..commands.len()).filter(|k| commands[*k].last().is_some_and(|w| *w != "help")).collect();
    // One after the other they would leave all cores but one without work.
    let next = AtomicUsize::new(0);
    let work = || {
        let mut found = Found::default();
        while let Some(k) = tried.get(next.fetch_add(1, Relaxed)) {
            found.run(&commands[*k], &mut Dice(seed << 32 | *k as u64), rounds);
        }
        found
    };
    let mut all = Found::default();
    std::thread::scope(|threads| {
        let many = std::thread::available_parallelism().map_or(1, |n| n.get());
        let running: Vec<_> = (0..many).map(|_| threads.spawn(work)).collect();
        for thread in running {
            let found = thread.join().unwrap_or_else(|why| std::panic::resume_unwind(why));
            all.wrong.extend(found.wrong);
            (0..3).for_each(|code| all.codes[code] += found.codes[code]);
        }
    });
    let Found { mut wrong, codes } = all;
    wrong.sort();
    assert!(wrong.is_empty(), "{} of them:\n{}", wrong.len(), wrong.join("\n\n"));
    // Chance leaves many refusals; if nothing were done, nothing would be tried.
    assert!(codes[0] > 8 && codes[2] > 8, "{codes:?} ended with 0, 1, 2");
}
