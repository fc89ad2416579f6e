//! The classic form of netCDF (versions 1, 2 with 64-bit offsets, and 5): a head of dimensions, attributes and variables, then
//! their values, most significant byte first. After the netCDF Classic Format Specification.

/// Lists of a head at most.
const MOST: u64 = 1 << 20;

/// Values by type.
#[derive(Clone, Debug, PartialEq)]
pub enum Values {
    /// Characters.
    Text(Vec<u8>),
    /// Whole numbers of 32 bits.
    Int(Vec<i32>),
    /// Single precision.
    Single(Vec<f32>),
    /// Double precision.
    Double(Vec<f64>),
}

impl Values {
    fn code(&self) -> u32 {
        match self {
            Values::Text(_) => 2,
            Values::Int(_) => 4,
            Values::Single(_) => 5,
            Values::Double(_) => 6,
        }
    }

    fn len(&self) -> usize {
        match self {
            Values::Text(v) => v.len(),
            Values::Int(v) => v.len(),
            Values::Single(v) => v.len(),
            Values::Double(v) => v.len(),
        }
    }

    /// Padded to whole words.
    fn bytes(&self) -> Vec<u8> {
        let mut out: Vec<u8> = match self {
            Values::Text(v) => v.clone(),
            Values::Int(v) => v.iter().flat_map(|x| x.to_be_bytes()).collect(),
            Values::Single(v) => v.iter().flat_map(|x| x.to_be_bytes()).collect(),
            Values::Double(v) => v.iter().flat_map(|x| x.to_be_bytes()).collect(),
        };
        out.resize(out.len().next_multiple_of(4), 0);
        out
    }
}

/// What is to be written.
#[derive(Default)]
pub struct Writer {
    dims: Vec<(String, usize)>,
    attributes: Vec<(String, Values)>,
    vars: Vec<Filled>,
}

/// A variable with its values.
struct Filled {
    name: String,
    dims: Vec<usize>,
    attributes: Vec<(String, Values)>,
    values: Values,
}

impl Writer {
    /// A dimension; 0 is the one of records, of which there are none yet.
    pub fn dim(&mut self, name: &str, length: usize) -> usize {
        self.dims.push((name.into(), length));
        self.dims.len() - 1
    }

    /// An attribute of the file.
    pub fn attribute(&mut self, name: &str, values: Values) {
        self.attributes.push((name.into(), values));
    }

    /// A variable over dimensions, with its attributes.
    pub fn var(&mut self, name: &str, dims: &[usize], attributes: &[(&str, Values)], values: Values) {
        let attributes = attributes.iter().map(|(n, v)| (n.to_string(), v.clone())).collect();
        self.vars.push(Filled { name: name.into(), dims: dims.to_vec(), attributes, values });
    }

    /// The file, with 64-bit offsets.
    pub fn finish(self) -> Vec<u8> {
        let mut head = b"CDF\x02".to_vec();
        let word = |out: &mut Vec<u8>, x: usize| out.extend((x as u32).to_be_bytes());
        let text = |out: &mut Vec<u8>, s: &str| {
            word(out, s.len());
            out.extend(s.as_bytes());
            out.resize(out.len().next_multiple_of(4), 0);
        };
        let list = |out: &mut Vec<u8>, tag: usize, n: usize| {
            word(out, if n == 0 { 0 } else { tag });
            word(out, n);
        };
        let attributes = |out: &mut Vec<u8>, all: &[(String, Values)]| {
            list(out, 12, all.len());
            for (name, v) in all {
                text(out, name);
                word(out, v.code() as usize);
                word(out, v.len());
                out.extend(v.bytes());
            }
        };
        word(&mut head, 0);
        list(&mut head, 10, self.dims.len());
        for (name, length) in &self.dims {
            text(&mut head, name);
            word(&mut head, *length);
        }
        attributes(&mut head, &self.attributes);
        list(&mut head, 11, self.vars.len());
        // Offsets stand in the head, whose size they do not change: they are put in afterwards.
        let mut holes = Vec::new();
        let mut data = Vec::new();
        for Filled { name, dims, attributes: own, values } in &self.vars {
            text(&mut head, name);
            word(&mut head, dims.len());
            dims.iter().for_each(|d| word(&mut head, *d));
            attributes(&mut head, own);
            word(&mut head, values.code() as usize);
            let bytes = values.bytes();
            // Of a variable of records, of which there are none, the size of one is told, and its place is behind all others.
            let record = dims.first().is_some_and(|d| self.dims[*d].1 == 0);
            let one = if values.code() == 6 { 8 } else { 4 };
            word(&mut head, if record { one } else { bytes.len().min(u32::MAX as usize) });
            holes.push((head.len(), if record { usize::MAX } else { data.len() }));
            head.extend([0; 8]);
            data.extend(bytes);
        }
        let start = head.len();
        holes.iter_mut().filter(|h| h.1 == usize::MAX).for_each(|h| h.1 = data.len());
        for (hole, offset) in holes {
            head[hole..hole + 8].copy_from_slice(&((start + offset) as u64).to_be_bytes());
        }
        head.extend(data);
        head
    }
}

