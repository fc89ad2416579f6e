//! Heads of requests whose lines end in CR LF and nothing else.
//!
//! RFC 9112, section 2.2, lets whoever reads a request take a bare LF for the end of a line, and the parser below does. Where a
//! program in front reads the same bytes otherwise, one request can be hidden in another. A bare LF in a head, in the line of
//! a chunk's size or in a trailer is handed on as NUL, which none of them may hold: the parser refuses it with 400.

use std::io;
use std::pin::Pin;
use std::task::{Context, Poll, ready};
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};

/// The longest line that is kept to be read. A longer one is no length of a body; the parser refuses heads above 128 KiB.
const LINE: usize = 8 << 10;

/// A connection that is read through [`Framing`].
pub struct Strict<S> {
    stream: S,
    framing: Framing,
}

impl<S> Strict<S> {
    /// A connection on which nothing was read yet.
    pub fn new(stream: S) -> Strict<S> {
        Strict { stream, framing: Framing::default() }
    }
}

impl<S: AsyncRead + Unpin> AsyncRead for Strict<S> {
    fn poll_read(mut self: Pin<&mut Self>, cx: &mut Context<'_>, buf: &mut ReadBuf<'_>) -> Poll<io::Result<()>> {
        let before = buf.filled().len();
        ready!(Pin::new(&mut self.stream).poll_read(cx, buf))?;
        self.framing.pass(&mut buf.filled_mut()[before..]);
        Poll::Ready(Ok(()))
    }
}

impl<S: AsyncWrite + Unpin> AsyncWrite for Strict<S> {
    fn poll_write(mut self: Pin<&mut Self>, cx: &mut Context<'_>, bytes: &[u8]) -> Poll<io::Result<usize>> {
        Pin::new(&mut self.stream).poll_write(cx, bytes)
    }

    fn poll_flush(mut self: Pin<&mut Self>, cx: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.stream).poll_flush(cx)
    }

    fn poll_shutdown(mut self: Pin<&mut Self>, cx: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.stream).poll_shutdown(cx)
    }
}

/// Where in the requests of a connection the next byte stands.
#[derive(Default)]
struct Framing {
    at: At,
    /// The line so far, up to [`LINE`] bytes.
    line: Vec<u8>,
    /// Whether a line of this head was read: empty lines may stand before a request.
    begun: bool,
    /// The body's length, as the head says it; chunked bodies say theirs as they come.
    length: u64,
    chunked: bool,
}

#[derive(Default, PartialEq)]
enum At {
    #[default]
    Head,
    /// So many bytes of a body, or of a chunk with the line end behind it.
    Bytes(u64),
    ChunkSize,
    Trailer,
    /// Refused, or not to be understood: the parser says so, and closes the connection.
    Beyond,
}

impl Framing {
    /// Takes the next bytes of a connection; a bare LF outside of bodies becomes NUL.
    fn pass(&mut self, mut bytes: &mut [u8]) {
        while !bytes.is_empty() {
            let used = match &mut self.at {
                At::Beyond => return,
                At::Bytes(left) => {
                    let used = bytes.len().min(usize::try_from(*left).unwrap_or(usize::MAX));
                    *left -= used as u64;
                    if *left == 0 {
                        self.at = if self.chunked { At::ChunkSize } else { At::Head };
                    }
                    used
                }
                At::Head | At::ChunkSize | At::Trailer => self.line(bytes),
            };
            bytes = &mut bytes[used..];
        }
    }

    /// Takes bytes up to the end of a line; how many.
    fn line(&mut self, bytes: &mut [u8]) -> usize {
        let end = bytes.iter().position(|b| *b == b'\n');
        let used = end.map_or(bytes.len(), |end| end + 1);
        // What is kept of a long line still ends as the line does so far.
        if let Some(last) = self.line.get(LINE..).and_then(<[u8]>::last).copied() {
            self.line.truncate(LINE);
            self.line.push(last);
        }
        self.line.extend(&bytes[..used]);
        if end.is_some() {
            if self.line.ends_with(b"\r\n") {
                let line = std::mem::take(&mut self.line);
                self.at = self.after(&line[..line.len() - 2]);
            } else {
                bytes[used - 1] = 0;
                self.at = At::Beyond;
            }
        }
        used
    }

