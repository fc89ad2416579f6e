//! `hull`: the work of Ready Hull from a shell. Exit code 0 ready, 1 short, 2 unusable input.

mod check;
mod combine;
mod compose;
mod convert;
mod distance;
mod fit;
mod flow;
mod frame;
mod input;
mod leak;
mod output;
mod prepare;
mod regions;
mod repair;
mod robot;
mod routine;
mod section;
mod step;
mod stock;

use check::Look;
use clap::{CommandFactory, FromArgMatches, Parser, Subcommand};
use hull_exact::parameter_loops::Reader;
use hull_formats::format::{dotted, listed};
use hull_geometry::Unit;
use hull_workshop::combine::Together;
use hull_workshop::handover::{Form, Package, form::FORMS};
use std::path::PathBuf;
use std::process::ExitCode;

/// Turns design and scanned geometry into clean models for solvers.
#[derive(Parser)]
#[command(name = "hull", version)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Measure files: open, overshared and misdirected edges, shells, volume, area, size.
    Check {
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// The unit of the files: mm, cm, m, in or ft. Figures stay in it.
        #[arg(long)]
        unit: Option<Unit>,
        /// One JSON object a file, one a line.
        #[arg(long)]
        json: bool,
        /// How exact faces are read: trusting the file's bounds, or rebuilding them from surfaces and edges.
        #[arg(long, value_enum, default_value = "trusting")]
        reader: Way,
        /// Leave out the search for facets that run through each other.
        #[arg(long)]
        quick: bool,
        /// Look for skins, lost and tiny shells, thin walls, narrow gaps, spikes, folds, needles, caps and tunnels too.
        #[arg(long, conflicts_with = "quick")]
        deep: bool,
        /// List what the page would propose for the surface, with values.
        #[arg(long, conflicts_with = "quick")]
        remedies: bool,
        /// Read the facets strictly and tolerantly, and lay both side by side.
        #[arg(long)]
        readings: bool,
        /// Tell what took how long: each stage, and the ten faces of exact geometry that took longest.
        #[arg(long)]
        timings: bool,
    },
    /// How far two surfaces are from each other, both ways; exit code 0 whatever the distance.
    Distance(distance::Distance),
    /// Bring one surface or cloud onto another by best fit and write it where it belongs.
    Fit(fit::Fit),
    /// Whether the inside is tight against the outside for cells of a size; exit code 1 and the shortest way through if not.
    Leak(leak::Leak),
    /// List stock parts, or write one: bolts, nuts, washers, pipes, elbows, flanges, sections, gears.
    Stock(stock::Stock),
    /// See a body from stations as a scanner does, and write the points.
    Scan(stock::Bench),
    /// Write the outlines where planes meet a body, with area, centroid and second moments of each.
    Section(section::Section),
    /// Repair a surface: remedies one after another, each kept only if it helps; exit code 1 if something is left.
    Repair(repair::Repair),
    /// Write what lies in any of some closed bodies.
    Unite(combine::Combine),
    /// Write what lies in the first of some closed bodies and in none of the others.
    Subtract(combine::Combine),
    /// Write what lies in all of some closed bodies.
    Intersect(combine::Combine),
    /// Part closed bodies into regions with common interfaces: the same points and facets on both sides.
    Regions(regions::Regions),
    /// Try the flow through a closed region between its inlets and outlets: what is connected, how much goes where, what is
    /// narrow, where it stands still.
    Flow(flow::Flow),
    /// Try a frame that was handed over as JSON: movements, stress, frequencies, buckling; exit code 1 if it is a mechanism.
    Frame(frame::Frame),
    /// Compose a robot of files by a plan: links with masses and shapes to touch, joints; URDF, USD and meshes.
    Robot(compose::Compose),
    /// Take files through a routine to a handover for a destination.
    Prepare {
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// Bodies that lie beside them, for rules by what faces them: facing:NAME OF ITS FILE@DISTANCE.
        #[arg(long)]
        beside: Vec<PathBuf>,
        /// The steps: a file that `hull routine export` wrote.
        #[arg(long)]
        routine: PathBuf,
        #[arg(long, default_value = "fluid")]
        destination: String,
        /// Folder for the handover; with several files, one folder a file inside it.
        #[arg(long)]
        out: PathBuf,
        /// Write one binary STL a boundary instead of one ASCII file.
        #[arg(long)]
        binary: bool,
        #[arg(long, conflicts_with = "binary", default_value = "ascii", value_parser = Form::named, help = forms())]
        form: Form,
        /// The unit of the files; the destination's if left out.
        #[arg(long)]
        unit: Option<Unit>,
        /// What files are called: text with {body}, {destination}, {unit} or {form} in it.
        #[arg(long)]
        names: Option<String>,
    },
    /// Read one format and write another.
    Convert(convert::Convert),
    /// Routines: steps to replay on other bodies.
    Routine {
        #[command(subcommand)]
        command: RoutineCommand,
    },
}

