//! Any request: every address that the sources name, with numbers that are there and others, and forms of any fields with any
//! values. Whatever comes is answered, never with an error of the server, and the pages stand afterwards.

use super::*;
use hull_geometry::dirt::Dice;
use hull_store::work::Kind;
use std::path::Path;

/// An address as the sources name it.
#[derive(Clone, Debug)]
struct Route {
    method: String,
    path: String,
}

/// What stands between two marks, for each place where the first does.
fn between<'a>(text: &'a str, from: &str, to: char) -> Vec<&'a str> {
    text.split(from).skip(1).filter_map(|rest| rest.split_once(to).map(|x| x.0)).collect()
}

/// Texts of all files below a folder with an ending.
fn texts(folder: &Path, ending: &str, out: &mut Vec<String>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            texts(&path, ending, out);
        } else if path.extension().is_some_and(|e| e == ending) && !path.to_string_lossy().contains("tests") {
            out.push(std::fs::read_to_string(path).unwrap());
        }
    }
}

fn sources(ending: &str) -> Vec<String> {
    let mut out = Vec::new();
    texts(&Path::new(env!("CARGO_MANIFEST_DIR")).join("src"), ending, &mut out);
    out.sort();
    out
}

/// All routes but those that go on telling.
fn routes() -> Vec<Route> {
    let mut out = Vec::new();
    for text in sources("rs") {
        for method in ["get", "post", "put"] {
            for path in between(&text, &format!("#[{method}(\""), '"') {
                if !path.ends_with("/events") {
                    out.push(Route { method: method.to_uppercase(), path: path.into() });
                }
            }
        }
    }
    out
}

/// Names of fields: those of every form, and of every query that a script or a handler knows.
fn fields() -> Vec<String> {
    let mut all: Vec<String> = sources("html")
        .iter()
        .flat_map(|t| between(t, "name=\"", '"').into_iter().map(String::from).collect::<Vec<_>>())
        .collect();
    all.extend(["on", "angle", "which", "version", "name", "by", "as", "unit", "values", "body"].map(String::from));
    all.retain(|n| !n.contains(['{', ' ']));
    all.sort();
    all.dedup();
    all
}

fn escaped(text: &str) -> String {
    text.bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect()
}

const VALUES: [&str; 26] = [
    "",
    "1",
    "0",
    "-1",
    "2.5",
    "1e308",
    "-1e308",
    "NaN",
    "inf",
    "99999999999999999999",
    "0.0001",
    "1, 2, 3",
    "1,2,3;4,5,6",
    "x",
    "all",
    "yes",
    "mm",
    "unite",
    "{",
    "[[0,0,0,1]]",
    "{\"include\":[\"unnamed\"]}",
    "a\u{0}b",
    "a\r\nb",
    "<b>&\"'",
    "../../etc",
    "ein sehr langer Name, der immer weiter geht",
];

/// A form of some fields with some values; of a step as often as not.
fn form(fields: &[String], own: &[(&str, String)], dice: &mut Dice) -> String {
    let mut out: Vec<(String, String)> = Vec::new();
    for _ in 0..dice.below(6) {
        let name = fields[dice.below(fields.len())].clone();
        let value = match dice.below(8) {
            0 => VALUES[25].repeat(100),
            1 => own[dice.below(own.len())].1.clone(),
            _ => VALUES[dice.below(VALUES.len())].into(),
        };
        out.push((name, value));
    }
    if dice.part() < 0.3 {
        let about = &hull_workshop::steps::OPERATIONS[dice.below(hull_workshop::steps::OPERATIONS.len())];
        out.push(("step".into(), about.id.into()));
        out.extend((about.fields)().iter().map(|f| (f.path.into(), VALUES[dice.below(VALUES.len())].into())));
    }
    for (name, value) in own {
        if dice.part() < 0.5 {
            out.push(((*name).into(), value.clone()));
        }
    }
    out.iter().map(|(n, v)| format!("{}={}", escaped(n), escaped(v))).collect::<Vec<_>>().join("&")
}

