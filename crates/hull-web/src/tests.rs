//! Every route through actix's test service, with a worker beside it, and every refusal. `scripts/test` starts a database
//! and sets HULL_TEST_WEB_DATABASE_URL.

mod any_request;
mod leaks;
mod made_of;
mod projects;
mod robots;

use crate::answer::Patience;
use crate::{events, panels, server, worker};
use actix_web::body::{BoxBody, MessageBody, to_bytes};
use actix_web::dev::{Service, ServiceFactory, ServiceRequest, ServiceResponse};
use actix_web::http::StatusCode;
use actix_web::http::header::{CONTENT_TYPE, LOCATION};
use actix_web::{App, Error, rt, test, web};
use hull_formats::{NamedFacets, stl};
use hull_geometry::shapes::{cuboid, torn};
use hull_geometry::{FacetId, Mesh};
use hull_store::Store;
use hull_store::ids::{BodyId, JobId, ProjectId};
use hull_workshop::Destination;
use std::future::poll_fn;
use std::pin::Pin;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// An answer: status, where to, and text.
struct Answer {
    status: StatusCode,
    to: String,
    text: String,
    bytes: Vec<u8>,
}

impl Answer {
    fn says(&self, words: &str) -> bool {
        self.text.contains(words)
    }

    /// What stands in the notice.
    fn notice(&self) -> &str {
        let from = self.text.find("id=\"notice\"").map_or("", |i| &self.text[i..]);
        let from = from.split_once('>').map_or("", |x| x.1);
        from.trim_start_matches("<div>").split('<').next().unwrap_or_default().trim()
    }

    /// The number behind some words.
    fn number_behind(&self, words: &str) -> i32 {
        let rest = self.text.split_once(words).unwrap_or_else(|| panic!("no {words} in {}", self.text)).1;
        rest.chars().take_while(char::is_ascii_digit).collect::<String>().parse().unwrap()
    }
}

/// The pages on a store of their own, with a worker.
struct Site {
    store: Store,
    /// How long an answer waits for its job: long, so that it has it however busy the machine is.
    patience: Duration,
    worker: Option<(Arc<AtomicBool>, JoinHandle<()>)>,
}

impl Site {
    fn open() -> Site {
        let url = std::env::var("HULL_TEST_WEB_DATABASE_URL").expect("run scripts/test, which starts a database");
        let store =
            Store::open(&url, std::env::temp_dir().join(format!("hull-web-test-{}", std::process::id()))).unwrap();
        let stop = Arc::new(AtomicBool::new(false));
        let thread = {
            let (store, stop) = (store.clone(), stop.clone());
            std::thread::spawn(move || worker::work(&store, "test", &stop, worker::Life::Thread))
        };
        Site { store, patience: Duration::from_secs(60), worker: Some((stop, thread)) }
    }

    /// Asks for something as a page would.
    async fn ask(&self, method: &str, address: &str, kind: &str, body: impl Into<Vec<u8>>) -> Answer {
        let app = test::init_service(self.app());
        let request = test::TestRequest::default()
            .method(method.parse().unwrap())
            .uri(address)
            .insert_header((CONTENT_TYPE, kind))
            .insert_header(("HX-Request", "true"))
            .set_payload(body.into())
            .to_request();
        match app.await.call(request).await {
            Ok(response) => {
                let status = response.status();
                let to = response.headers().get(LOCATION).map_or("", |v| v.to_str().unwrap()).to_string();
                let bytes = to_bytes(response.into_body()).await.unwrap_or_default().to_vec();
                Answer { status, to, text: String::from_utf8_lossy(&bytes).into_owned(), bytes }
            }
            Err(e) => {
                let status = e.as_response_error().status_code();
                Answer { status, to: String::new(), text: e.to_string(), bytes: Vec::new() }
            }
        }
    }

    fn app(
        &self,
    ) -> App<
        impl ServiceFactory<ServiceRequest, Config = (), Response = ServiceResponse, Error = Error, InitError = ()> + use<>,
    > {
        let store = web::Data::new(self.store.clone());
        let patience = Patience(self.patience);
        App::new()
            .app_data(store)
            .app_data(patience)
            .app_data(events::Events::of(self.store.clone()))
            .configure(server::routes)
    }

