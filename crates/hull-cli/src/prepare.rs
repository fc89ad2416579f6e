//! `hull prepare`.

use crate::{End, input};
use anyhow::{Context, Result, anyhow};
use hull_exact::parameter_loops::Reader;
use hull_geometry::{Unit, Watch};
use hull_workshop::handover::{HandoverError, Package, distinct, file_stem, hand_over};
use hull_workshop::prepare::prepare;
use hull_workshop::routine::Routine;
use hull_workshop::{Destination, Step};
use std::path::{Path, PathBuf};

pub fn run(
    files: &[PathBuf],
    beside: &[PathBuf],
    routine: &Path,
    destination: &str,
    out: &Path,
    package: &Package,
) -> Result<End> {
    let routine_text = input::text(routine)?;
    let routine = Routine::from_toml(&routine_text).map_err(|e| anyhow!("{}: {e}", routine.display()))?;
    let destination = find_destination(destination)?;
    // Files of one system: what the routine says of the unit goes for those beside, too.
    let unit = routine.steps.iter().find_map(|s| if let Step::SetUnit(set) = s { Some(set.unit) } else { None });
    let mut ready = true;
    let folders = distinct(files.iter().map(|path| file_stem(&stem(path))).collect());
    for (path, folder) in files.iter().zip(folders) {
        let folder = if files.len() == 1 { out.to_path_buf() } else { out.join(folder) };
        ready &= one(path, (beside, unit), &routine, &destination, &folder, package)?;
    }
    Ok(if ready { End::Ready } else { End::NotReady })
}

/// A destination by name, or a TOML file of one.
pub fn find_destination(name: &str) -> Result<Destination> {
    if name.ends_with(".toml") {
        let text = input::text(Path::new(name))?;
        return Destination::from_toml(&text).map_err(|e| anyhow!("{name}: {e}"));
    }
    Destination::named(name).map_err(|e| anyhow!(e))
}

fn stem(path: &Path) -> String {
    path.file_stem().unwrap_or(path.as_os_str()).to_string_lossy().into_owned()
}

fn one(
    path: &Path,
    (beside, unit): (&[PathBuf], Option<Unit>),
    routine: &Routine,
    destination: &Destination,
    out: &Path,
    package: &Package,
) -> Result<bool> {
    let watch = Watch::default();
    let mut body = input::any_body(path, Reader::Trusting)?;
    body.beside = input::beside(beside, unit, unit.is_some() || body.facts.scale.is_some())?;
    let prepared = prepare(body, &routine.steps, destination, &watch)
        .map_err(|(step, e)| anyhow!("{}: step {step} of the routine: {e}", path.display()))?;
    let unit = prepared.body.facts.length_unit();
    for (step, change) in &prepared.log {
        println!("{}: {}", step.title().text(unit), change.sentence);
    }
    println!("{}: {}", destination.title, prepared.sheet.summary());
    match hand_over(&stem(path), &prepared, destination, package.clone(), &watch) {
        Ok(handover) => {
            std::fs::create_dir_all(out).with_context(|| format!("cannot make {}", out.display()))?;
            let zip = format!("{}-handover.zip", file_stem(&stem(path)));
            let files = handover.files.iter().map(|(n, b)| (n.as_str(), b)).chain([(zip.as_str(), &handover.zip)]);
            for (name, bytes) in files {
                let to = out.join(name);
                std::fs::write(&to, bytes).with_context(|| format!("cannot write {}", to.display()))?;
                println!("wrote {}", to.display());
            }
            Ok(true)
        }
        Err(HandoverError::NotReady(list)) => {
            eprintln!("{}: not ready for {}:", path.display(), destination.title);
            list.iter().for_each(|row| eprintln!("  not met: {row}"));
            Ok(false)
        }
        Err(other) => Err(other.into()),
    }
}