/// A variable of a file.
#[derive(Clone, Debug)]
pub struct Var {
    /// Its name.
    pub name: String,
    /// The lengths of its dimensions; of records as many as there are.
    pub shape: Vec<usize>,
    /// Its attributes of text.
    pub texts: Vec<(String, String)>,
    code: u32,
    begin: u64,
    by_record: bool,
}

/// A file's head.
#[derive(Debug)]
pub struct File<'a> {
    bytes: &'a [u8],
    /// Dimensions with their lengths.
    pub dims: Vec<(String, usize)>,
    /// Variables.
    pub vars: Vec<Var>,
}

struct Head<'a> {
    bytes: &'a [u8],
    at: usize,
    wide: bool,
}

impl Head<'_> {
    fn take(&mut self, n: usize) -> Result<&[u8], String> {
        let from = self.at;
        let end = from.checked_add(n).filter(|e| *e <= self.bytes.len());
        let end = end.ok_or_else(|| format!("the head ends at byte {from}: it is cut off"))?;
        self.at = end;
        Ok(&self.bytes[from..end])
    }

    fn word(&mut self) -> Result<u32, String> {
        let b = self.take(4)?;
        Ok(u32::from_be_bytes([b[0], b[1], b[2], b[3]]))
    }

    fn long(&mut self) -> Result<u64, String> {
        let b = self.take(8)?;
        Ok(u64::from_be_bytes([b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7]]))
    }

    fn count(&mut self) -> Result<u64, String> {
        if self.wide { self.long() } else { self.word().map(u64::from) }
    }

    fn name(&mut self) -> Result<String, String> {
        let n = self.count()?;
        let padded = usize::try_from(n).ok().filter(|n| *n <= 4096).ok_or("a name is too long")?;
        let text = String::from_utf8_lossy(self.take(padded)?).into_owned();
        self.take(padded.next_multiple_of(4) - padded)?;
        Ok(text)
    }

    fn list(&mut self) -> Result<u64, String> {
        let (_, n) = (self.word()?, self.count()?);
        if n > MOST { Err(format!("a list of {n} entries")) } else { Ok(n) }
    }

    fn texts(&mut self) -> Result<Vec<(String, String)>, String> {
        let mut out = Vec::new();
        for _ in 0..self.list()? {
            let name = self.name()?;
            let (code, n) = (self.word()?, self.count()?);
            let bytes = usize::try_from(n).ok().and_then(|n| n.checked_mul(size_of(code)?));
            let bytes = bytes.filter(|b| *b <= self.bytes.len()).ok_or("an attribute that cannot be there")?;
            let value = String::from_utf8_lossy(self.take(bytes)?).into_owned();
            self.take(bytes.next_multiple_of(4) - bytes)?;
            if code == 2 {
                out.push((name, value));
            }
        }
        Ok(out)
    }
}

fn size_of(code: u32) -> Option<usize> {
    Some(match code {
        1 | 2 | 7 => 1,
        3 | 8 => 2,
        4 | 5 | 9 => 4,
        6 | 10 | 11 => 8,
        _ => return None,
    })
}

