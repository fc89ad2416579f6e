//! A robot's description, URDF or a USD stage with joints, that is dropped on a project: its links become bodies, and its joints the project's robot.

use crate::error::PageError;
use crate::upload::arrival;
use crate::worker::title_of;
use hull_formats::format::Surface;
use hull_formats::{NamedFacets, archive, threemf};
use hull_geometry::{FacetId, Unit, Watch};
use hull_store::Store;
use hull_store::ids::{JobId, ProjectId};
use hull_workshop::robot_in::{brought, brought_stage};

/// Takes a description and the files beside it into a project; gives the jobs that read the bodies, and what is not as the
/// description has it.
///
/// # Errors
/// Refused, if it cannot be read, or the project has a robot already.
pub fn take_in(
    store: &Store,
    project: ProjectId,
    (name, description): (&str, &[u8]),
    files: &[(String, Vec<u8>)],
    destination: &str,
) -> Result<(Vec<JobId>, Vec<String>), PageError> {
    if !store.robot(project)?.links.is_empty() {
        return Err(PageError::refused(format!(
            "This project has a robot already: drop “{name}” on a project of its own."
        )));
    }
    let watch = Watch::default();
    let found = match archive::is_robot(name) {
        true => brought(description, files, &watch),
        false => brought_stage(name, description, &watch),
    };
    let mut found = found.map_err(|why| PageError::refused(format!("“{name}”: {why}")))?;
    let mut jobs = Vec::new();
    for (link, (own, mesh)) in found.plan.links.iter_mut().zip(&found.bodies) {
        let file = format!("{own}.3mf");
        let all: Vec<FacetId> = mesh.triangles.keys().collect();
        let parts = [NamedFacets { name: own, facets: &all, role: None }];
        let surface = Surface { mesh, cells: Default::default(), parts: &parts, ascii: false, unit: Some(Unit::Mm) };
        let blob = store.put_blob(&threemf::write(&surface))?;
        link.parts = vec![title_of(&file)];
        jobs.push(store.enqueue(&arrival(file, blob, destination.into()), project, None)?);
    }
    store.keep_robot(project, &found.plan)?;
    Ok((jobs, found.notes))
}
