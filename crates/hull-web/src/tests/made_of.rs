//! What is made of a body on its page: pieces, sections, scans, others put together with it, and the flow that is tried in it.

use super::projects::bodies_of;
use super::*;
use hull_geometry::nearest::nearest_facet;
use hull_geometry::transform::translate;
use hull_store::work::{Kind, State};

fn at(mut mesh: Mesh, by: [f64; 3]) -> Mesh {
    translate(&mut mesh, by);
    mesh
}

/// The state that a body is in.
fn head(site: &Site, id: BodyId) -> hull_store::bodies::Revision {
    site.store.revision(site.store.body(id).unwrap().head.unwrap()).unwrap()
}

/// Names and volumes of all bodies of a project but the first so many, once there are so many.
fn made(site: &Site, project: ProjectId, [known, many]: [usize; 2]) -> Vec<(String, f64)> {
    let all = bodies_of(site, project, many);
    assert_eq!(all.len(), many, "{:?}", all.iter().map(|b| &b.name).collect::<Vec<_>>());
    all[known..].iter().map(|b| (b.name.clone(), head(site, b.id).survey.size.volume)).collect()
}

/// A block of 40 × 30 × 20 in pieces: by a plane, by a box and by its faces.
#[actix_web::test]
async fn a_body_comes_apart_as_its_page_asks() {
    let site = Site::open();
    let (project, id) = site.body("block.stl", binary(&cuboid([40.0, 30.0, 20.0]))).await;
    let derive = format!("/bodies/{id}/derive");
    let list = format!("/projects/{project}");
    let cases: [(&str, &[(&str, f64)]); 4] = [
        ("by=plane&axis=x&at=10", &[("Block, ahead of the plane", 18_000.0), ("Block, behind the plane", 6000.0)]),
        ("by=plane&axis=z&at=15", &[("Block, ahead of the plane", 6000.0), ("Block, behind the plane", 18_000.0)]),
        (
            "by=box&x0=0&y0=0&z0=10&x1=10&y1=30&z1=50",
            &[("Block, in the box", 3000.0), ("Block, outside the box", 21_000.0)],
        ),
        (
            // The upper side: {"include":[{"grow":{"at":[20,15,20],"angle":5}}]}
            "by=pick&pick=%7B%22include%22%3A%5B%7B%22grow%22%3A%7B%22at%22%3A%5B20%2C15%2C20%5D%2C%22angle%22%3A5%7D%7D%5D%7D",
            &[("Picked of Block", 0.0), ("Rest of Block", 24_000.0)],
        ),
    ];
    let mut known = 1;
    for (typed, expected) in cases {
        assert_eq!(site.post(&derive, &format!("do=split&{typed}")).await.to, list, "{typed}");
        let pieces = made(&site, project, [known, known + 2]);
        known += 2;
        for ((name, volume), (expected_name, expected_volume)) in pieces.iter().zip(expected) {
            assert_eq!(name, expected_name, "{typed}");
            // What is open holds a volume only by where it stands.
            let open = typed.contains("pick");
            assert!(open || (volume - expected_volume).abs() < 1e-6, "{typed}: {name} {volume}");
        }
    }
    // What leaves it in one piece, or cannot be, is told on the project's page when the job has tried, or at once.
    for (typed, words) in [
        ("by=shells", "would stay in one piece"),
        ("by=plane&axis=y&at=31", "would stay in one piece"),
        ("by=box&x0=5&y0=0&z0=0&x1=1&y1=30&z1=20", "must lie beyond the first"),
    ] {
        site.post(&derive, &format!("do=split&{typed}")).await;
        let until = Instant::now() + Duration::from_secs(30);
        while !site.get(&list).await.says(words) {
            assert!(Instant::now() < until, "{typed}: {}", site.get(&list).await.text);
            rt::time::sleep(Duration::from_millis(20)).await;
        }
    }
    for (typed, words) in [
        ("by=box&x0=0&y0=0&z0=wide&x1=1&y1=1&z1=1", "A corner of the box must be a number"),
        ("by=sections&section_at=0&section_count=3&section_every=far", "distance between sections must be a number"),
        ("by=scan&stations=1%2C2", "Stations are places"),
        ("by=scan&stations=1%2C2%2C3&lost=10&rays=many", "number of rays must be a number"),
    ] {
        let refused = site.post(&derive, &format!("do=split&{typed}")).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{typed}");
        assert!(refused.says(words), "{typed}: {}", refused.text);
    }
    assert_eq!(site.store.bodies(project).unwrap().len(), known, "nothing came of what was refused");
}

