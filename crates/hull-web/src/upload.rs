//! Files coming in: streamed to the store chunk by chunk, then read by a job.

use crate::error::{PageError, PageResult};
use crate::robot;
use actix_web::error::PayloadError;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, put, rt, web};
use futures_util::StreamExt;
use hull_formats::naming::checked;
use hull_formats::{FileFormat, archive, usd};
use hull_store::Store;
use hull_store::blobs::{Blob, CHUNK};
use hull_store::ids::{JobId, ProjectId};
use hull_store::work::{Arrival, Work};
use serde::Deserialize;
use serde_json::json;
use std::path::Path;
use std::time::Duration;

/// Larger files are refused: they would not fit in the memory of the worker that reads them.
const LARGEST: u64 = 4 << 30;
/// How long an upload may stand still.
const STILL: Duration = Duration::from_secs(30);
/// A zip is unpacked by the server itself.
const LARGEST_ZIP: u64 = 500 << 20;

#[derive(Deserialize)]
pub struct Named {
    name: String,
    /// What its bodies are bound for.
    destination: Option<String>,
}

/// `PUT /projects/{id}/files?name=part.stl` with the file as the body.
#[put("/projects/{project}/files")]
pub async fn receive(
    store: web::Data<Store>,
    project: web::Path<ProjectId>,
    query: web::Query<Named>,
    mut payload: web::Payload,
) -> PageResult {
    let project = project.into_inner();
    let Named { name, destination } = query.into_inner();
    let name = checked("A file", &name, 200).map_err(PageError::refused)?;
    let is_stage = FileFormat::of_name(&name).is_ok_and(|f| f.id == usd::FORMAT.id);
    let holds_several = archive::is_archive(&name) || archive::is_robot(&name) || is_stage;
    if !holds_several {
        FileFormat::of_name(&name).map_err(PageError::refused)?;
    }
    let asked = || PageError::refused(format!("Say what “{name}” is bound for: choose a destination."));
    let destination = destination.filter(|d| !d.is_empty()).ok_or_else(asked)?;
    {
        let (store, destination) = (store.clone(), destination.clone());
        web::block(move || store.project(project).and_then(|_| store.newest(&destination))).await??;
    }
    let mut blob = Blob::default();
    let mut pending: Vec<u8> = Vec::with_capacity(CHUNK);
    while let Some(part) = next(&mut payload, &name).await? {
        let part =
            part.map_err(|e| PageError::refused(format!("“{name}” did not arrive whole: {e}. Send it again.")))?;
        blob.size += part.len() as u64;
        if blob.size > LARGEST {
            return Err(PageError::refused(format!("“{name}” is larger than 4 GB; split it or reduce it first.")));
        }
        let mut rest = &part[..];
        while pending.len() + rest.len() >= CHUNK {
            let (now, later) = rest.split_at(CHUNK - pending.len());
            pending.extend_from_slice(now);
            rest = later;
            let full = std::mem::replace(&mut pending, Vec::with_capacity(CHUNK));
            blob.chunks.push(keep(&store, full).await?);
        }
        pending.extend_from_slice(rest);
    }
    if !pending.is_empty() {
        blob.chunks.push(keep(&store, pending).await?);
    }
    // A stage so large that it is not held whole is geometry in any case.
    if !holds_several || (is_stage && blob.size > LARGEST_ZIP) {
        let job = web::block(move || store.enqueue(&arrival(name, blob, destination), project, None)).await??;
        return Ok(HttpResponse::Accepted().json(json!({ "job": job })));
    }
    // What is unpacked or put together here is held whole.
    if blob.size > LARGEST_ZIP {
        return Err(PageError::refused(format!("“{name}” is larger than 500 MB; send its files by themselves.")));
    }
    let taken = web::block(move || unpacked(&store, project, &name, &blob, &destination)).await??;
    Ok(HttpResponse::Accepted().json(json!({ "jobs": taken.jobs, "left": taken.left, "notes": taken.notes })))
}

/// The next piece of a file, unless none comes for too long: who sends nothing holds nothing.
async fn next(payload: &mut web::Payload, name: &str) -> PageResult<Option<Result<web::Bytes, PayloadError>>> {
    rt::time::timeout(STILL, payload.next()).await.map_err(|_| PageError {
        status: StatusCode::REQUEST_TIMEOUT,
        sentence: format!("Nothing more of “{name}” came for {} seconds. Send it again.", STILL.as_secs()),
    })
}

/// What became of a file that holds several.
#[derive(Default)]
struct Taken {
    jobs: Vec<JobId>,
    /// Files that are of no format.
    left: Vec<String>,
    /// What is not as the file has it.
    notes: Vec<String>,
}

