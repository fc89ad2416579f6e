//! Leaks and findings of a state.

use super::*;
use hull_geometry::transform::translate;
use hull_geometry::{FacetId, Rebuilt};

#[actix_web::test]
async fn leaks_and_findings_of_a_state_are_told_and_taken_along() {
    let site = Site::open();
    let (_, tight) = site.body("closed.stl", binary(&cuboid([40.0, 30.0, 20.0]))).await;
    // The top comes off and stands three millimetres above: a slit all around.
    let whole = cuboid([40.0, 30.0, 20.0]);
    let is_top = |f: FacetId| whole.corners(f).iter().all(|p| p[2] > 19.0);
    let mut open = Rebuilt::keeping(&whole, |f| !is_top(f)).mesh;
    let mut top = Rebuilt::keeping(&whole, is_top).mesh;
    translate(&mut top, [0.0, 0.0, 3.0]);
    open.append(&top);
    let (_, slit) = site.body("open.stl", binary(&open)).await;
    let state = |page: Answer| page.number_behind("\"revision\":");
    let (closed, open) =
        (state(site.get(&format!("/bodies/{tight}")).await), state(site.get(&format!("/bodies/{slit}")).await));
    for wrong in ["0", "-1", "NaN", "inf", "wide", ""] {
        let refused = site.post(&format!("/bodies/{tight}/leaks"), &format!("on={closed}&cell={wrong}")).await;
        assert!(refused.says("must be above 0"), "{wrong}: {}", refused.text);
    }
    let other = site.post(&format!("/bodies/{slit}/leaks"), &format!("on={closed}&cell=2")).await;
    assert!(other.says("That state is another body"), "{}", other.text);
    // What is found stands in the panel of the state, whoever asks for it.
    let found = async |body: BodyId, on: i32, cell: &str| {
        site.post(&format!("/bodies/{body}/leaks"), &format!("on={on}&cell={cell}")).await;
        let until = Instant::now() + Duration::from_secs(60);
        loop {
            let page = site.get(&format!("/bodies/{body}?tab=figures")).await;
            if page.says("id=\"leak\"") || Instant::now() > until {
                return page;
            }
            std::thread::sleep(Duration::from_millis(20));
        }
    };
    let page = found(tight, closed, "1,5").await;
    assert!(page.says("Tight for cells of 1.5") && page.says("would be closed by them"), "{}", page.text);
    assert!(!page.says("data-ways"));
    let page = found(slit, open, "0.75").await;
    assert!(page.says("It leaks for cells of 0.75"), "{}", page.text);
    let way = site.get(&format!("/jobs/{}/leak", page.number_behind("data-ways=\"/jobs/"))).await;
    assert!(way.text.starts_with("[{") && way.says("\"points\":[["), "{}", way.text);
    let table = site.get(&format!("/revisions/{open}/findings.csv")).await.text;
    let mut lines = table.lines();
    assert_eq!(lines.next(), Some("kind,x,y,z,radius,unit,text"));
    let all: Vec<&str> = lines.collect();
    assert!(!all.is_empty() && all.iter().all(|l| l.split(',').count() >= 7 && l.ends_with('"')), "{table}");
    assert_eq!(site.get("/revisions/99999999/findings.csv").await.status, StatusCode::NOT_FOUND);
}
