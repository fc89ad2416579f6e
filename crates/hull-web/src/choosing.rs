//! Choosing which bodies of a file go in.

use crate::answer::Asked;
use crate::by_name::groups;
use crate::error::{PageError, PageResult};
use crate::form::Fields;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, post, web};
use hull_store::Store;
use hull_store::bodies::BodyRow;
use hull_store::ids::BodyId;
use hull_store::work::{Arrival, Work};
use hull_workshop::steps::drop_bodies::DropBodies;
use std::collections::BTreeSet;

/// What is done with the ticked bodies: `do` is `keep` (the others go), `drop` or `split` (a body of their own).
#[post("/bodies/{body}/choose")]
pub async fn choose(asked: Asked, fields: web::Form<Fields>) -> PageResult {
    let of = |key: &str| fields.iter().filter(|f| f.0 == key).map(|f| f.1.clone()).collect::<Vec<_>>();
    let (ticked, what) = (of("body"), of("do").pop().unwrap_or_default());
    if ticked.is_empty() {
        return Err(PageError::refused("Tick at least one body."));
    }
    let ticks = ticked.clone();
    let find = move |store: &Store, id: BodyId| -> hull_store::Result<(BodyRow, Vec<String>)> {
        let row = store.body(id)?;
        let head = row.head.map(|head| store.revision(head)).transpose()?;
        let all: BTreeSet<String> = head.map_or_else(BTreeSet::new, |r| {
            let of_faces = groups(&r.facts).into_iter().map(|g| g.name);
            of_faces.chain(r.survey.lines.bundles.into_iter().map(|b| b.0)).collect()
        });
        Ok((row, all.into_iter().filter(|n| !ticks.contains(n)).collect()))
    };
    let (row, others) = asked.with(find).await?;
    let back = of("from").pop().filter(|u| is_own_address(u)).unwrap_or(format!("/projects/{}", row.project_id));
    let notice = match what.as_str() {
        "split" => {
            let on = row.head.ok_or_else(|| PageError::refused("The body has not been read yet."))?;
            let work = Work::Receive(Arrival::TakenOut { name: row.name, on, drop: others, keep: ticked });
            asked.with(move |store, _| store.enqueue(&work, row.project_id, None)).await?;
            None
        }
        "keep" if others.is_empty() => None,
        "keep" => asked.run(Work::Step, &DropBodies { names: others }.into()).await?.refused,
        "drop" => asked.run(Work::Step, &DropBodies { names: ticked }.into()).await?.refused,
        other => return Err(PageError::refused(format!("“{other}” is nothing that can be done with bodies."))),
    };
    match notice {
        Some(sentence) => Err(PageError::refused(sentence)),
        None => Ok(HttpResponse::SeeOther().insert_header((LOCATION, back)).finish()),
    }
}

/// Whether an address is one of this server's: a path of plain characters, so that no browser reads a host into it.
fn is_own_address(u: &str) -> bool {
    u.starts_with('/') && !u.starts_with("//") && u.bytes().all(|b| b.is_ascii_graphic() && b != b'\\')
}

#[cfg(test)]
mod tests {
    use super::is_own_address;

    #[test]
    fn only_paths_of_this_server_are_gone_back_to() {
        for own in ["/", "/bodies/3?row=closed&tab=exact", "/projects/12"] {
            assert!(is_own_address(own), "{own}");
        }
        for other in
            ["", "x", "//host", "/\\host", "/\t/host", "/a\r\nSet-Cookie: b", "https://host/", "/\u{2028}/host"]
        {
            assert!(!is_own_address(other), "{other:?}");
        }
    }
}
