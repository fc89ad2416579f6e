//! What is done with bodies of a project beside each other: taken in again, grouped, made a robot.

use super::*;
use hull_geometry::FacetId;
use hull_geometry::transform::translate;
use hull_store::bodies::BodyRow;
use hull_store::ids::ProjectId;

#[actix_web::test]
async fn what_comes_again_is_taken_in_from_a_body_of_the_project_and_only_from_there() {
    let site = Site::open();
    let (project, first) = site.body("bracket.stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
    let (_, elsewhere) = site.body("bracket.stl", binary(&cuboid([4.0; 3]))).await;
    site.post(&format!("/bodies/{first}/steps"), "step=set_unit&unit=cm").await;
    let file = format!("/projects/{project}/files?name=bracket.stl&destination=print");
    site.ask("PUT", &file, "model/stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
    let until = Instant::now() + Duration::from_secs(60);
    let again = loop {
        let found = site.store.bodies(project).unwrap().into_iter().find(|b| b.id != first && b.head.is_some());
        if let Some(body) = found {
            break body.id;
        }
        assert!(Instant::now() < until, "it was not read");
        std::thread::sleep(Duration::from_millis(20));
    };
    let page = site.get(&format!("/bodies/{again}")).await;
    assert!(page.says("This file came before") && page.says("the very same geometry"), "{}", page.text);
    for (deed, before, words) in [
        ("take-in", String::new(), "which body the file was"),
        ("take-in", elsewhere.to_string(), "another body of this project"),
        ("take-in", again.to_string(), "another body of this project"),
        ("accept", elsewhere.to_string(), "another body of this project"),
    ] {
        let refused = site.post(&format!("/bodies/{again}/{deed}"), &form(&[("before", &before)])).await;
        assert!(refused.says(words), "{deed} {before}: {}", refused.text);
    }
    assert!(site.store.body(elsewhere).is_ok(), "nothing was deleted");
    site.post(&format!("/bodies/{again}/take-in"), &form(&[("before", &first.to_string())])).await;
    let head = || site.store.revision(site.store.body(again).unwrap().head.unwrap()).unwrap();
    while head().facts.scale.is_none() && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    assert!((head().survey.size.longest() - 40.0).abs() < 1e-9, "in millimetres now");
    assert!(site.get(&format!("/bodies/{again}")).await.says("Taken in"));
    site.post(&format!("/bodies/{again}/accept"), &form(&[("before", &first.to_string())])).await;
    assert!(site.store.body(first).is_err(), "the earlier one is deleted");
    let accepted = site.store.body(again).unwrap();
    assert_eq!((accepted.name.as_str(), accepted.destination.as_str()), ("Bracket", "fluid"));
}

#[actix_web::test]
async fn bodies_are_grouped_hidden_and_duplicated_and_names_that_cannot_be_are_refused() {
    let site = Site::open();
    let (project, body) = site.body("plate.stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
    let together = format!("/projects/{project}/together");
    let long = "x".repeat(500);
    let refused = site.post(&together, &format!("do=group&group={long}&body={body}")).await;
    assert!(refused.says("Left alone: “Plate”"), "{}", refused.text);
    assert!(
        site.post(&together, &format!("do=group&group=Skids&body={body}"))
            .await
            .says("In the group “Skids” now: 1 body")
    );
    assert_eq!(site.store.body(body).unwrap().grouped, "Skids");
    assert!(site.get(&format!("/projects/{project}")).await.says("data-group=\"Skids\""));
    site.post(&together, &format!("do=group&group=&body={body}")).await;
    assert_eq!(site.store.body(body).unwrap().grouped, "");
    site.post(&together, &format!("do=hide&body={body}")).await;
    assert!(site.get(&format!("/projects/{project}")).await.says("Show hidden bodies (1)"));
    site.post(&together, &format!("do=list&body={body}")).await;
    assert!(!site.store.body(body).unwrap().hidden);
    site.post(&together, &format!("do=duplicate&body={body}")).await;
    let until = Instant::now() + Duration::from_secs(60);
    while site.store.bodies(project).unwrap().len() < 2 {
        assert!(Instant::now() < until, "no duplicate came");
        std::thread::sleep(Duration::from_millis(20));
    }
    let repair = format!("/bodies/{body}/repairs/run");
    assert!(site.post(&repair, "").await.notice().contains("Tick at least one step"));
    assert_eq!(site.post(&format!("/bodies/{body}/repairs/dismiss"), "").await.status, StatusCode::OK);
}

#[actix_web::test]
async fn a_rule_asks_what_faces_another_body_of_the_project() {
    let site = Site::open();
    let (project, plate) = site.body("plate.stl", binary(&cuboid([60.0, 40.0, 1.0]))).await;
    let mut block = cuboid([60.0, 40.0, 5.0]);
    translate(&mut block, [0.0, 0.0, 1.5]);
    let file = format!("/projects/{project}/files?name=heat-sink.stl&destination=fluid");
    assert_eq!(site.ask("PUT", &file, "model/stl", binary(&block)).await.status, StatusCode::ACCEPTED);
    let until = Instant::now() + Duration::from_secs(60);
    while site.store.heads(project).unwrap().iter().filter(|b| matches!(b.1, Some(Ok(_)))).count() < 2 {
        assert!(Instant::now() < until, "it was not read");
        std::thread::sleep(Duration::from_millis(20));
    }
    let steps = |id: BodyId| format!("/bodies/{id}/steps?tab=boundaries");
    let sink = site.store.bodies(project).unwrap().iter().map(|b| b.id).find(|id| *id != plate).unwrap();
    let name = "step=name_boundary&name=to_the_sink&facing=Heat+sink&within=1";
    site.post(&steps(plate), "step=set_unit&unit=mm").await;
    let refused = site.post(&steps(plate), name).await;
    assert!(refused.notice().contains("Set the unit of both first"), "{}", refused.notice());
    site.post(&steps(sink), "step=set_unit&unit=mm").await;
    let named = site.post(&steps(plate), name).await;
    assert!(named.notice().is_empty() && named.says("to_the_sink"), "{}", named.notice());
    // What the rule claims is shown in the panel, too: the upper side.
    assert!(named.says("facing “Heat sink” within 1") && named.says("2400"), "{}", named.text);
    // A clearance is measured again when the body has moved, and does not hinder what the other body makes impossible.
    let steps = |id: BodyId| format!("/bodies/{id}/steps?tab=measures");
    let keep = "step=keep_measure&what=clearance&to=Heat+sink&name=gap&at_least=0.4";
    let kept = site.post(&steps(plate), keep).await;
    assert!(kept.says("clearance to “Heat sink”") && kept.says(">0.5</data>"), "{} {}", kept.notice(), kept.text);
    let moved = site.post(&steps(plate), "step=move_turn&turn=0,0,0&about=0,0,0&by=0,0,0.25").await;
    assert!(moved.says(">0.25</data>") && moved.says("not met"), "{} {}", moved.notice(), moved.text);
    // And when the other one has, or is taken back.
    let said = async |words: &str| {
        let until = Instant::now() + Duration::from_secs(30);
        let address = format!("/bodies/{plate}?tab=measures");
        while !site.get(&address).await.says(words) && Instant::now() < until {
            rt::time::sleep(Duration::from_millis(20)).await;
        }
        site.get(&address).await
    };
    let before = site.store.body(sink).unwrap().head.unwrap();
    let away = site.post(&steps(sink), "step=move_turn&turn=0,0,0&about=0,0,0&by=0,0,2").await;
    assert!(away.notice().is_empty(), "{}", away.notice());
    let row = |page: &Answer| {
        let from = page.text.split_once("id=\"row-measure-gap\"").map_or("", |x| x.1);
        from.split_once("</a>").map_or(String::new(), |x| x.0.to_string())
    };
    let now = row(&said(">2.25</data>").await);
    assert!(now.contains(">2.25</data>") && !now.contains("not met"), "{now}");
    site.post(&format!("/bodies/{sink}/goto/{before}"), "").await;
    let now = row(&said(">0.25</data>").await);
    assert!(now.contains(">0.25</data>") && now.contains("not met"), "{now}");
    let unknown = site.post(&steps(plate), "step=name_boundary&name=a&pick=facing:duct@1").await;
    assert!(unknown.notice().contains("no other body of the project called “duct”"), "{}", unknown.notice());
}

#[actix_web::test]
async fn a_robot_is_set_down_on_its_page() {
    let site = Site::open();
    let (project, foot) = site.body("foot.stl", binary(&cuboid([200.0, 100.0, 40.0]))).await;
    site.post(&format!("/bodies/{foot}/steps"), "step=set_unit&unit=mm").await;
    let robot = format!("/projects/{project}/robot");
    assert!(site.get(&format!("{robot}-stands")).await.status.is_client_error(), "it has no link yet");
    let link = [
        ("name", "foot"),
        ("links", "1"),
        ("l0_name", "foot"),
        ("l0_part", "Foot"),
        ("l0_collision", "capsule"),
        ("frames", "1"),
        ("f0_name", "tip"),
        ("f0_link", "foot"),
        ("f0_dz", "1"),
    ];
    site.post(&robot, &form(&link)).await;
    assert!(site.built(&robot).await.says("2 links"), "a frame is a link of nothing");
    let stands = site.get(&format!("{robot}-stands?joints=held")).await;
    assert!(stands.says("It <b>stands</b>") && stands.says("<svg"), "{}", stands.text);
    let csv = site.get(&format!("{robot}-stands.csv?joints=released")).await.text;
    assert!(csv.starts_with("time_s,height_m,lean_deg,carried_N,speed_m_s\n") && csv.lines().count() == 252, "{csv}");
    let mirrored = [&link[..], &[("do", "mirror-link-0")]].concat();
    site.post(&robot, &form(&mirrored)).await;
    assert!(site.built(&robot).await.says("mirrored across y = 0"));
}

/// Waits until a project has so many bodies; they in the order they came.
pub(super) fn bodies_of(site: &Site, project: ProjectId, many: usize) -> Vec<BodyRow> {
    let until = Instant::now() + Duration::from_secs(60);
    loop {
        let bodies = site.store.bodies(project).unwrap();
        if bodies.len() >= many && bodies.iter().all(|b| b.head.is_some()) {
            return bodies;
        }
        assert!(Instant::now() < until, "{} bodies of {many}", bodies.len());
        std::thread::sleep(Duration::from_millis(20));
    }
}

#[actix_web::test]
async fn what_is_kept_on_the_shelf_goes_into_any_project_with_its_group() {
    let site = Site::open();
    let (project, body) = site.body("clamp.stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
    let together = format!("/projects/{project}/together");
    site.post(&together, &format!("do=group&group=Clamps&body={body}")).await;
    assert!(site.post(&together, &format!("do=shelve&body={body}")).await.says("put on the shelf"));
    let shelf = site.store.shelf().unwrap().unwrap();
    assert!(shelf.shelf);
    let kept = bodies_of(&site, shelf.id, 1);
    let own: Vec<_> = kept.iter().filter(|b| b.name == "Clamp").collect();
    assert_eq!((own[0].grouped.as_str(), own[0].destination.as_str()), ("Clamps", "fluid"));
    // What is on the shelf is not put there once more, and does not change with where it came from.
    let twice = site.post(&format!("/projects/{}/together", shelf.id), &format!("do=shelve&body={}", own[0].id)).await;
    assert!(twice.says("it is on the shelf"), "{}", twice.text);
    site.post(&together, &format!("do=delete&body={body}")).await;
    let (other, _) = site.body("cube.stl", binary(&cuboid([4.0; 3]))).await;
    assert!(site.get(&format!("/projects/{other}/stock")).await.says("<b>Clamp</b>"));
    let take = format!("/projects/{other}/shelf");
    assert!(site.post(&take, "").await.status == StatusCode::UNPROCESSABLE_ENTITY, "nothing was ticked");
    assert_eq!(site.post(&take, &format!("body={}", own[0].id)).await.to, format!("/projects/{other}"));
    let brought = bodies_of(&site, other, 2);
    assert_eq!((brought[1].name.as_str(), brought[1].grouped.as_str()), ("Clamp", "Clamps"));
}

#[actix_web::test]
async fn both_readings_of_facets_stand_side_by_side() {
    let site = Site::open();
    let mut doubled = cuboid([4.0, 3.0, 2.0]);
    doubled.triangles.push(doubled.triangles[FacetId(0)]);
    let (_, body) = site.body("doubled.stl", binary(&doubled)).await;
    let head = site.store.body(body).unwrap().head.unwrap();
    let both = site.get(&format!("/revisions/{head}/readings")).await;
    assert!(both.says("<td class=\"n\">13</td><td class=\"n\">12</td>"), "{}", both.text);
    assert!(both.says("duplicate facets left out <b>1</b>"), "{}", both.text);
    assert!(site.get(&format!("/bodies/{body}?tab=figures")).await.says("Lay both side by side"));
    assert_eq!(site.get("/revisions/99999999/readings").await.status, StatusCode::NOT_FOUND);
}

/// Two blocks on a hinge, in centimetres with Y up.
const STAGE: &str = r#"#usda 1.0
(
    defaultPrim = "crane"
    metersPerUnit = 0.01
    upAxis = "Y"
)
def Xform "crane"
{
    def Xform "foot" (prepend apiSchemas = ["PhysicsRigidBodyAPI", "PhysicsMassAPI"])
    {
        float physics:mass = 12
        def Cube "seen" (prepend apiSchemas = ["PhysicsCollisionAPI"]) { double size = 20 }
    }
    def Xform "boom" (prepend apiSchemas = ["PhysicsRigidBodyAPI", "PhysicsMassAPI"])
    {
        float physics:mass = 3
        point3f physics:centerOfMass = (0, 0, 0)
        float3 physics:diagonalInertia = (300, 400, 500)
        double3 xformOp:translate = (0, 40, 0)
        uniform token[] xformOpOrder = ["xformOp:translate"]
        def Cube "seen" (prepend apiSchemas = ["PhysicsCollisionAPI"]) { double size = 20 }
    }
    def PhysicsRevoluteJoint "slew"
    {
        rel physics:body0 = </crane/foot>
        rel physics:body1 = </crane/boom>
        point3f physics:localPos0 = (0, 20, 0)
        point3f physics:localPos1 = (0, -20, 0)
        uniform token physics:axis = "Z"
        float physics:lowerLimit = -30
        float physics:upperLimit = 60
    }
}
"#;

#[actix_web::test]
async fn a_stage_with_joints_becomes_the_robot_of_its_project_and_one_body_beside_another_robot() {
    let site = Site::open();
    let (project, _) = site.body("deck.stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
    let file = format!("/projects/{project}/files?name=crane.usda&destination=solid");
    let sent = site.ask("PUT", &file, "model/usd", STAGE).await;
    assert!(sent.status == StatusCode::ACCEPTED && sent.says("jobs"), "{}", sent.text);
    let until = Instant::now() + Duration::from_secs(60);
    let arrived = |n: usize| {
        while site.store.heads(project).unwrap().iter().filter(|b| matches!(b.1, Some(Ok(_)))).count() < n {
            assert!(Instant::now() < until, "it was not read");
            std::thread::sleep(Duration::from_millis(20));
        }
    };
    arrived(3);
    let robot = format!("/projects/{project}/robot");
    let page = site.built(&robot).await;
    assert!(page.says("<b>2 links</b>, <b>1 joint</b>, mass <b>15</b> kg"), "{}", page.text);
    // It is built by now, and stays so: what is asked while it is not is told how far it is.
    assert!(site.get(&format!("{robot}-built")).await.says("The robot is built"));
    assert!(site.post(&format!("{robot}-cancel"), "").await.says("The robot is built"), "nothing is at work");
    assert!(page.says("moments of its file") && page.says("shapes of its file"), "{}", page.text);
    let plan = site.store.robot(project).unwrap();
    let slew = &plan.joints[0];
    assert!((slew.at[2] - 200.0).abs() < 1e-9 && (slew.axis[1] + 1.0).abs() < 1e-9, "{slew:?}");
    // Without its tick the moments follow from the body, and stay so.
    let boom =
        [("l1_name", "boom"), ("l1_was", "boom"), ("l1_part", "Boom"), ("l1_mass", "3"), ("l1_collision", "declared")];
    let foot =
        [("links", "2"), ("l0_name", "foot"), ("l0_was", "foot"), ("l0_part", "Foot"), ("l0_moments", "declared")];
    site.post(&robot, &form(&[&foot[..], &boom[..]].concat())).await;
    let kept = site.store.robot(project).unwrap();
    assert!(kept.links[1].inertia.is_none() && kept.links[1].touched == plan.links[1].touched);
    // The project has a robot now.
    let again = site.ask("PUT", &file, "model/usd", STAGE).await;
    assert!(again.status == StatusCode::ACCEPTED && again.says("comes in as one body"), "{}", again.text);
}
