//! The package: parts in a zip, found by relationships.

use crate::ReadError;
use quick_xml::Reader;
use quick_xml::events::Event;
use std::io::{Cursor, Read};
use zip::ZipArchive;

/// A part may unpack to so many bytes.
const LARGEST: u64 = 4 << 30;

/// An open package.
pub struct Package<'a> {
    file: &'a str,
    zip: ZipArchive<Cursor<&'a [u8]>>,
}

impl<'a> Package<'a> {
    /// # Errors
    /// [`ReadError`] if the bytes are no zip.
    pub fn open(file: &'a str, bytes: &'a [u8]) -> Result<Package<'a>, ReadError> {
        let zip = ZipArchive::new(Cursor::new(bytes));
        let zip = zip.map_err(|e| ReadError::whole(file, format!("the file is no package that can be opened: {e}")))?;
        Ok(Package { file, zip })
    }

    /// A part's bytes.
    ///
    /// # Errors
    /// [`ReadError`] with the part: it is not there, damaged, or unpacks to too much.
    pub fn part(&mut self, path: &str) -> Result<Vec<u8>, ReadError> {
        let told = |why: String| ReadError::whole(self.file, format!("part “{path}” of the package: {why}"));
        let entry = self.zip.by_name(path.trim_start_matches('/')).map_err(|e| told(e.to_string()))?;
        let mut out = Vec::new();
        let read = entry.take(LARGEST + 1).read_to_end(&mut out).map_err(|e| told(e.to_string()))?;
        if read as u64 > LARGEST {
            return Err(told("it unpacks to more than 4 GB".into()));
        }
        Ok(out)
    }

    /// The path of the part that the package begins with.
    ///
    /// # Errors
    /// [`ReadError`] if none says that it is the model.
    pub fn root_model(&mut self) -> Result<String, ReadError> {
        let usual = "3D/3dmodel.model".to_string();
        let Ok(text) = self.part("_rels/.rels") else { return Ok(usual) };
        let mut reader = Reader::from_reader(text.as_slice());
        while let Ok(event) = reader.read_event() {
            match event {
                Event::Empty(e) | Event::Start(e) if e.local_name().as_ref() == "Relationship" => {
                    let value = |key: &str| {
                        let found = e.attributes().flatten().find(|a| a.key.as_ref() == key);
                        found.map(|a| a.value.to_string()).unwrap_or_default()
                    };
                    if value("Type").ends_with("/3dmodel") {
                        return Ok(value("Target").trim_start_matches('/').into());
                    }
                }
                Event::Eof => break,
                _ => {}
            }
        }
        Ok(usual)
    }
}
