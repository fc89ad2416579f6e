//! Numbers as people read them: thin spaces between thousands, enough digits and no more.

/// A whole number with thin spaces between thousands.
pub fn count(n: usize) -> String {
    group(&n.to_string())
}

/// A number with what it counts: “1 facet”, “8 facets”, “2 bodies”. The last word takes the plural.
pub fn counted(n: usize, what: &str) -> String {
    let ending = match (n, what.strip_suffix('y')) {
        (1, _) => what.to_string(),
        (_, Some(stem)) => format!("{stem}ies"),
        _ => format!("{what}s"),
    };
    format!("{} {ending}", count(n))
}

fn group(digits: &str) -> String {
    let (whole, rest) = digits.split_once('.').map_or((digits, None), |(w, r)| (w, Some(r)));
    let mut out = String::new();
    for (i, c) in whole.chars().enumerate() {
        if i > 0 && (whole.len() - i) % 3 == 0 && c != '-' && !out.ends_with('−') {
            out.push('\u{2009}');
        }
        out.push(if c == '-' { '−' } else { c });
    }
    if let Some(rest) = rest {
        out.push('.');
        out.push_str(rest);
    }
    out
}

/// A number with `places` decimals.
pub fn fixed(x: f64, places: usize) -> String {
    let text = format!("{x:.places$}");
    // No “−0.0”.
    group(if text.trim_start_matches('-').chars().all(|c| c == '0' || c == '.') {
        text.trim_start_matches('-')
    } else {
        &text
    })
}

/// A number with about four significant digits.
pub fn four_digits(x: f64) -> String {
    significant(x, 4)
}

/// A number with ten significant digits, for comparing.
pub fn long(x: f64) -> String {
    significant(x, 10)
}

fn significant(x: f64, digits: i32) -> String {
    if x == 0.0 || !x.is_finite() {
        return if x == 0.0 { "0".into() } else { "–".into() };
    }
    let size = x.abs().log10().floor() as i32;
    if !(-4..9).contains(&size) {
        return format!("{x:.*e}", digits as usize - 1);
    }
    let text = fixed(x, (digits - 1 - size).clamp(0, digits + 4) as usize);
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_string() } else { text }
}
