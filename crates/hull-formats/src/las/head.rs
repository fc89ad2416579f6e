//! What the head says must fit into the file: looked at before the library does, which takes room for what is claimed.

/// A sentence, where a length or a place that the head gives lies outside the file (ASPRS LAS 1.4 R15, 2.4 to 2.7).
///
/// # Errors
/// That sentence.
pub fn fits(bytes: &[u8]) -> Result<(), String> {
    let cut = |what: &str| Err(format!("{what} lies outside the file: it is cut off or damaged"));
    let (Some(minor), Some(size), Some(points), Some(count)) =
        (bytes.get(25), number(bytes, 94, 2), number(bytes, 96, 4), number(bytes, 100, 4))
    else {
        return cut("its head");
    };
    if points > bytes.len() || size > points {
        return cut("the first point");
    }
    records(bytes, size, count, (20, 2, 54)).or_else(|()| cut("a record of the head"))?;
    if *minor >= 4 {
        let (Some(at), Some(count)) = (number(bytes, 235, 8), number(bytes, 243, 4)) else { return cut("its head") };
        if count > 0 {
            records(bytes, at, count, (20, 8, 60)).or_else(|()| cut("a record behind the points"))?;
        }
    }
    if bytes[104..].first().is_some_and(|format| format & 0xc0 != 0) && !chunks_fit(bytes, points) {
        return cut("the list of packed pieces");
    }
    Ok(())
}

/// Whether the list of packed pieces is no longer than the file: where it begins stands before the first one, or at the end.
fn chunks_fit(bytes: &[u8], points: usize) -> bool {
    let told = number(bytes, points, 8).filter(|at| *at != usize::MAX);
    let list = told.or_else(|| number(bytes, bytes.len().checked_sub(8)?, 8));
    let count = list.and_then(|at| number(bytes, at.checked_add(4)?, 4));
    // Without a list the library reads the pieces one after the other.
    count.is_none_or(|n| n <= bytes.len())
}

/// Walks records whose length stands in `width` bytes from `place` on, behind a head of `head` bytes.
fn records(bytes: &[u8], mut at: usize, count: usize, (place, width, head): (usize, usize, usize)) -> Result<(), ()> {
    for _ in 0..count {
        let length = at.checked_add(place).and_then(|p| number(bytes, p, width)).ok_or(())?;
        at = at.checked_add(head).and_then(|a| a.checked_add(length)).filter(|a| *a <= bytes.len()).ok_or(())?;
    }
    Ok(())
}

/// A whole number, least significant byte first.
fn number(bytes: &[u8], at: usize, width: usize) -> Option<usize> {
    let own = bytes.get(at..at.checked_add(width)?)?;
    usize::try_from(own.iter().rev().fold(0_u64, |n, b| n << 8 | u64::from(*b))).ok()
}