/// A stage with joints becomes the project's robot, unless that has one; any other is a body.
fn stage(
    store: &Store,
    project: ProjectId,
    (name, blob, bytes): (&str, &Blob, &[u8]),
    destination: &str,
) -> Result<Taken, PageError> {
    let has_joints = usd::physics::has_joints(name, bytes);
    if has_joints && store.robot(project)?.links.is_empty() {
        let (jobs, notes) = robot::take_in(store, project, (name, bytes), &[], destination)?;
        return Ok(Taken { jobs, notes, ..Taken::default() });
    }
    let job = store.enqueue(&arrival(name.into(), blob.clone(), destination.into()), project, None)?;
    let why = "has joints, but this project has a robot already: it comes in as one body";
    let notes = has_joints.then(|| format!("“{name}” {why}."));
    Ok(Taken { jobs: vec![job], notes: notes.into_iter().collect(), ..Taken::default() })
}

/// Each geometry file of a zip becomes a body of its own; a robot's description brings its links.
fn unpacked(store: &Store, project: ProjectId, name: &str, blob: &Blob, destination: &str) -> Result<Taken, PageError> {
    let bytes = store.blob(blob)?;
    if archive::is_robot(name) {
        let (jobs, notes) = robot::take_in(store, project, (name, &bytes), &[], destination)?;
        return Ok(Taken { jobs, notes, ..Taken::default() });
    }
    if FileFormat::of_name(name).is_ok_and(|f| f.id == usd::FORMAT.id) {
        return stage(store, project, (name, blob, &bytes), destination);
    }
    let found = archive::unpack(name, &bytes).map_err(|e| PageError::refused(format!("{e}.")))?;
    match found.robots.as_slice() {
        [] => {}
        [(path, description)] => {
            let (jobs, notes) = robot::take_in(store, project, (path, description), &found.files, destination)?;
            return Ok(Taken { jobs, notes, left: found.left });
        }
        several => {
            let names = several.iter().map(|r| r.0.as_str()).collect::<Vec<_>>().join(", ");
            return Err(PageError::refused(format!(
                "“{name}” holds {} descriptions of robots, {names}: send one with its meshes.",
                several.len()
            )));
        }
    }
    let mut taken = Taken { left: found.left, ..Taken::default() };
    for (path, bytes) in found.files {
        // Names of bodies come from files; folders tell those of one name apart.
        let short: String = path.chars().rev().take(200).collect::<Vec<_>>().into_iter().rev().collect();
        let own = checked("A file", &short.replace('/', " "), 200).map_err(PageError::refused)?;
        let blob = store.put_blob(&bytes)?;
        taken.jobs.push(store.enqueue(&arrival(own, blob, destination.into()), project, None)?);
    }
    Ok(taken)
}

async fn keep(store: &web::Data<Store>, chunk: Vec<u8>) -> PageResult<String> {
    let store = store.clone();
    Ok(web::block(move || store.put_chunk(&chunk)).await??)
}

/// Makes the demo project with every file of a folder, and one beside it of each folder in that, unless there are some of
/// their names.
pub fn demo(store: &Store, folder: &Path) -> anyhow::Result<()> {
    let mut inner: Vec<_> = std::fs::read_dir(folder)?.collect::<Result<_, _>>()?;
    inner.retain(|e| e.path().is_dir());
    inner.sort_by_key(std::fs::DirEntry::file_name);
    // The last that is made stands first.
    for entry in inner.iter().rev() {
        let name = entry.file_name().to_string_lossy().replace('-', " ");
        let first = name.chars().next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
        let title = first.clone() + name.get(first.len()..).unwrap_or_default();
        demo_project(store, &entry.path(), &title)?;
    }
    demo_project(store, folder, "Pipit survey catamaran")
}

fn demo_project(store: &Store, folder: &Path, title: &str) -> anyhow::Result<()> {
    if store.projects()?.iter().any(|p| p.name == title) {
        return Ok(());
    }
    let project = store.create_project(title)?;
    let mut files: Vec<_> = std::fs::read_dir(folder)?.collect::<Result<_, _>>()?;
    files.retain(|e| e.path().is_file());
    files.sort_by_key(std::fs::DirEntry::file_name);
    for file in files {
        let name = file.file_name().to_string_lossy().into_owned();
        if name == "robot.json" {
            store.keep_robot(project.id, &serde_json::from_slice(&std::fs::read(file.path())?)?)?;
            continue;
        }
        let blob = store.put_blob(&std::fs::read(file.path())?)?;
        let destination = fitting(&name).to_string();
        store.enqueue(&arrival(name, blob, destination), project.id, None)?;
    }
    Ok(())
}

pub fn arrival(name: String, blob: Blob, destination: String) -> Work {
    Work::Receive(Arrival::File { name, blob, destination })
}

/// What a body of the demo is bound for.
fn fitting(file: &str) -> &'static str {
    match file {
        "bow-fairing.igs" | "keel-fin-scan.stl" => "flow-around",
        "instrument-tray.obj" => "print",
        "quay-deck.ply" | "quay-wall.ply" | "quay-deck-levelled.e57" => "points",
        "sensor-gantry.dxf" => "frame",
        "stern-gantry.step" | "bilge-outline.dxf" => "lines",
        name if name.starts_with("winch-") && name != "winch-arm.obj" => "surface",
        "pump-bed.step" | "winch-arm.obj" | "cooler-duct.3mf" | "cooler-fins.3mf" | "cooler-heater.3mf" => "solid",
        _ => "fluid",
    }
}