#[actix_web::test]
async fn sections_and_scans_become_bodies_of_lines_and_points() {
    let site = Site::open();
    let mesh = cuboid([40.0, 30.0, 20.0]);
    let (project, id) = site.body("block.stl", binary(&mesh)).await;
    let derive = format!("/bodies/{id}/derive");
    site.post(&format!("/bodies/{id}/steps"), "step=set_unit&unit=mm").await;
    let sections = "do=split&by=sections&section_axis=z&section_at=5&section_count=3&section_every=5&section_fit=";
    assert!(site.post(&derive, sections).await.to.starts_with("/projects/"));
    let body = bodies_of(&site, project, 2).remove(1);
    assert_eq!(body.name, "Sections of Block");
    let lines = head(&site, body.id).survey.lines;
    // Three outlines of 40 by 30.
    assert_eq!(lines.lines, 3);
    let layers: Vec<&str> = lines.bundles.iter().map(|b| b.0.as_str()).collect();
    assert_eq!(layers, ["z = 5 mm", "z = 10 mm", "z = 15 mm"]);
    assert!((lines.length - 3.0 * 140.0).abs() < 1e-9, "{}", lines.length);
    let scan = "do=split&by=scan&stations=-60%2C-50%2C80%3B+100%2C80%2C60&rays=60&noise=0.05&lost=10&as=points";
    assert!(site.post(&derive, scan).await.to.starts_with("/projects/"));
    let body = bodies_of(&site, project, 3).remove(2);
    let seen = site.store.load(&head(&site, body.id)).unwrap();
    let cloud = seen.cloud().expect("points");
    assert!(cloud.points.len() > 200 && cloud.points.len() < 2 * 60 * 60, "{}", cloud.points.len());
    // Noise is normal: hardly a point in a million lies further than five of it.
    let off = cloud.points.iter().map(|p| nearest_facet(&mesh, *p).unwrap().1).fold(0.0, f64::max);
    assert!(off > 0.01 && off < 0.3, "{off}");
    let nothing = "do=split&by=scan&stations=20%2C15%2C900&rays=2&noise=0&lost=99&as=points";
    site.post(&derive, nothing).await;
    let until = Instant::now() + Duration::from_secs(30);
    let list = format!("/projects/{project}");
    while !site.get(&list).await.says("put the stations outside") && Instant::now() < until {
        rt::time::sleep(Duration::from_millis(20)).await;
    }
    assert!(site.get(&list).await.says("put the stations outside"));
}

/// Two blocks that share a third of each, put together in every way.
#[actix_web::test]
async fn bodies_of_a_project_are_put_together_as_its_page_asks() {
    let site = Site::open();
    let (project, id) = site.body("deck.stl", binary(&cuboid([30.0, 20.0, 10.0]))).await;
    let file = format!("/projects/{project}/files?name=hatch.stl&destination=fluid");
    let hatch = binary(&at(cuboid([30.0, 20.0, 10.0]), [20.0, 0.0, 0.0]));
    assert_eq!(site.ask("PUT", &file, "model/stl", hatch).await.status, StatusCode::ACCEPTED);
    let other = bodies_of(&site, project, 2)[1].id;
    let derive = format!("/bodies/{id}/derive");
    let mut known = 2;
    for (how, expected) in [("unite", 10_000.0), ("subtract", 4000.0), ("intersect", 2000.0), ("merge", 12_000.0)] {
        site.post(&derive, &format!("do={how}&with={other}")).await;
        let whole = made(&site, project, [known, known + 1]);
        known += 1;
        assert!((whole[0].1 - expected).abs() < 1e-6, "{how}: {whole:?}");
    }
    site.post(&derive, "do=copy").await;
    assert!((made(&site, project, [known, known + 1])[0].1 - 6000.0).abs() < 1e-6);
    known += 1;
    // Regions: what both have goes to the later one; the interface is one of the names on both sides.
    site.post(&derive, &format!("do=regions&with={other}")).await;
    let regions = bodies_of(&site, project, known + 1).split_off(known);
    let found = head(&site, regions[0].id);
    let bounded: Vec<&str> = found.facts.boundaries.iter().map(|b| b.name.as_str()).collect();
    assert!(bounded.iter().any(|n| n.contains("Deck") && n.contains("Hatch")), "{bounded:?}");
}

