//! Gives members a section and a material.

use crate::Body;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_frames::{Frame, Material, Member, Role, Section};
use hull_geometry::Point;
use hull_geometry::vector::{add, dot, norm, scale, sub};
use serde::{Deserialize, Serialize};

/// Gives members a section and a material.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetSection {
    /// The layer whose members get it; empty: all.
    #[serde(default)]
    pub layer: String,
    /// “RHS 120x80x6”, “IPE 200”.
    pub section: String,
    /// “S355”.
    pub material: String,
    /// Degrees about the member, from “web vertical”.
    pub turn: f64,
    /// A place that the section's z looks to, instead of “web vertical”.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub towards: Vec<Point>,
}

impl Operation for SetSection {
    const NEEDS: Kinds = Kinds::Members;
    const TOUCHES: Touches = Touches::Members;
    const VERB: &'static str = "Set section";
    const HELP: &'static str = "Gives the members of a layer, or all, a section and a material. Sections: CHS 60.3x4, SHS 80x5, RHS 120x80x6, ROUND 20, FLAT 100x10, TIMBER 200x80, U 100x50x5x8, L 60x60x6, T 80x60x6x8, IPE, HEA and HEB with a size, or OUTLINE 0,0 60,0 60,40 0,40 with the corners of one's own.";

