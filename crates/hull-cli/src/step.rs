//! `hull step`: any operation there is, with options that follow from its fields.

use crate::input;
use crate::prepare::find_destination;
use crate::{End, output};
use anyhow::{Context, Result, anyhow, bail};
use clap::{Arg, ArgAction, ArgMatches, Command};
use hull_exact::parameter_loops::Reader;
use hull_geometry::{Unit, Watch};
use hull_workshop::routine::Routine;
use hull_workshop::sentence::LengthUnit;
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::steps::{self, About, Field, Kinds, OPERATIONS, Quantity, Seen, Step};
use hull_workshop::survey::{self, Cost, survey_of};
use hull_workshop::{Destination, apply};
use std::path::{Path, PathBuf};

/// The command with a subcommand for each operation.
pub fn command() -> Command {
    let of = |about: &'static About| {
        let fields = (about.fields)().iter().map(option);
        Command::new(about.id)
            .about(about.help)
            .arg(Arg::new("input").required(true).value_parser(clap::value_parser!(PathBuf)).help("The file to read"))
            .arg(
                Arg::new("output")
                    .required(true)
                    .value_parser(clap::value_parser!(PathBuf))
                    .help("The file to write (.stl, .obj, .ply)"),
            )
            .args(fields)
            .arg(Arg::new("in").long("in").value_name("UNIT").help("The unit of the file: lengths are in mm then"))
            .arg(
                Arg::new("files beside")
                    .long("beside")
                    .value_name("FILE")
                    .action(ArgAction::Append)
                    .value_parser(clap::value_parser!(PathBuf))
                    .help("A body that lies beside this one, for picks by what faces it (facing:NAME OF ITS FILE@DISTANCE) and for clearances"),
            )
            .arg(
                Arg::new("routine")
                    .long("routine")
                    .value_name("FILE")
                    .value_parser(clap::value_parser!(PathBuf))
                    .help("Add the step to this routine, made if it is not there, to replay with hull prepare"),
            )
            .arg(
                Arg::new("destination")
                    .long("destination")
                    .default_value("fluid")
                    .help("What the body is for: a name or a TOML file"),
            )
    };
    Command::new("step")
        .about("Do one operation on a file and write the result")
        .subcommand_required(true)
        .arg_required_else_help(true)
        .subcommands(OPERATIONS.iter().map(of))
}

fn option(field: &'static Field) -> Arg {
    let mut help = format!("{}: {}", field.label, field.help);
    if let Some(default) = field.default {
        help += &format!(" [usual: {default}]");
    }
    let arg = Arg::new(field.path).long(field.option()).help(help).value_name(field.range());
    match field.quantity {
        Quantity::Flag => arg.num_args(0..=1).default_missing_value("yes").value_name("yes|no"),
        Quantity::Places | Quantity::Texts => arg.action(ArgAction::Append).allow_hyphen_values(true),
        _ => arg.allow_hyphen_values(true),
    }
}

/// Reads, applies, writes, and says what changed.
///
/// # Errors
/// If the file cannot be used, an option has a value that cannot be, or the step is refused.
pub fn run(matches: &ArgMatches) -> Result<End> {
    let (id, matches) = matches.subcommand().context("name a step")?;
    let about = steps::operation(id).map_err(|s| anyhow!(s.text(LengthUnit::Millimetres)))?;
    let path = |key: &str| matches.get_one::<PathBuf>(key).cloned().unwrap_or_default();
    let destination = find_destination(matches.get_one::<String>("destination").map_or("fluid", String::as_str))?;
    let watch = Watch::default();
    let from = path("input");
    // What needs a surface is refused at once where there is none; the rest takes whatever the file holds.
    let read = if about.needs == Kinds::Surface { input::body } else { input::any_body };
    let mut body = read(&from, Reader::Trusting)?;
    if let Some(unit) = unit_of(matches)? {
        body = apply(&body, &SetUnit { unit }.into(), &Destination::asking_nothing(), &watch)?.0;
    }
    let beside: Vec<PathBuf> = matches.get_many("files beside").unwrap_or_default().cloned().collect();
    body.beside = input::beside(&beside, unit_of(matches)?, body.facts.scale.is_some())?;
    let unit = body.facts.length_unit();
    let typed: Vec<(String, String)> = (about.fields)()
        .iter()
        .flat_map(|f| {
            let values = matches.get_many::<String>(f.path).unwrap_or_default();
            values.map(|v| (f.path.to_string(), v.clone())).collect::<Vec<_>>()
        })
        .collect();
    // What is left out is what would be proposed; measuring that takes a survey.
    let left_out = (about.fields)().iter().any(|f| !f.optional && typed.iter().all(|t| t.0 != f.path));
    let proposed = if left_out {
        // What a destination asks besides is looked at as well: proposals of members need it.
        let cx = survey::Context::of(&body, &watch)?;
        let survey = survey_of(&cx, |probe| probe.cost != Cost::IfAsked || probe.id == "frame", &watch)?;
        steps::proposed(about, &Seen { facts: &body.facts, survey: &survey })
    } else {
        None
    };
    let step = steps::read(id, &typed, proposed.as_ref().map(|p| &p.step)).map_err(|s| anyhow!(s.text(unit)))?;
    let (after, change) = apply(&body, &step, &destination, &watch)?;
    let to = path("output");
    // The routine first: where it cannot be added to, nothing is written, and where the result cannot be, it is as it was.
    let kept =
        matches.get_one::<PathBuf>("routine").map(|path| Added::to(path, &to, step.clone(), &from)).transpose()?;
    let written = output::write(&after, &to).inspect_err(|_| kept.iter().for_each(Added::take_back))?;
    output::tell(&to, &after, written.as_ref())?;
    println!("{}: {}", step.title().text(unit), change.sentence);
    println!("wrote {}", to.display());
    if let Some(kept) = kept {
        println!("added to {}", kept.path.display());
    }
    Ok(End::Ready)
}

/// The unit that the files are said to be in.
fn unit_of(matches: &ArgMatches) -> Result<Option<Unit>> {
    matches.get_one::<String>("in").map(|unit| unit.parse().map_err(|e: String| anyhow!(e))).transpose()
}

/// A routine's file to which a step was added, and what stood there before.
struct Added<'a> {
    path: &'a Path,
    before: Option<String>,
}

impl Added<'_> {
    /// Adds a step at the end of a routine's file, made if it is not there.
    fn to<'a>(path: &'a Path, output: &Path, step: Step, from: &Path) -> Result<Added<'a>> {
        if path == output {
            bail!("{} cannot be both the result and the routine", path.display());
        }
        let before = path.exists().then(|| input::text(path)).transpose()?;
        let from = input::file_name(from);
        let mut routine = match &before {
            Some(text) => Routine::from_toml(text).map_err(|e| anyhow!("{}: {e}", path.display()))?,
            None => Routine { name: from.clone(), made_from: Some(from), steps: Vec::new() },
        };
        routine.steps.push(step);
        let text = routine.to_toml().map_err(|e| anyhow!(e))?;
        std::fs::write(path, text).with_context(|| format!("cannot write {}", path.display()))?;
        Ok(Added { path, before })
    }

    fn take_back(&self) {
        // Whatever hinders that, it is the result that is told of.
        let _ = match &self.before {
            Some(text) => std::fs::write(self.path, text),
            None => std::fs::remove_file(self.path),
        };
    }
}