    /// Where the next byte stands, behind a line without its end.
    fn after(&mut self, line: &[u8]) -> At {
        match self.at {
            At::ChunkSize => match chunk_size(line) {
                Some(0) => At::Trailer,
                // The line end behind the chunk.
                Some(size) => At::Bytes(size.saturating_add(2)),
                None => At::Beyond,
            },
            At::Trailer if !line.is_empty() => At::Trailer,
            At::Head if !line.is_empty() => {
                self.begun = true;
                self.heed(line);
                At::Head
            }
            At::Head if self.begun => {
                self.begun = false;
                let length = std::mem::take(&mut self.length);
                if self.chunked {
                    At::ChunkSize
                } else if length > 0 {
                    At::Bytes(length)
                } else {
                    At::Head
                }
            }
            _ => {
                self.chunked = false;
                At::Head
            }
        }
    }

    /// Reads how long the body will be, if a line of a head says so.
    fn heed(&mut self, line: &[u8]) {
        let text = String::from_utf8_lossy(line);
        let Some((name, value)) = text.split_once(':') else { return };
        if name.eq_ignore_ascii_case("content-length") {
            self.length = value.trim().parse().unwrap_or(0);
        } else if name.eq_ignore_ascii_case("transfer-encoding") {
            self.chunked = value.to_ascii_lowercase().contains("chunked");
        }
    }
}

fn chunk_size(line: &[u8]) -> Option<u64> {
    let text = std::str::from_utf8(line).ok()?;
    u64::from_str_radix(text.split(';').next()?.trim(), 16).ok()
}

#[cfg(test)]
mod tests {
    use super::Framing;

    /// Requests behind each other, with line feeds in their bodies, and where the line ends of heads, chunk sizes and
    /// trailers are.
    fn requests() -> (Vec<u8>, Vec<usize>) {
        let long = "x".repeat(super::LINE + 100);
        let parts: [(&str, bool); 7] = [
            ("\r\nGET / HTTP/1.1\r\nHost: a\r\n\r\n", true),
            ("POST /a HTTP/1.1\r\nCONTENT-LENGTH: 9\r\nHost: a\r\n\r\n", true),
            ("a\nb\n\n\r\nc\n", false),
            (&format!("PUT /b HTTP/1.1\r\nX: {long}\r\nTransfer-Encoding: chunked\r\n\r\n5;e=1\r\n"), true),
            ("\n\n\n\n\n\r\n", false),
            ("0\r\nT: 1\r\n\r\n", true),
            ("DELETE /c HTTP/1.1\r\nContent-Length: 0\r\n\r\nGET / HTTP/1.1\r\n\r\n", true),
        ];
        let (mut bytes, mut ends) = (Vec::new(), Vec::new());
        for (part, is_lines) in parts {
            let lines = part.bytes().enumerate().filter(|(_, b)| is_lines && *b == b'\n');
            ends.extend(lines.map(|(k, _)| bytes.len() + k));
            bytes.extend(part.bytes());
        }
        (bytes, ends)
    }

    fn passed(bytes: &[u8], piece: usize) -> Vec<u8> {
        let (mut framing, mut out) = (Framing::default(), bytes.to_vec());
        out.chunks_mut(piece).for_each(|piece| framing.pass(piece));
        out
    }

    #[test]
    fn a_bare_line_feed_is_refused_in_every_head_and_taken_in_every_body_however_the_bytes_come() {
        let (bytes, ends) = requests();
        assert_eq!(ends.len(), 21);
        for piece in [1, 2, 3, 7, 64, 5000, bytes.len()] {
            assert!(passed(&bytes, piece) == bytes, "pieces of {piece}");
            for end in &ends {
                // The carriage return before it is left out.
                let bare = [&bytes[..end - 1], &bytes[*end..]].concat();
                let mut refused = bare.clone();
                refused[end - 1] = 0;
                assert!(passed(&bare, piece) == refused, "pieces of {piece}, line end at {end}");
            }
        }
    }
}