#[derive(Subcommand)]
enum RoutineCommand {
    /// Write the logbook of a body of a project as a routine.
    Export {
        /// Name or number of the project.
        #[arg(long)]
        project: String,
        /// Name or number of the body; may be left out if the project has one.
        #[arg(long)]
        body: Option<String>,
        /// Where the project is; HULL_DATABASE_URL, or the file .data/database-url that scripts/start
        /// writes, if left out.
        #[arg(long)]
        database: Option<String>,
        /// File to write; standard output if left out.
        #[arg(long, short)]
        output: Option<PathBuf>,
    },
}

/// How exact faces are read.
#[derive(Clone, Copy, Debug, clap::ValueEnum)]
pub enum Way {
    /// With the directions of the file.
    Trusting,
    /// With bounds made anew from surfaces and edges.
    Rebuilding,
}

impl From<Way> for Reader {
    fn from(way: Way) -> Reader {
        match way {
            Way::Trusting => Reader::Trusting,
            Way::Rebuilding => Reader::Rebuilding,
        }
    }
}

/// How a command ended without an error.
pub enum End {
    /// What was asked for is met.
    Ready,
    /// It is not, as was said.
    NotReady,
}

/// The code of programs whose output nobody reads: 128 and the number of the signal for that.
const NOBODY_READS: i32 = 141;

/// What can be written, for the help.
fn forms() -> String {
    let all: Vec<String> = FORMS.iter().map(|a| format!("{} ({})", a.key, a.title)).collect();
    format!("What to write, if the body has what it carries: {}", all.join(", "))
}

/// Output that nobody reads any more, as with `hull check … | head -3`, ends the program without a word.
fn end_quietly_without_a_reader() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let said = panic.payload_as_str().unwrap_or_default();
        if said.starts_with("failed printing to stdout") {
            std::process::exit(NOBODY_READS);
        }
        usual(panic);
    }));
}

fn main() -> ExitCode {
    end_quietly_without_a_reader();
    // The options of `step` follow from the operations there are, so its part of the command is made here.
    let readable = listed(&dotted(|_| true), "or");
    let about = format!("Read one format ({readable}) and write another.");
    let cli = Cli::command().mut_subcommand("convert", |c| c.about(about)).subcommand(step::command());
    let matches = cli.get_matches();
    let result = match matches.subcommand() {
        Some(("step", of_step)) => step::run(of_step),
        _ => run(Cli::from_arg_matches(&matches).unwrap_or_else(|e| e.exit())),
    };
    match result {
        Ok(End::Ready) => ExitCode::SUCCESS,
        Ok(End::NotReady) => ExitCode::from(1),
        Err(error) => {
            eprintln!("hull: {error:#}");
            ExitCode::from(2)
        }
    }
}

fn run(cli: Cli) -> anyhow::Result<End> {
    match cli.command {
        Command::Check { files, unit, json, reader, quick, deep, remedies, readings, timings } => {
            let how = if quick {
                Look::Quick
            } else if deep {
                Look::Deep
            } else {
                Look::Usual
            };
            check::run(&check::Check { files, unit, json, reader: reader.into(), how, remedies, readings, timings })
        }
        Command::Distance(d) => distance::run(&d),
        Command::Fit(f) => fit::run(&f),
        Command::Leak(l) => leak::run(&l),
        Command::Stock(s) => stock::parts(&s),
        Command::Scan(s) => stock::bench(&s),
        Command::Section(s) => section::run(&s),
        Command::Repair(r) => repair::run(&r),
        Command::Unite(c) => combine::run(&c, Together::Unite),
        Command::Subtract(c) => combine::run(&c, Together::Subtract),
        Command::Intersect(c) => combine::run(&c, Together::Intersect),
        Command::Regions(r) => regions::run(&r),
        Command::Flow(f) => flow::run(&f),
        Command::Frame(f) => frame::run(&f),
        Command::Robot(c) => compose::run(&c),
        Command::Prepare { files, beside, routine, destination, out, binary, form, unit, names } => {
            let form = if binary { Form::Binary } else { form };
            prepare::run(&files, &beside, &routine, &destination, &out, &Package { form, unit, names })
        }
        Command::Convert(convert) => convert::run(&convert),
        Command::Routine { command: RoutineCommand::Export { project, body, database, output } } => {
            routine::export(&project, body.as_deref(), database, output.as_deref())
        }
    }
}
