//! The guide as a page of the application: all of it, or what holds the words that are looked for.

use crate::error::PageResult;
use crate::pages::html;
use actix_web::{get, web};
use askama::Template;
use pulldown_cmark::{Options, Parser};
use serde::Deserialize;

const GUIDE: &str = include_str!("../../../docs/guide.md");

/// What is looked for.
#[derive(Deserialize)]
pub struct Query {
    #[serde(default)]
    q: String,
}

#[derive(Template)]
#[template(path = "guide.html")]
struct GuidePage {
    q: String,
    /// Each section: its address on the page, its title and its text as HTML.
    sections: Vec<(String, String, String)>,
}

/// The guide.
#[get("/guide")]
pub async fn show(query: web::Query<Query>) -> PageResult {
    let q: String = query.q.trim().chars().take(100).collect();
    let sections = sections(GUIDE)
        .into_iter()
        .filter_map(|(title, text)| Some((address(title), title.to_string(), marked_up(&found(title, &text, &q)?))))
        .collect();
    html(&GuidePage { q, sections })
}

/// The sections of a text with headings: title and lines.
fn sections(text: &str) -> Vec<(&str, Vec<&str>)> {
    let mut out: Vec<(&str, Vec<&str>)> = Vec::new();
    // Marks of the tests are nothing for people.
    for line in text.lines().filter(|l| !l.starts_with("<!--")) {
        match (line.strip_prefix("# "), out.last_mut()) {
            (Some(title), _) => out.push((title, Vec::new())),
            (None, Some(section)) => section.1.push(line),
            (None, None) => {}
        }
    }
    out
}

/// A title as an address on the page.
fn address(title: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    title.chars().map(plain).collect()
}

/// What of a section holds all the words: paragraphs, and of tables the rows, below their head. `None` if nothing does; all of it if
/// its title does, or nothing is looked for.
fn found(title: &str, lines: &[&str], q: &str) -> Option<String> {
    let words: Vec<String> = q.to_lowercase().split_whitespace().map(String::from).collect();
    let holds = |text: &str| {
        let text = text.to_lowercase();
        words.iter().all(|w| text.contains(w.as_str()))
    };
    if words.is_empty() || holds(title) {
        return Some(lines.join("\n"));
    }
    let mut out: Vec<String> = Vec::new();
    for paragraph in lines.split(|l| l.trim().is_empty()).filter(|p| !p.is_empty()) {
        if paragraph.len() > 2 && paragraph[0].starts_with('|') {
            let rows: Vec<&str> = paragraph[2..].iter().copied().filter(|r| holds(r)).collect();
            if !rows.is_empty() {
                out.push([&paragraph[..2], &rows[..]].concat().join("\n"));
            }
        } else if holds(&paragraph.join(" ")) {
            out.push(paragraph.join("\n"));
        }
    }
    (!out.is_empty()).then(|| out.join("\n\n"))
}

fn marked_up(text: &str) -> String {
    let mut out = String::new();
    pulldown_cmark::html::push_html(&mut out, Parser::new_ext(text, Options::ENABLE_TABLES));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_find_rows_of_tables_and_paragraphs_and_no_others() {
        let all = sections(GUIDE);
        assert!(all.len() > 8);
        let hits = |q: &str| all.iter().filter_map(|(t, l)| found(t, l, q)).collect::<Vec<_>>().join("\n");
        let steps = hits("drop_outliers");
        assert!(steps.contains("| `drop_outliers` |") && !steps.contains("| `crop_ball` |"), "{steps}");
        assert!(hits("WRAP offset gap").contains("`wrap`"));
        assert_eq!(hits("no such word anywhere"), "");
        assert!(hits("").len() > GUIDE.len() * 9 / 10);
        assert!(marked_up(&steps).contains("<td><code>drop_outliers</code></td>"));
    }
}
