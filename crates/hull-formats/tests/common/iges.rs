//! IGES files of entities written by hand.

/// An entity: its directory fields and its parameters behind the type number.
#[derive(Clone)]
pub struct Made {
    kind: u32,
    data: String,
    form: u32,
    matrix: usize,
    level: u32,
    colour: i64,
    dependent: bool,
}

/// An independent entity of form 0.
pub fn e(kind: u32, data: &str) -> Made {
    Made { kind, data: data.into(), form: 0, matrix: 0, level: 0, colour: 0, dependent: false }
}

impl Made {
    pub fn form(self, form: u32) -> Made {
        Made { form, ..self }
    }

    pub fn matrix(self, matrix: usize) -> Made {
        Made { matrix, ..self }
    }

    pub fn level(self, level: u32) -> Made {
        Made { level, ..self }
    }

    pub fn colour(self, colour: i64) -> Made {
        Made { colour, ..self }
    }

    /// Physically part of another entity.
    pub fn part(self) -> Made {
        Made { dependent: true, ..self }
    }
}

/// A file of these entities; entity `i` stands at `2 i + 1` of the directory.
pub fn iges_file(unit: &str, flag: u32, scale: f64, entities: &[Made]) -> Vec<u8> {
    let global = format!(",,1Ha,1Ha,1Ha,1Ha,32,38,6,308,15,1Ha,{scale:?},{flag},{unit},1,0.,1Ha,1E-6,9.,,,11,0,1Ha;");
    let mut out = format!("{:72}S      1\n", "");
    for (i, line) in global.as_bytes().chunks(72).enumerate() {
        out += &format!("{:72}G{:7}\n", String::from_utf8_lossy(line), i + 1);
    }
    let (mut parameters, mut lines) = (String::new(), 0);
    for (i, m) in entities.iter().enumerate() {
        let d = 2 * i + 1;
        let text = format!("{},{};", m.kind, m.data);
        let rows: Vec<_> = text.as_bytes().chunks(64).collect();
        let status = if m.dependent { "00010000" } else { "00000000" };
        out += &format!(
            "{:8}{:8}{:8}{:8}{:8}{:8}{:8}{:8}{status}D{d:7}\n",
            m.kind,
            lines + 1,
            0,
            0,
            m.level,
            0,
            m.matrix,
            0
        );
        out += &format!("{:8}{:8}{:8}{:8}{:8}{:32}D{:7}\n", m.kind, 0, m.colour, rows.len(), m.form, "", d + 1);
        for row in rows {
            lines += 1;
            parameters += &format!("{:64}{d:8}P{lines:7}\n", String::from_utf8_lossy(row));
        }
    }
    out += &parameters;
    out += &format!("S      1G{:7}D{:7}P{lines:7}{:40}T      1\n", global.len().div_ceil(72), 2 * entities.len(), "");
    out.into_bytes()
}
