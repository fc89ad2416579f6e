//! The robot as pictures: its links where its sliders put them, and what its cameras see.

use super::around;
use super::kept::built;
use crate::error::{PageError, PageResult};
use actix_web::http::header::CACHE_CONTROL;
use actix_web::{HttpRequest, HttpResponse, get, web};
use hull_geometry::{Mesh, Watch};
use hull_robots::JointKind;
use hull_robots::ellipsoid::ellipsoid;
use hull_robots::motion::{Free, places_freely};
use hull_robots::plan::{Plan, PlannedJoint};
use hull_store::Store;
use hull_store::ids::ProjectId;
use hull_workshop::picture::{self, Painted};
use hull_workshop::scene;

/// The robot as a picture in the colours of its links, its joints at the values that the query gives, in degrees or mm:
/// `?j0=30`, of a planar or floating joint `?j1.x=20&j1.yaw=10`; with `masses=1` the ellipsoids of mass within it.
#[get("/projects/{project}/robot.png")]
pub async fn drawn(store: web::Data<Store>, id: web::Path<ProjectId>, request: HttpRequest) -> PageResult {
    let query = web::Query::<Vec<(String, f64)>>::from_query(request.query_string());
    let values = query.map_or(Vec::new(), web::Query::into_inner);
    let png = web::block(move || -> PageResult<Vec<u8>> {
        let (plan, made) = built(&store, *id)?;
        let made = &made.built;
        let value = |key: &str| values.iter().find(|v| v.0 == key).map_or(0.0, |v| v.1);
        let at = places_freely(&made.robot, &joint_values(&plan, value), &free_values(&plan, value));
        let placed = |k: usize, mesh: &Mesh| {
            let mut own = mesh.clone();
            own.points.iter_mut().for_each(|p| *p = at[k].place(*p));
            own
        };
        // Frames, behind the links, have nothing to see.
        let links = made.seen.iter().zip(&plan.links).enumerate();
        let links: Vec<Painted> = links.map(|(k, (m, l))| Painted { mesh: placed(k, m), colour: l.colour }).collect();
        if value("masses") == 0.0 {
            return Ok(picture::painted(&links, &[]));
        }
        let weighed =
            made.robot.links.iter().enumerate().filter_map(|(k, l)| Some((k, ellipsoid(l.inertia.as_ref()?)?)));
        let masses: Vec<Painted> = weighed.map(|(k, m)| Painted { mesh: placed(k, &m), colour: MASS }).collect();
        Ok(picture::painted(&masses, &links))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("image/png").insert_header((CACHE_CONTROL, "no-store")).body(png))
}

/// The colour of an ellipsoid of mass.
const MASS: [u8; 3] = [0xb0, 0x5c, 0x2a];

/// What sliders of a joint with several values are called, behind the joint's own key: along in mm, about in degrees.
const FREE: [(&str, bool, usize); 6] =
    [("x", false, 0), ("y", false, 1), ("z", false, 2), ("roll", true, 0), ("pitch", true, 1), ("yaw", true, 2)];

/// The sliders of a joint: their keys behind the joint's, and whether they turn.
pub(super) fn sliders(kind: JointKind) -> Vec<(&'static str, bool)> {
    let has = |name: &str| match kind {
        JointKind::Planar => ["x", "y", "yaw"].contains(&name),
        JointKind::Floating => true,
        _ => false,
    };
    FREE.iter().filter(|f| has(f.0)).map(|f| (f.0, f.1)).collect()
}

/// The values of joints that have several.
fn free_values(plan: &Plan, slider: impl Fn(&str) -> f64) -> Vec<(usize, Free)> {
    let of = |(k, joint): (usize, &PlannedJoint)| {
        let own = sliders(joint.kind);
        let mut free = Free::default();
        for (name, turns, axis) in FREE.iter().filter(|f| own.iter().any(|o| o.0 == f.0)) {
            let typed = slider(&format!("j{k}.{name}"));
            match turns {
                true => free.about[*axis] = typed.to_radians(),
                false => free.along[*axis] = typed / 1000.0,
            }
        }
        (!own.is_empty()).then_some((k, free))
    };
    plan.joints.iter().enumerate().filter_map(of).collect()
}

/// What a camera sees, as a picture for eyes, its joints at the values that the query gives: `?camera=0&kind=depth&j0=30`.
#[get("/projects/{project}/robot-camera.png")]
pub async fn seen(store: web::Data<Store>, id: web::Path<ProjectId>, request: HttpRequest) -> PageResult {
    let query = web::Query::<Vec<(String, String)>>::from_query(request.query_string());
    let values = query.map_or(Vec::new(), web::Query::into_inner);
    let png = web::block(move || -> PageResult<Vec<u8>> {
        let (plan, made) = built(&store, *id)?;
        let made = &made.built;
        let typed = |key: &str| values.iter().find(|v| v.0 == key).map_or("", |v| v.1.as_str());
        let joints = joint_values(&plan, |key| typed(key).parse().unwrap_or(0.0));
        let things = scene::things(made, &joints, &around(&store, *id, &plan)?);
        let number = typed("camera").parse().unwrap_or(0);
        let shot = scene::shot(&plan, made, number, &joints, &things, &Watch::default());
        let (lens, _, shot) = shot.map_err(|e| PageError::refused(e.to_string()))?;
        Ok(scene::shown(&shot, &lens, typed("kind")))
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("image/png").insert_header((CACHE_CONTROL, "no-store")).body(png))
}

/// The values of a plan's joints in rad or m, from those of the sliders in degrees or mm.
fn joint_values(plan: &Plan, slider: impl Fn(&str) -> f64) -> Vec<f64> {
    let value = |(k, j): (usize, &PlannedJoint)| {
        let typed = slider(&format!("j{k}"));
        if j.kind == JointKind::Prismatic { typed / 1000.0 } else { typed.to_radians() }
    };
    plan.joints.iter().enumerate().map(value).collect()
}