    fn title(&self) -> Sentence {
        format!("{} of {} for {}", self.section, self.material, said(&self.layer)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("layer", "Layer or members", Quantity::Text(0, 2000), WHICH).or("").optional(),
            Field::new("section", "section", Quantity::Text(1, 2000), "as in RHS 120x80x6 or IPE 200, in mm")
                .or("RHS 100x50x5"),
            Field::new(
                "material",
                "of",
                Quantity::Text(1, 40),
                "S235, S275, S355, 1.4404, EN AW-6082-T6, EN AW-5083-H111, C24 or GL24h",
            )
            .or("S235"),
            Field::new("turn", "turned by", Quantity::Angle(0.0, 360.0), "about the member, from web vertical").or("0"),
            Field::new(
                "towards",
                "z towards",
                Quantity::Places,
                "a place that the section's z looks to, instead of web vertical; the turn is from there",
            )
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let unmade = seen.survey.frame.figures.unmade;
        let step = SetSection {
            layer: String::new(),
            section: "RHS 100x50x5".into(),
            material: "S235".into(),
            turn: 0.0,
            towards: Vec::new(),
        };
        match unmade {
            0 => Proposal::possible(step),
            n => Proposal::because(step, format!("{} without a section.", crate::numbers::counted(n, "member"))),
        }
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let section = Section::named(&self.section)?;
        let names = || Material::names().collect::<Vec<_>>().join(", ");
        let material = Material::named(&self.material);
        let material = material
            .ok_or_else(|| format!("“{}” is no material that is known: there are {}.", self.material, names()))?;
        let frame = body.frame_mut().ok_or("The body has no members.")?;
        let wanted = members_of(frame, &self.layer)?;
        let turns: Vec<f64> = match self.towards.as_slice() {
            [] => vec![self.turn; wanted.len()],
            [place] => {
                wanted.iter().map(|m| Ok(self.turn + turned_to(frame, *m, *place)?)).collect::<Result<_, String>>()?
            }
            more => return Err(format!("A section looks to one place, not to {}.", more.len()).into()),
        };
        let (section, material) = (frame.take_section(section), frame.take_material(material));
        for (m, turn) in wanted.iter().zip(turns) {
            let member = &mut frame.members[*m];
            (member.section, member.material, member.turn) = (Some(section), Some(material), turn);
        }
        Ok(format!("{} of {}.", crate::numbers::counted(wanted.len(), "member"), frame.sections[section as usize].name)
            .into())
    }
}

/// The turn with which a member's z looks to a place.
fn turned_to(frame: &Frame, number: usize, place: Point) -> Result<f64, String> {
    let member = &frame.members[number];
    let upright = Member { turn: 0.0, ..member.clone() };
    let [_, y, z] = frame.axes(&upright);
    let [a, b] = frame.places(member);
    let way = sub(place, scale(add(a, b), 0.5));
    let (along_y, along_z) = (dot(way, y), dot(way, z));
    if along_y.hypot(along_z) <= 1e-9 * (1.0 + norm(way)) {
        return Err(format!("The place lies on the line of member {}: it says no direction.", number + 1));
    }
    // Turned by an angle, z is z cos − y sin.
    Ok((-along_y).atan2(along_z).to_degrees())
}

/// What a field for members says.
pub(crate) const WHICH: &str = "a layer by its name, members by number as in #3, 7-12, by what they are as in kind:column (beam, purlin, brace), those of a set as in set:tower, or nothing for all";

/// The members of a layer, those with numbers as in “#3, 7-12”, or all where nothing is said.
pub(crate) fn members_of(frame: &Frame, layer: &str) -> Result<Vec<usize>, String> {
    if layer.is_empty() {
        return Ok((0..frame.members.len()).collect());
    }
    if let Some(numbers) = layer.strip_prefix('#').filter(|_| !frame.layers.iter().any(|l| l == layer)) {
        return by_number(numbers, frame.members.len());
    }
    let number = frame.layers.iter().position(|l| l == layer);
    if let (None, Some(name)) = (number, layer.strip_prefix("set:")) {
        let set = set_called(frame, name.trim())?;
        let own = (0..frame.members.len()).filter(|m| frame.members[*m].sets.contains(&set)).collect::<Vec<_>>();
        return if own.is_empty() { Err(format!("No member is in the set “{}”.", name.trim())) } else { Ok(own) };
    }
    if let (None, Some(kind)) = (number, layer.strip_prefix("kind:")) {
        let role: Role = kind.trim().parse()?;
        let all = hull_frames::role::roles(frame).into_iter().enumerate();
        let own: Vec<usize> = all.filter(|(_, r)| *r == role).map(|(m, _)| m).collect();
        return if own.is_empty() { Err(format!("No member is a {}.", role.name())) } else { Ok(own) };
    }
    let number =
        number.ok_or_else(|| format!("There is no layer “{layer}”: there are {}.", frame.layers.join(", ")))?;
    Ok((0..frame.members.len()).filter(|m| frame.members[*m].layer == number as u32).collect())
}

/// The number of the set of a name.
pub(crate) fn set_called(frame: &Frame, name: &str) -> Result<u32, String> {
    frame.set_called(name).ok_or_else(|| match frame.sets.len() {
        0 => format!("There is no set “{name}”: no set was named yet."),
        _ => format!("There is no set “{name}”: there are {}.", frame.sets.join(", ")),
    })
}

/// “3, 7-12” as places in the list of so many, each once, rising.
fn by_number(typed: &str, count: usize) -> Result<Vec<usize>, String> {
    let mut all = std::collections::BTreeSet::new();
    for part in typed.split(',').map(str::trim).filter(|p| !p.is_empty()) {
        let (from, to) = part.split_once('-').unwrap_or((part, part));
        let number = |text: &str| {
            let n: Option<usize> = text.trim().trim_start_matches('#').parse().ok();
            n.filter(|n| (1..=count).contains(n))
                .ok_or_else(|| format!("“{part}” are no numbers of members: there are 1 to {count}."))
        };
        all.extend(number(from)? - 1..number(to)?);
    }
    if all.is_empty() { Err("No member is told.".into()) } else { Ok(all.into_iter().collect()) }
}

/// Members as they are said.
pub(crate) fn said(layer: &str) -> String {
    if layer.starts_with('#') {
        return format!("members {}", layer.trim_start_matches('#'));
    }
    if let Some(kind) = layer.strip_prefix("kind:") {
        return format!("every {}", kind.trim().trim_end_matches('s'));
    }
    if let Some(name) = layer.strip_prefix("set:") {
        return format!("set “{}”", name.trim());
    }
    if layer.is_empty() { "all members".into() } else { format!("layer “{layer}”") }
}
