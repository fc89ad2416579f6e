//! The index of several files of one thing (VTM): a name and a file for each block.

use crate::{Location, ReadError};
use quick_xml::Reader;
use quick_xml::escape::{escape, unescape};
use quick_xml::events::Event;
use std::fmt::Write as _;

/// Writes the index of blocks, each a name and a file beside it.
pub fn write_index(blocks: &[[String; 2]]) -> Vec<u8> {
    let mut out = String::from(
        "<?xml version=\"1.0\"?>\n<VTKFile type=\"vtkMultiBlockDataSet\" version=\"1.0\" byte_order=\"LittleEndian\">\n\
         <vtkMultiBlockDataSet>\n",
    );
    for (i, [name, file]) in blocks.iter().enumerate() {
        // Writing to memory cannot fail.
        let _ = writeln!(out, "<DataSet index=\"{i}\" name=\"{}\" file=\"{}\"/>", escape(name), escape(file));
    }
    out.push_str("</vtkMultiBlockDataSet>\n</VTKFile>\n");
    out.into_bytes()
}

/// Reads an index: names and files in order.
///
/// # Errors
/// [`ReadError`]: it is no XML, or no index of blocks.
pub fn read_index(name: &str, bytes: &[u8]) -> Result<Vec<[String; 2]>, ReadError> {
    let mut reader = Reader::from_reader(bytes);
    let (mut blocks, mut is_index) = (Vec::new(), false);
    loop {
        let at = reader.buffer_position() as usize;
        let wrong = |reason: String| ReadError::at(name, Location::Byte(at), reason);
        match reader.read_event().map_err(|e| wrong(e.to_string()))? {
            Event::Eof => break,
            Event::Start(e) | Event::Empty(e) => match e.local_name().as_ref() {
                "vtkMultiBlockDataSet" => is_index = true,
                "DataSet" => {
                    let mut block = [String::new(), String::new()];
                    for attribute in e.attributes().flatten() {
                        let value = unescape(&attribute.value).map_err(|e| wrong(e.to_string()))?.into_owned();
                        match attribute.key.as_ref() {
                            "name" => block[0] = value,
                            "file" => block[1] = value,
                            _ => {}
                        }
                    }
                    blocks.push(block);
                }
                _ => {}
            },
            _ => {}
        }
    }
    if is_index { Ok(blocks) } else { Err(ReadError::whole(name, "the file is no index of blocks")) }
}