/// An address with numbers that are there, mostly.
fn filled(path: &str, own: &[(&str, String)], dice: &mut Dice) -> String {
    let mut out = String::new();
    for (i, part) in path.split('{').enumerate() {
        if i == 0 {
            out += part;
            continue;
        }
        let (hole, rest) = part.split_once('}').unwrap();
        let (name, choice) = hole.split_once(':').unwrap_or((hole, ""));
        let known = own.iter().find(|o| o.0 == name).map(|o| o.1.clone());
        out += &match known {
            _ if dice.part() < 0.15 => {
                ["0", "-1", "99999999", "99999999999999", "x", "%00", "1%2F2"][dice.below(7)].to_string()
            }
            _ if choice.contains('|') => {
                let all: Vec<&str> = choice.split('|').collect();
                all[dice.below(all.len())].into()
            }
            Some(value) => value,
            None => ["view", "moving", "ascii", "findings", "fluid", "svg", "1"][dice.below(7)].to_string(),
        };
        out += rest;
    }
    out
}

#[actix_web::test]
async fn any_request_is_answered_and_the_pages_stand_afterwards() {
    let (routes, fields) = (routes(), fields());
    assert!(routes.len() > 60 && fields.len() > 60, "{} routes, {} fields", routes.len(), fields.len());
    let asked = |what: &str, otherwise: u64| std::env::var(what).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise);
    let (rounds, seed) = (asked("HULL_ANY_ROUNDS", 4), asked("HULL_ANY_SEED", 0));
    let mut site = Site::open();
    site.patience = Duration::from_millis(50);
    let mut wrong = Vec::new();
    for (k, route) in routes.iter().enumerate() {
        let dice = &mut Dice(seed << 32 | k as u64);
        let (project, body) = site.body("cube.stl", binary(&cuboid([4.0, 3.0, 2.0]))).await;
        let page = site.get(&format!("/bodies/{body}")).await;
        let revision = page.number_behind("\"revision\":");
        let received = site.store.jobs_of_project(project, Kind::Receive).unwrap();
        let job = received.first().expect("its file was read").id;
        let own = [
            ("project", project.to_string()),
            ("body", body.to_string()),
            ("id", if route.path.contains("bodies") { body.to_string() } else { project.to_string() }),
            ("revision", revision.to_string()),
            ("of", revision.to_string()),
            ("from", revision.to_string()),
            ("on", revision.to_string()),
            ("job", job.to_string()),
            ("panel", panels::PANELS[dice.below(panels::PANELS.len())].id.to_string()),
        ];
        for _ in 0..rounds {
            let address = filled(&route.path, &own, dice);
            let sent = form(&fields, &own, dice);
            // No browser sends an address of 64 kB, nor does the library that stands for one here.
            let sent = if route.method == "GET" && sent.len() > 40_000 { String::new() } else { sent };
            let (address, sent) =
                if route.method == "GET" { (format!("{address}?{sent}"), String::new()) } else { (address, sent) };
            let answer = site.ask(&route.method, &address, "application/x-www-form-urlencoded", sent.clone()).await;
            let (status, text) = (answer.status, &answer.text);
            if status.is_server_error() {
                wrong.push(format!(
                    "{} {address} {sent}\n{status} {}",
                    route.method,
                    text.chars().take(300).collect::<String>()
                ));
            }
            if status.is_client_error() && text.trim().is_empty() {
                wrong.push(format!("{} {address} {sent}\n{status} without a word", route.method));
            }
        }
        // What was asked for is called off, what was deleted comes back, and all of it can be looked at.
        while let Some(job) = site.store.open_job_of_body(body).unwrap() {
            site.post(&format!("/jobs/{}/cancel", job.id), "").await;
        }
        site.post(&format!("/projects/{project}/restore"), "").await;
        site.post(&format!("/bodies/{body}/restore"), "").await;
        for address in ["/".into(), format!("/projects/{project}"), format!("/bodies/{body}")] {
            let answer = site.get(&address).await;
            if answer.status != StatusCode::OK {
                wrong.push(format!("after {} {}: {address} {}", route.method, route.path, answer.status));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of them:\n{}", wrong.len(), wrong.join("\n\n"));
}