/// A duct of 40 by 10 by 10 whose ends are an inlet and an outlet.
#[actix_web::test]
async fn the_flow_through_a_body_is_tried_kept_and_taken_along() {
    let site = Site::open();
    let (_, id) = site.body("duct.stl", binary(&cuboid([40.0, 10.0, 10.0]))).await;
    let (_, other) = site.body("other.stl", binary(&cuboid([4.0; 3]))).await;
    let steps = format!("/bodies/{id}/steps");
    site.post(&steps, "step=set_unit&unit=mm").await;
    for (name, role, way) in [("intake", "inlet", "-1"), ("drain", "outlet", "1")] {
        let typed =
            [("step", "name_boundary"), ("name", name), ("role", role), ("pick", &format!("direction:{way},0,0@5"))];
        let named = site.post(&steps, &form(&typed)).await;
        assert!(named.notice().is_empty(), "{}", named.notice());
    }
    let on = site.store.body(id).unwrap().head.unwrap();
    let trials = format!("/bodies/{id}/trials");
    for cells in ["", "12", "1e9", "many", "99999999"] {
        let refused =
            site.post(&trials, &form(&[("on", &on.to_string()), ("how", "creeping"), ("cells", cells)])).await;
        assert!(refused.says("Cells: a whole number from 1000 to 4000000"), "{cells}: {}", refused.notice());
    }
    let foreign = site.store.body(other).unwrap().head.unwrap();
    let refused = site.post(&trials, &format!("on={foreign}&how=creeping&cells=2000")).await;
    assert!(refused.says("another body"), "{}", refused.notice());
    let tried = site.post(&trials, &format!("on={on}&how=creeping&cells=4%E2%80%89000")).await;
    assert!(tried.notice().is_empty(), "{}", tried.notice());
    let job = site.store.last_done(id, Kind::Trial).unwrap().expect("a trial");
    assert!(matches!(job.state, State::Done(_)));
    let ways = site.get(&format!("/jobs/{}/ways", job.id)).await;
    let ways: Vec<serde_json::Value> = serde_json::from_str(&ways.text).unwrap();
    assert!(!ways.is_empty() && ways.iter().all(|w| w["points"].as_array().is_some_and(|p| p.len() > 1)));
    let csv = site.get(&format!("/jobs/{}/trial.csv", job.id)).await.text;
    let mut lines = csv.lines();
    assert_eq!(lines.next(), Some("opening,role,area mm²,share %"));
    assert_eq!(lines.next(), Some("\"intake\",inlet,100,100"));
    assert!(lines.next().is_some_and(|l| l.starts_with("\"drain\",outlet,100,")), "{csv}");
    // Along the way pressure falls from 1 to 0 without a step back.
    let way: Vec<Vec<f64>> = lines.skip(2).map(|l| l.split(',').map(|x| x.parse().unwrap()).collect()).collect();
    assert!(way.len() > 5 && way.windows(2).all(|w| w[1][0] > w[0][0] && w[1][1] <= w[0][1] + 1e-3), "{csv}");
    assert!(way[0][1] > 0.9 && way[way.len() - 1][1] < 0.1, "{csv}");
    assert!(site.get(&format!("/jobs/{}/trial.svg", job.id)).await.text.starts_with("<svg"));
    for gone in ["trial.pdf", "leak"] {
        assert_eq!(site.get(&format!("/jobs/{}/{gone}", job.id)).await.status, StatusCode::NOT_FOUND, "{gone}");
    }
    // It stands in the panel of its state, and not beside a later one.
    assert!(site.get(&format!("/bodies/{id}?tab=flow")).await.says("intake"));
    let panel = |page: Answer| page.says(&format!("/jobs/{}/ways", job.id));
    assert!(panel(site.get(&format!("/bodies/{id}?tab=flow")).await));
    site.post(&steps, "step=set_role&name=drain&role=wall").await;
    assert!(!panel(site.get(&format!("/bodies/{id}?tab=flow")).await), "it was of the state before");
    let later = site.store.body(id).unwrap().head.unwrap();
    let refused = site.post(&trials, &format!("on={later}&how=potential&cells=2000")).await;
    assert!(refused.text.contains("outlet"), "{}", refused.notice());
}