impl<'a> File<'a> {
    /// Reads the head.
    ///
    /// # Errors
    /// A sentence.
    pub fn of(bytes: &'a [u8]) -> Result<File<'a>, String> {
        let version = bytes.get(3).copied().filter(|v| bytes.starts_with(b"CDF") && matches!(v, 1 | 2 | 5));
        let version = version.ok_or("the file does not begin as the classic form of netCDF does")?;
        let mut head = Head { bytes, at: 4, wide: version == 5 };
        let records = head.count()?;
        // Streamed files say so with all bits set: what is there is counted from their size, which nobody needs here.
        let records = if records >= u64::from(u32::MAX) { 0 } else { records as usize };
        let mut dims = Vec::new();
        let mut record_dim = None;
        for i in 0..head.list()? {
            let (name, length) = (head.name()?, head.count()?);
            if length == 0 {
                record_dim = Some(i as usize);
            }
            dims.push((name, if length == 0 { records } else { length as usize }));
        }
        head.texts()?;
        let mut vars = Vec::new();
        for _ in 0..head.list()? {
            let name = head.name()?;
            let n = head.count()?;
            let mut shape = Vec::new();
            let mut by_record = false;
            for k in 0..n {
                let d = head.count()? as usize;
                by_record |= k == 0 && record_dim == Some(d);
                shape.push(dims.get(d).ok_or("a variable names a dimension that is not there")?.1);
            }
            let texts = head.texts()?;
            let code = head.word()?;
            head.count()?;
            let begin = if version == 1 { u64::from(head.word()?) } else { head.long()? };
            vars.push(Var { name, shape, texts, code, begin, by_record });
        }
        Ok(File { bytes, dims, vars })
    }

    /// The variable of a name.
    pub fn var(&self, name: &str) -> Option<&Var> {
        self.vars.iter().find(|v| v.name == name)
    }

    /// The length of a dimension.
    pub fn dim(&self, name: &str) -> Option<usize> {
        self.dims.iter().find(|d| d.0 == name).map(|d| d.1)
    }

    /// The values of a variable as numbers; characters are their codes.
    ///
    /// # Errors
    /// A sentence, if they are not all there.
    pub fn numbers(&self, var: &Var) -> Result<Vec<f64>, String> {
        let size = size_of(var.code).ok_or_else(|| format!("{} is of a type that is not known", var.name))?;
        let count = var.shape.iter().try_fold(1_usize, |n, d| n.checked_mul(*d));
        let bytes = count.and_then(|n| n.checked_mul(size));
        let begin = usize::try_from(var.begin).ok();
        let end = begin.zip(bytes).and_then(|(b, n)| b.checked_add(n)).filter(|e| *e <= self.bytes.len());
        let (Some(begin), Some(end), false) = (begin, end, var.by_record && var.shape.first() != Some(&0)) else {
            return Err(format!("{} claims more than the file holds", var.name));
        };
        let data = &self.bytes[begin..end];
        let of = |c: &[u8]| -> f64 {
            match var.code {
                1 => f64::from(c[0] as i8),
                2 | 7 => f64::from(c[0]),
                3 => f64::from(i16::from_be_bytes([c[0], c[1]])),
                8 => f64::from(u16::from_be_bytes([c[0], c[1]])),
                4 => f64::from(i32::from_be_bytes([c[0], c[1], c[2], c[3]])),
                9 => f64::from(u32::from_be_bytes([c[0], c[1], c[2], c[3]])),
                5 => f64::from(f32::from_be_bytes([c[0], c[1], c[2], c[3]])),
                6 => f64::from_be_bytes([c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7]]),
                10 => i64::from_be_bytes([c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7]]) as f64,
                _ => u64::from_be_bytes([c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7]]) as f64,
            }
        };
        Ok(data.chunks_exact(size).map(of).collect())
    }

    /// The lines of a table of characters.
    pub fn lines(&self, name: &str) -> Vec<String> {
        let Some(var) = self.var(name).filter(|v| v.shape.len() == 2 && v.shape[1] > 0 && v.code == 2) else {
            return Vec::new();
        };
        let Ok(all) = self.numbers(var) else { return Vec::new() };
        let line = |c: &[f64]| {
            let bytes: Vec<u8> = c.iter().map(|x| *x as u8).take_while(|b| *b != 0).collect();
            String::from_utf8_lossy(&bytes).trim_end().to_string()
        };
        all.chunks(var.shape[1]).map(line).collect()
    }
}