    /// What an address goes on telling.
    async fn listen(&self, address: &str) -> Stream {
        let request = test::TestRequest::get().uri(address).to_request();
        let response = test::init_service(self.app()).await.call(request).await.unwrap();
        assert_eq!(response.headers().get(CONTENT_TYPE).unwrap(), "text/event-stream");
        Stream(Box::pin(response.into_body()), String::new())
    }

    async fn get(&self, address: &str) -> Answer {
        self.ask("GET", address, "text/plain", "").await
    }

    async fn post(&self, address: &str, form: &str) -> Answer {
        self.ask("POST", address, "application/x-www-form-urlencoded", form.to_string()).await
    }

    /// A project's robot page, once the robot is built.
    async fn built(&self, robot: &str) -> Answer {
        let until = Instant::now() + Duration::from_secs(60);
        while self.get(&format!("{robot}-built")).await.says("is being built") && Instant::now() < until {}
        self.get(robot).await
    }

    /// A project with a body in it: their numbers.
    async fn body(&self, file: &str, bytes: Vec<u8>) -> (ProjectId, BodyId) {
        let name = format!("{file} {:?}", Instant::now()).replace(' ', "+");
        let made = self.post("/projects", &format!("name={name}")).await;
        let project: ProjectId = made.to.rsplit('/').next().unwrap().parse().unwrap();
        let address = format!("/projects/{project}/files?name={file}&destination=fluid");
        assert_eq!(self.ask("PUT", &address, "model/stl", bytes).await.status, StatusCode::ACCEPTED);
        let until = Instant::now() + Duration::from_secs(60);
        loop {
            // Read, and surveyed to the end: pages do not change by themselves then.
            if let Some((body, Some(Ok(head)))) = self.store.heads(project).unwrap().first()
                && !head.survey.is_unfinished(Destination::shipped().first().unwrap())
            {
                return (project, body.id);
            }
            assert!(Instant::now() < until, "{file} was not read");
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}

/// Server-sent events as they come; the key that was told last.
struct Stream(Pin<Box<BoxBody>>, String);

impl Stream {
    /// The next key that is another one than the last.
    async fn key(&mut self) -> String {
        loop {
            let next = poll_fn(|cx| self.0.as_mut().poll_next(cx));
            let bytes = rt::time::timeout(Duration::from_secs(20), next).await.expect("told in time").unwrap().unwrap();
            let text = String::from_utf8(bytes.to_vec()).unwrap();
            let Some(data) = text.strip_prefix("data: ") else { continue };
            let told: serde_json::Value = serde_json::from_str(data).unwrap();
            let key = told["key"].as_str().unwrap().to_string();
            if key != self.1 {
                self.1.clone_from(&key);
                return key;
            }
        }
    }
}

impl Drop for Site {
    fn drop(&mut self) {
        if let Some((stop, thread)) = self.worker.take() {
            stop.store(true, Relaxed);
            let _ = thread.join();
        }
    }
}

fn binary(mesh: &Mesh) -> Vec<u8> {
    stl::write_whole(mesh)
}

#[actix_web::test]
async fn a_body_goes_through_every_address_of_its_page() {
    let site = Site::open();
    let (project, id) = site.body("torn.stl", binary(&torn(&cuboid([40.0, 30.0, 20.0]), 6, 0.01))).await;
    for address in ["/".to_string(), format!("/projects/{project}"), format!("/bodies/{id}"), "/destinations".into()] {
        let page = site.get(&address).await;
        assert_eq!(page.status, StatusCode::OK, "{address}");
        assert!(page.says("Ready Hull"), "{address}");
    }
    for panel in panels::PANELS {
        let alone = site.get(&format!("/bodies/{id}/panels/{}?row=none", panel.id)).await;
        assert_eq!(alone.status, StatusCode::OK, "{}", panel.id);
        let within = site.get(&format!("/bodies/{id}?row=none&tab={}", panel.id)).await;
        assert!(within.says(alone.text.trim()) || panel.id == "exact", "{} stands in its page", panel.id);
    }
    let step = |form: &str| format!("/bodies/{id}/{form}");
    // A preview, dropped; a step; back; forward.
    let received = site.get(&step("")[..step("").len() - 1]).await.number_behind("\"revision\":");
    let preview = site.post(&step("previews"), "step=set_unit&unit=mm").await;
    assert!(preview.says("Preview") && preview.notice().is_empty(), "{}", preview.notice());
    assert!(!site.post(&step("previews/drop"), "").await.says("preview-bar"));
    assert!(site.post(&step("previews/keep"), "").await.says("There is no preview of the body as it is now"));
    let sized = site.post(&step("steps?row=unit_known"), "step=set_unit&unit=mm").await;
    let now = sized.number_behind("\"revision\":");
    assert!(now != received && sized.says(" mm</span><br>"));
    assert_eq!(site.post(&step(&format!("goto/{received}")), "").await.number_behind("\"revision\":"), received);
    assert_eq!(site.post(&step(&format!("goto/{now}")), "").await.number_behind("\"revision\":"), now);
    // What the view asks for.
    for what in ["view", "moving"] {
        let drawn = site.get(&format!("/geometry/{now}/{what}")).await;
        assert_eq!((drawn.status, &drawn.bytes[..4]), (StatusCode::OK, b"RHV1".as_slice()), "{what}");
    }
    assert!(site.get(&format!("/pictures/{now}.png")).await.bytes.starts_with(b"\x89PNG"));
    assert_eq!(site.get(&format!("/revisions/{now}/regions?angle=20")).await.bytes.len(), 12);
    let pick = r#"{"include":[{"grow":{"at":[20,15,20],"angle":5}}]}"#;
    let picked = site.ask("POST", &format!("/revisions/{now}/selection"), "application/json", pick).await;
    assert_eq!(picked.bytes.len(), 8, "two facets of a side");
    assert!(site.get(&format!("/revisions/{now}/moved/{received}")).await.says("no facet moved"));
    assert_eq!(site.get(&format!("/revisions/{now}/moved/{received}/facets")).await.bytes.len(), 12);
    assert!(site.get(&step("routine.toml")).await.says("step = \"set_unit\""));
    // A repair is proposed and run, the rest waived, the body handed over.
    assert!(site.post(&step("repairs"), "wrap=1").await.says("Proposed repair"));
    let repaired = site.post(&step("repairs/run"), "keep=0&keep=1&keep=2&keep=3&keep=4&keep=5").await;
    assert!(repaired.says("1 shell"), "{}", repaired.notice());
    site.post(&step("steps"), "step=orient&up=%2Bz&forward=%2Bx").await;
    site.post(&step("steps"), "step=name_boundary&name=wall&role=&pick=").await;
    for row in ["inlet_present", "outlet_present"] {
        site.post(&step("steps"), &format!("step=waive&requirement={row}&reason=none&by=R.+Teal")).await;
    }
    let handed = site.post(&step("handovers"), "form=ascii").await;
    assert!(handed.to.starts_with("/handovers/"), "{}", handed.notice());
    assert!(site.get(&handed.to).await.says("Handed over"));
    assert!(site.get(&format!("{}/zip", handed.to)).await.bytes.starts_with(b"PK"));
    // A design file is written and fetched; a copy is made.
    let on = site.get(&format!("/bodies/{id}")).await.number_behind("\"revision\":");
    let written = site.post(&step("designs?tab=exact"), &format!("on={on}&as=ap214&unit=in")).await;
    assert!(written.notice().is_empty(), "{}", written.notice());
    assert!(site.post(&step("derive"), "do=copy").await.to.starts_with("/projects/"));
    // Bound for something else, and surveyed again.
    assert!(site.post(&step("destination"), "destination=print").await.says("For print"));
    assert_eq!(site.post(&step("survey"), "").await.status, StatusCode::OK);
}

#[actix_web::test]
async fn what_is_not_there_is_404_and_what_cannot_be_is_refused_with_a_sentence() {
    let site = Site::open();
    let cube = binary(&cuboid([4.0, 3.0, 2.0]));
    let (project, id) = site.body("cube.stl", cube.clone()).await;
    let (_, other) = site.body("other.stl", cube).await;
    let state = |page: Answer| page.number_behind("\"revision\":");
    let foreign = state(site.get(&format!("/bodies/{other}")).await);
    for address in [
        "/nowhere",
        "/projects/99999999",
        "/bodies/99999999",
        "/handovers/99999999",
        "/handovers/99999999/zip",
        "/geometry/99999999/view",
        "/pictures/99999999.png",
        "/revisions/99999999/regions?angle=20",
        "/revisions/99999999/moved/1",
        "/destinations/nowhere",
        "/destinations/fluid?version=9",
        "/destinations/fluid/9.toml",
        "/assets/none.js",
        "/jobs/99999999/file",
        "/bodies/99999999/routine.toml",
        "/bodies/99999999/panels/findings",
        &format!("/bodies/{id}/panels/none"),
    ] {
        assert_eq!(site.get(address).await.status, StatusCode::NOT_FOUND, "{address}");
    }
    // A state of another body.
    assert_eq!(site.post(&format!("/bodies/{id}/goto/{foreign}"), "").await.status, StatusCode::NOT_FOUND);
    let here = state(site.get(&format!("/bodies/{id}")).await);
    let moved = site.get(&format!("/revisions/{here}/moved/{foreign}")).await;
    assert_eq!((moved.status, moved.says("not of one body")), (StatusCode::UNPROCESSABLE_ENTITY, true));
    // Forms: the address, what is sent, and what is said of it.
    let of_another = format!("on={foreign}&as=ap214&unit=mm");
    let refused: [(&str, &str, &str); 23] = [
        ("steps", "step=bend", "“bend” is not a step"),
        ("steps", "step=set_unit&unit=furlong", "Unit must be one of"),
        ("steps", "step=set_unit", "it is missing"),
        ("steps", "step=stitch&tolerance=-1", "Tolerance must be a number"),
        ("steps", "step=stitch&tolerance=1e300", "Tolerance must be a number"),
        ("steps", "step=wrap&offset=1&gap=", "Gap must be a number"),
        ("steps", "step=place&anchor=centre&at=1&at=2", "three numbers"),
        ("steps", "step=fill_holes&hole=%5B0%2C0%2C0%2C1%5D", "Tick at least one hole"),
        ("steps", "step=fill_holes&fill=nonsense", "not given as numbers"),
        ("steps", "step=name_boundary&name=&pick=", "Name must be text"),
        ("steps", "step=name_boundary&name=a&pick=%7B", "picked faces"),
        ("steps", "step=drop_faces&pick=", "No facet is picked"),
        ("steps", "step=set_role&name=nobody&role=inlet", "There is no boundary “nobody”"),
        ("steps", "step=waive&requirement=none&reason=a&by=b", "is not a requirement"),
        ("steps", "step=facet&fineness.deviation=1&fineness.angle=10", "no exact geometry"),
        ("steps", "step=flatten_spikes", "There is no spike"),
        ("previews", "step=bend", "“bend” is not a step"),
        ("previews", "step=drop_shells&up_to=0.5", "No shell is smaller"),
        ("repairs/run", "keep=0", "propose a repair again"),
        ("handovers", "form=ascii", "not ready"),
        ("designs", &of_another, "another body"),
        ("steps?on=1", "step=set_unit&unit=mm", "moved on"),
        ("handovers?on=1", "form=ascii", "moved on"),
    ];
    for (address, form, words) in refused {
        let answer = site.post(&format!("/bodies/{id}/{address}"), form).await;
        assert_eq!(answer.status, StatusCode::OK, "{address} {form}");
        assert!(answer.notice().contains(words), "{address} {form}: “{}”", answer.notice());
        assert_eq!(state(site.get(&format!("/bodies/{id}")).await), here, "{form} changes nothing");
    }
    // Pages of their own: refused whole.
    let whole: [(String, &str, &str); 13] = [
        (format!("/bodies/{id}/derive"), "do=unite", "Tick at least one"),
        (format!("/bodies/{id}/derive"), "do=melt", "nothing that can be done"),
        (format!("/bodies/{id}/derive"), &format!("do=unite&with={other}"), "other projects"),
        (format!("/bodies/{id}/derive"), "do=split&by=magic", "no way to split"),
        (format!("/bodies/{id}/derive"), "do=split&by=plane&axis=x&at=far", "must be a number"),
        (format!("/bodies/{id}/derive"), "do=split&by=pick&pick=", "Nothing is picked"),
        (format!("/bodies/{id}/choose"), "do=keep", "Tick at least one"),
        (format!("/bodies/{id}/choose"), "do=melt&body=a", "nothing that can be done"),
        (format!("/bodies/{id}/designs"), &format!("on={here}&as=ap999&unit=mm"), "not a form"),
        (format!("/bodies/{id}/destination"), "destination=nowhere", "does not exist"),
        ("/projects".into(), "name=", "needs a name"),
        ("/destinations".into(), "copy=fluid&title=Print", "already"),
        ("/destinations/fluid".into(), "unit=mm", "ships with Ready Hull"),
    ];
    for (address, form, words) in whole {
        let answer = site.post(&address, form).await;
        assert!(answer.status.is_client_error(), "{address} {form}: {}", answer.status);
        assert!(answer.says(words), "{address} {form}: {}", answer.text);
    }
    // Files: what is no file of ours, and what is not said.
    let put = |query: &str| format!("/projects/{project}/files?{query}");
    for (query, words) in [("name=a.pdf&destination=fluid", "does not end in"), ("name=a.stl", "bound for")] {
        let answer = site.ask("PUT", &put(query), "model/stl", "x").await;
        assert_eq!((answer.status, answer.says(words)), (StatusCode::UNPROCESSABLE_ENTITY, true), "{query}");
    }
    let nowhere = site.ask("PUT", &put("name=a.stl&destination=nowhere"), "model/stl", "x").await;
    assert_eq!(nowhere.status, StatusCode::NOT_FOUND);
    // A file that cannot be read is told, until it is put aside; another job is cancelled.
    let sent = site.ask("PUT", &put("name=cut.stl&destination=fluid"), "model/stl", &b"solid x\nfacet"[..]).await;
    assert_eq!(sent.status, StatusCode::ACCEPTED);
    let job = JobId(sent.number_behind("\"job\":"));
    let until = Instant::now() + Duration::from_secs(30);
    while !site.store.job(job).unwrap().is_over() && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    assert!(site.get(&format!("/projects/{project}")).await.says("cut.stl could not be read"));
    assert_eq!(site.post(&format!("/jobs/{job}/cancel"), "").await.status, StatusCode::NO_CONTENT);
    assert_eq!(site.post(&format!("/jobs/{job}/aside"), "").await.status, StatusCode::OK);
    assert!(!site.get(&format!("/projects/{project}")).await.says("could not be read"));
}

#[actix_web::test]
async fn an_assembly_of_facets_comes_with_its_names_and_goes_apart() {
    let site = Site::open();
    let (mut both, other) = (cuboid([2.0; 3]), cuboid([1.0; 3]));
    both.append(&other);
    let facets: Vec<FacetId> = both.triangles.keys().collect();
    let parts = [
        NamedFacets { name: "left", facets: &facets[..12], role: None },
        NamedFacets { name: "right", facets: &facets[12..], role: None },
    ];
    let (project, id) = site.body("pair.stl", stl::write_ascii(&both, &parts)).await;
    let page = site.get(&format!("/bodies/{id}?tab=boundaries&row=none")).await;
    assert!(page.says("left") && page.says("right"));
    let apart = site.post(&format!("/bodies/{id}/derive"), "do=split&by=labels").await;
    assert_eq!(apart.to, format!("/projects/{project}"));
    let until = Instant::now() + Duration::from_secs(30);
    while site.store.bodies(project).unwrap().len() < 3 && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    let names: Vec<String> = site.store.bodies(project).unwrap().into_iter().map(|b| b.name).collect();
    assert_eq!(names, ["Pair", "left", "right"]);
    // What is made of a body is bound for where that is.
    assert!(site.store.bodies(project).unwrap().iter().all(|b| b.destination == "fluid"));
}

#[actix_web::test]
async fn what_is_done_with_several_bodies_leaves_alone_what_it_cannot_do() {
    let site = Site::open();
    let (project, open) = site.body("open.stl", binary(&torn(&cuboid([40.0, 30.0, 20.0]), 6, 0.01))).await;
    let (_, elsewhere) = site.body("elsewhere.stl", binary(&cuboid([4.0; 3]))).await;
    let together = format!("/projects/{project}/together");
    for (form, words) in [
        ("do=delete".to_string(), "Tick at least one body"),
        (format!("do=paint&body={open}"), "nothing that can be done"),
        (format!("step=set_unit&unit=parsec&body={open}"), "parsec"),
        (format!("step=no_such_step&body={open}"), "no_such_step"),
    ] {
        let refused = site.post(&together, &form).await;
        assert_eq!(
            (refused.status, refused.says(words)),
            (StatusCode::UNPROCESSABLE_ENTITY, true),
            "{form}: {}",
            refused.text
        );
    }
    let unknown = site.post(&together, &format!("do=bind&destination=nowhere&body={open}")).await;
    assert_eq!(unknown.status, StatusCode::NOT_FOUND);
    // Not ready; of another project; both are left as they are, and it is said.
    let said = site.post(&together, &format!("do=hand_over&body={open}&body={elsewhere}")).await;
    assert!(said.says("of 0 bodies") && said.says("Left alone: “Open” (it is not ready"), "{}", said.text);
    site.post(&together, &format!("do=delete&body={elsewhere}")).await;
    assert!(site.store.body(elsewhere).is_ok(), "it is of another project");
    // A repair composed and run, each step a state that can be gone back to.
    assert!(site.post(&together, &format!("do=repair&body={open}")).await.says("asked for on 1 body"));
    let until = Instant::now() + Duration::from_secs(60);
    let head = || site.store.revision(site.store.body(open).unwrap().head.unwrap()).unwrap();
    while head().survey.topology.open_edges > 0 && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    assert_eq!(head().survey.topology.open_edges, 0);
    assert!(site.store.log(open).unwrap().iter().all(|l| l.step.as_ref().is_none_or(|s| s.about().id != "wrap")));
}

/// Points have no facets to write: each body is handed over in the form that its own page offers first.
#[actix_web::test]
async fn bodies_without_a_surface_are_handed_over_as_what_they_are() {
    let site = Site::open();
    let (project, cloud) = site.body("cloud.xyz", b"0 0 0\n1 0 0\n0 1 0\n0 0 1\n1 1 0\n".to_vec()).await;
    let together = format!("/projects/{project}/together");
    for form in
        ["do=bind&destination=points", "step=set_unit&unit=m", "step=orient&up=%2Bz&forward=%2Bx", "do=hand_over"]
    {
        let until = Instant::now() + Duration::from_secs(30);
        while site.store.open_job_of_body(cloud).unwrap().is_some() && Instant::now() < until {
            std::thread::sleep(Duration::from_millis(20));
        }
        let said = site.post(&together, &format!("{form}&body={cloud}")).await;
        assert!(!said.says("Left alone"), "{form}: {}", said.text);
    }
    let until = Instant::now() + Duration::from_secs(30);
    while site.store.handovers(cloud).unwrap().is_empty() && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    let made = site.store.handovers_of(project).unwrap();
    assert_eq!(made.iter().map(|h| h.body_id).collect::<Vec<_>>(), [cloud]);
    assert!(made[0].manifest.files.iter().all(|f| f.name.ends_with(".ply")), "{:?}", made[0].manifest.files);
}

#[actix_web::test]
async fn names_change_and_what_is_deleted_comes_back() {
    let site = Site::open();
    let (project, id) = site.body("box.stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
    let list = format!("/projects/{project}");
    assert_eq!(site.post(&format!("/bodies/{id}/name"), "name=Sea+chest").await.to, list);
    assert!(site.get(&list).await.says("Sea chest"));
    let key = |page: &Answer| page.text.split("data-key=\"").nth(1).unwrap()[..16].to_string();
    let drawn = key(&site.get(&list).await);
    assert_eq!(key(&site.get(&list).await), drawn);
    for wrong in ["name=", "name=a%00b", &format!("name={}", "x".repeat(81))] {
        let refused = site.post(&format!("/bodies/{id}/name"), wrong).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{wrong}: {}", refused.text);
    }
    assert!(site.get(&format!("{list}/usage")).await.says("kB kept"));
    assert_eq!(site.post(&format!("/bodies/{id}/delete"), "").await.to, list);
    assert_ne!(key(&site.get(&list).await), drawn);
    assert_eq!(site.get(&format!("/bodies/{id}")).await.status, StatusCode::NOT_FOUND);
    assert!(site.get(&list).await.says("Have it back"));
    assert_eq!(site.post(&format!("/bodies/{id}/restore"), "").await.to, list);
    assert_eq!(site.get(&format!("/bodies/{id}")).await.status, StatusCode::OK);
    assert_eq!(site.post(&format!("{list}/delete"), "").await.to, "/");
    assert_eq!(site.get(&list).await.status, StatusCode::NOT_FOUND);
    assert!(site.get("/").await.says("Have it back"));
    site.post(&format!("{list}/restore"), "").await;
    assert_eq!(site.get(&list).await.status, StatusCode::OK);
}

#[actix_web::test]
async fn pages_are_told_what_has_changed_by_the_key_that_they_carry() {
    let site = Site::open();
    let (project, id) = site.body("box.stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
    let carried = |page: &Answer| page.text.split("data-key=\"").nth(1).unwrap().split('"').next().unwrap().to_string();
    for (page, stream) in [
        (format!("/bodies/{id}"), format!("/bodies/{id}/events")),
        (format!("/projects/{project}"), format!("/projects/{project}/events")),
    ] {
        let before = carried(&site.get(&page).await);
        let mut told = site.listen(&stream).await;
        assert_eq!(told.key().await, before, "what the page carries is told at once: {page}");
        site.post(&format!("/bodies/{id}/name"), &format!("name=Box+of+{}", stream.len())).await;
        let after = told.key().await;
        assert_ne!(after, before, "{page}");
        assert_eq!(carried(&site.get(&page).await), after, "and the page drawn anew carries what was told: {page}");
    }
    for gone in ["/bodies/99999999/events", "/projects/99999999/events"] {
        assert_eq!(site.get(gone).await.status, StatusCode::NOT_FOUND, "{gone}");
    }
}

/// Fields of a form as a page sends them.
fn form(fields: &[(&str, &str)]) -> String {
    let plain = |s: &str| s.bytes().map(|b| format!("%{b:02X}")).collect::<String>();
    fields.iter().map(|(k, v)| format!("{}={}", plain(k), plain(v))).collect::<Vec<_>>().join("&")
}

#[actix_web::test]
async fn a_robot_is_put_together_on_its_page_and_says_what_is_wrong_with_it() {
    let site = Site::open();
    let (project, arm) = site.body("arm.stl", binary(&cuboid([200.0, 20.0, 20.0]))).await;
    let robot = format!("/projects/{project}/robot");
    assert!(site.get(&robot).await.says("Robot"));
    for gone in ["robot", "robot.png", "robot.zip", "robot-let-go.csv", "stock"] {
        let answer = site.get(&format!("/projects/99999999/{gone}")).await;
        assert!(answer.status.is_client_error(), "{gone}: {}", answer.status);
    }
    // Without a unit a body is no part of a robot in metres.
    let link = [("name", "crane"), ("links", "1"), ("l0_name", "arm"), ("l0_part", "Arm"), ("l0_collision", "box")];
    site.post(&robot, &form(&link)).await;
    assert!(site.get(&robot).await.says("has no unit yet"));
    assert_eq!(site.get(&format!("{robot}.zip")).await.status, StatusCode::UNPROCESSABLE_ENTITY);
    site.post(&format!("/bodies/{arm}/steps"), "step=set_unit&unit=mm").await;
    // What is typed wrong is told, and what was kept before stays.
    for (field, typed, words) in [
        ("l0_name", "", "A link needs a name"),
        ("l0_density", "heavy", "The density must be a number; “heavy” is not."),
        ("l0_mass", "1e300", "The mass must be a number"),
        ("l0_facets", "NaN", "The budget of facets must be a number"),
    ] {
        let mut fields = link.to_vec();
        fields.retain(|f| f.0 != field);
        fields.push((field, typed));
        let refused = site.post(&robot, &form(&fields)).await;
        assert!(refused.status == StatusCode::OK && refused.says(words), "{field}: {}", refused.text);
    }
    let two = |joint: &[(&'static str, &'static str)]| {
        let mut fields = link.to_vec();
        fields.retain(|f| f.0 != "links");
        fields.extend([
            ("links", "2"),
            ("l1_name", "jib"),
            ("l1_part", "Arm"),
            ("l1_collision", "none"),
            ("joints", "1"),
        ]);
        fields.extend([("j0_name", "luff"), ("j0_parent", "arm"), ("j0_child", "jib"), ("j0_dy", "1")]);
        for own in joint {
            fields.retain(|f| f.0 != own.0);
            fields.push(*own);
        }
        form(&fields)
    };
    let of_joint: [(&[(&str, &str)], &str); 3] = [
        (&[("j0_kind", "revolute"), ("j0_from", "10"), ("j0_to", "low")], "The upper limit must be a number"),
        (&[("j0_ax", "far")], "The joint’s place must be a number"),
        (&[("j0_dy", "1e13")], "must be a number"),
    ];
    for (joint, words) in of_joint {
        let refused = site.post(&robot, &two(joint)).await;
        let text = refused.text.replace("&#39;", "’").replace('\'', "’");
        assert!(text.contains(words), "{joint:?}: {}", refused.notice());
    }
    // Kept, but no tree: the page says so, and nothing is packed.
    for joint in [&[("j0_child", "arm")][..], &[("j0_parent", "mast")], &[("j0_dy", "0"), ("j0_kind", "revolute")]] {
        assert_eq!(site.post(&robot, &two(joint)).await.to, robot);
        let zip = site.get(&format!("{robot}.zip")).await;
        assert_eq!(zip.status, StatusCode::UNPROCESSABLE_ENTITY, "{joint:?}");
        assert!(!zip.text.trim().is_empty(), "{joint:?} is refused with a sentence");
    }
    let hinge = [("j0_kind", "revolute"), ("j0_from", "-30"), ("j0_to", "60"), ("j0_ax", "200")];
    assert_eq!(site.post(&robot, &two(&hinge)).await.to, robot);
    let page = site.get(&robot).await;
    assert!(page.says("jib") && page.says("luff"));
    // 200 × 20 × 20 mm of steel, twice.
    assert!(page.says("0.628"), "mass of a link in kg");
    let zip = site.get(&format!("{robot}.zip")).await;
    assert!(zip.bytes.starts_with(b"PK"), "{}", zip.text);
    let (still, raised) = (site.get(&format!("{robot}.png")).await, site.get(&format!("{robot}.png?j0=45")).await);
    assert!(still.bytes.starts_with(b"\x89PNG") && still.bytes != raised.bytes, "the joint turns in the picture");
    let motion = site.get(&format!("{robot}-let-go.csv")).await;
    assert!(motion.text.lines().count() > 100, "five seconds: {}", motion.text);
    // A button more: a link, a joint; and away again.
    let links = |page: &Answer| page.text.matches("drop-link-").count();
    let mut more = two(&hinge);
    more += "&do=link";
    site.post(&robot, &more).await;
    assert_eq!(links(&site.get(&robot).await), 3);
    let fewer = two(&hinge) + "&do=drop-link-1";
    site.post(&robot, &fewer).await;
    assert_eq!(links(&site.get(&robot).await), 1);
}

#[actix_web::test]
async fn stock_parts_come_in_by_kind_size_and_tolerance() {
    let site = Site::open();
    let (project, _) = site.body("cube.stl", binary(&cuboid([4.0; 3]))).await;
    let stock = format!("/projects/{project}/stock");
    assert!(site.get(&stock).await.says("bolt"));
    assert!(!site.get(&format!("{stock}?q=no+such+part")).await.says("value=\"hex_bolt\""));
    let kind = hull_stock::parts::search("bolt")[0];
    let size = kind.sizes[0].to_string();
    let good = [("kind", kind.id), ("size", &size), ("length", "40"), ("tolerance", "0.1")];
    for (field, typed) in
        [("kind", "girder of gold"), ("size", "M0"), ("length", "long"), ("tolerance", "-1"), ("tolerance", "")]
    {
        let mut fields = good.to_vec();
        fields.retain(|f| f.0 != field);
        fields.push((field, typed));
        let refused = site.post(&stock, &form(&fields)).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{field} “{typed}”");
        assert!(!refused.text.trim().is_empty());
    }
    assert_eq!(site.post("/projects/99999999/stock", &form(&good)).await.status, StatusCode::NOT_FOUND);
    assert_eq!(site.store.bodies(project).unwrap().len(), 1, "nothing came of what was refused");
    assert_eq!(site.post(&stock, &form(&good)).await.to, format!("/projects/{project}"));
    let until = Instant::now() + Duration::from_secs(30);
    while site.store.bodies(project).unwrap().len() < 2 && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    let bodies = site.store.bodies(project).unwrap();
    let bolt = site.store.revision(bodies[1].head.unwrap()).unwrap();
    assert!(bolt.facts.scale.is_some() && bolt.survey.topology.closed, "in millimetres, closed");
    assert_eq!(bodies[1].destination, "solid");
    // The same as an exact solid: one hexagon with a ring below, a cylinder, two ends, six sides.
    let exact = [good.to_vec(), vec![("as", "solid")]].concat();
    site.post(&stock, &form(&exact)).await;
    let until = Instant::now() + Duration::from_secs(30);
    while site.store.bodies(project).unwrap().len() < 3 && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(20));
    }
    let bodies = site.store.bodies(project).unwrap();
    let solid = site.store.revision(bodies[2].head.unwrap()).unwrap().facts.exact.unwrap();
    assert_eq!((solid.figures.solids, solid.figures.faces), (1, 10));
    let elbow = [("kind", "elbow"), ("size", "DN 50"), ("length", "90"), ("as", "solid")];
    assert!(site.post(&stock, &form(&elbow)).await.says("comes as facets only"));
}
