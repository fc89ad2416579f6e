//! A robot that takes long to build: what its page tells meanwhile, and that it ends when it is told to.

use super::*;
use hull_geometry::shapes::torus;
use hull_geometry::transform::translate;

#[actix_web::test]
async fn a_robot_that_takes_long_tells_how_far_it_is_and_ends_when_it_is_told_to() {
    let site = Site::open();
    let ring = |x: f64| {
        let mut mesh = torus(30.0, 9.0, 400, 120);
        translate(&mut mesh, [x, 0.0, 0.0]);
        binary(&mesh)
    };
    let (project, _) = site.body("hub.stl", ring(0.0)).await;
    let file = |name: &str| format!("/projects/{project}/files?name={name}.stl&destination=print");
    for (k, name) in ["rim", "tip"].into_iter().enumerate() {
        site.ask("PUT", &file(name), "model/stl", ring(78.5 * (k + 1) as f64)).await;
    }
    let until = Instant::now() + Duration::from_secs(60);
    while site.store.bodies(project).unwrap().iter().filter(|b| b.head.is_some()).count() < 3 && Instant::now() < until
    {
        std::thread::sleep(Duration::from_millis(20));
    }
    for body in site.store.bodies(project).unwrap() {
        site.post(&format!("/bodies/{}/steps", body.id), "step=set_unit&unit=mm").await;
    }
    let sized = |id: BodyId| {
        let head = site.store.body(id).unwrap().head.unwrap();
        site.store.revision(head).unwrap().facts.scale.is_some()
    };
    let all: Vec<BodyId> = site.store.bodies(project).unwrap().iter().map(|b| b.id).collect();
    while !all.iter().all(|id| sized(*id)) && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    let robot = format!("/projects/{project}/robot");
    let links = [("hub", "Hub"), ("rim", "Rim"), ("tip", "Tip")];
    let mut fields =
        vec![("name".to_string(), "wheel".to_string()), ("links".into(), "3".into()), ("joints".into(), "2".into())];
    for (i, (name, part)) in links.into_iter().enumerate() {
        let own = [("name", name), ("part", part), ("collision", "mesh"), ("facets", "1000000")];
        fields.extend(own.map(|(k, v)| (format!("l{i}_{k}"), v.to_string())));
    }
    for (i, (parent, child)) in [("hub", "rim"), ("rim", "tip")].into_iter().enumerate() {
        let own =
            [("parent", parent), ("child", child), ("kind", "revolute"), ("from", "-170"), ("to", "170"), ("dz", "1")];
        fields.extend(own.map(|(k, v)| (format!("j{i}_{k}"), v.to_string())));
    }
    let typed: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    assert_eq!(site.post(&robot, &form(&typed)).await.to, robot);
    for _ in 0..2 {
        // Once cancelled, whoever comes again begins anew.
        let page = site.get(&robot).await;
        assert!(page.says("The robot is being built"), "{}", page.text);
        let until = Instant::now() + Duration::from_secs(60);
        loop {
            let stopped = site.post(&format!("{robot}-cancel"), "").await;
            if stopped.says("was cancelled") {
                break;
            }
            assert!(stopped.says("is being built") && Instant::now() < until, "{}", stopped.text);
        }
    }
}

/// Clearances say where the joint stood, in its unit, also under a name that a description cannot have.
#[actix_web::test]
async fn a_clearance_on_the_way_of_a_sliding_joint_is_told_in_mm() {
    let site = Site::open();
    let block = |x: f64| {
        let mut mesh = cuboid([100.0; 3]);
        translate(&mut mesh, [x, 0.0, 0.0]);
        binary(&mesh)
    };
    let (project, _) = site.body("base.stl", block(0.0)).await;
    for (name, x) in [("post", 300.0), ("hook", 500.0)] {
        let file = format!("/projects/{project}/files?name={name}.stl&destination=print");
        site.ask("PUT", &file, "model/stl", block(x)).await;
    }
    for body in super::projects::bodies_of(&site, project, 3) {
        site.post(&format!("/bodies/{}/steps", body.id), "step=set_unit&unit=mm").await;
    }
    let mut fields: Vec<(String, String)> = vec![("name".into(), "crane".into()), ("links".into(), "3".into())];
    for (i, (name, part)) in [("base", "Base"), ("post", "Post"), ("hook", "Hook")].into_iter().enumerate() {
        let own = [("name", name), ("part", part), ("collision", "box")];
        fields.extend(own.map(|(k, v)| (format!("l{i}_{k}"), v.into())));
    }
    fields.push(("joints".into(), "2".into()));
    let slides = [("name", "Reach out"), ("parent", "base"), ("child", "post"), ("kind", "prismatic"), ("to", "100")];
    let turns = [("name", "Wrist"), ("parent", "post"), ("child", "hook"), ("kind", "revolute"), ("to", "1")];
    let places = [[("dx", "-1"), ("ax", "0"), ("ay", "0")], [("dz", "1"), ("ax", "550"), ("ay", "50")]];
    for (i, joint) in [slides, turns].iter().enumerate() {
        let all = joint.iter().chain(&places[i]).chain(&[("from", "0")]);
        fields.extend(all.map(|(k, v)| (format!("j{i}_{k}"), (*v).into())));
    }
    let typed: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let robot = format!("/projects/{project}/robot");
    assert_eq!(site.post(&robot, &form(&typed)).await.to, robot);
    let page = site.built(&robot).await;
    // Base and hook: 400 mm apart at zero, 300 where the slide is out.
    let row = page.text.split_once("base, hook").map_or("", |x| x.1).split("</tr>").next().unwrap();
    assert!(row.contains("300.00") && row.contains("reach_out at 100.0 mm"), "{row}");
}
