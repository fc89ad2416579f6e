//! How a robot moves when it is let go, and how it stands.

use super::kept::built;
use crate::error::{PageError, PageResult};
use crate::pages::html;
use crate::show::four_digits;
use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::{HttpResponse, get, web};
use askama::Template;
use hull_robots::contact::{Joints, Setting, Stood, set_down};
use hull_store::Store;
use hull_store::ids::ProjectId;

/// The motion of the robot when its joints are let go at zero for five seconds, as CSV.
#[get("/projects/{project}/robot-let-go.csv")]
pub async fn motion(store: web::Data<Store>, id: web::Path<ProjectId>) -> PageResult {
    let text = web::block(move || -> PageResult<String> {
        let (_, made) = built(&store, *id)?;
        Ok(hull_robots::dynamics::let_go(&made.built.robot, 5.0).map_err(PageError::refused)?.csv())
    })
    .await??;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((CONTENT_DISPOSITION, "attachment; filename=\"let-go.csv\""))
        .body(text))
}

/// A robot set down on a floor for some seconds: `joints` held, released or driven.
fn stood(store: &Store, id: ProjectId, joints: Joints) -> PageResult<Stood> {
    let (_, made) = built(store, id)?;
    let how = Setting { joints, ..Setting::default() };
    set_down(&made.built.robot, &made.built.seen, &how).map_err(PageError::refused)
}

/// What joints do, as the address says.
#[derive(serde::Deserialize)]
struct Standing {
    #[serde(default)]
    joints: String,
}

impl Standing {
    fn joints(&self) -> Joints {
        match self.joints.as_str() {
            "released" => Joints::Released,
            "driven" => Joints::Driven(0.5, 0.5),
            _ => Joints::Held,
        }
    }
}

#[derive(Template)]
#[template(path = "stood.html")]
struct StoodPart {
    project: ProjectId,
    joints: String,
    stood: Stood,
    end: hull_robots::contact::Moment,
    leans: f64,
    plot: String,
}

/// How a robot stands on a floor, as a part of its page.
#[get("/projects/{project}/robot-stands")]
pub async fn stands(store: web::Data<Store>, id: web::Path<ProjectId>, how: web::Query<Standing>) -> PageResult {
    let project = id.into_inner();
    let joints = how.joints();
    let found = web::block(move || stood(&store, project, joints)).await??;
    let leans = found.moments.iter().map(|m| m.lean).fold(0.0, f64::max);
    let Some(end) = found.moments.last().cloned() else { return Err(PageError::refused("The trial had no moment.")) };
    let carried: Vec<[f64; 2]> = found.moments.iter().map(|m| [m.time, m.carried]).collect();
    let plot = hull_workshop::svg::curve(&carried, "s", "the floor carries, N");
    html(&StoodPart { project, joints: how.joints.clone(), stood: found, end, leans, plot })
}

/// The same as CSV.
#[get("/projects/{project}/robot-stands.csv")]
pub async fn stands_csv(store: web::Data<Store>, id: web::Path<ProjectId>, how: web::Query<Standing>) -> PageResult {
    let (project, joints) = (id.into_inner(), how.joints());
    let text = web::block(move || stood(&store, project, joints)).await??.csv();
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((CONTENT_DISPOSITION, "attachment; filename=\"stands.csv\""))
        .body(text))
}
