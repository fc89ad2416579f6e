//! Colours and layers as records (ISO 10303-46).

use super::lines::{Lines, refs, text};
use crate::text::real;
use hull_exact::shape::Colour;
use std::collections::BTreeMap;

/// Colours and layers gathered while items are written.
#[derive(Default)]
pub struct Looks {
    styles: BTreeMap<[u32; 3], usize>,
    styled: Vec<usize>,
    layers: BTreeMap<String, Vec<usize>>,
}

impl Looks {
    /// Gives an item a colour.
    pub fn colour(&mut self, lines: &mut Lines, item: usize, colour: Colour) {
        let style = self.style(lines, colour);
        self.add(lines, format_args!("STYLED_ITEM('',(#{style}),#{item})"));
    }

    /// Gives an item no colour of its own, for single places of it to have one instead.
    pub fn plain(&mut self, lines: &mut Lines, item: usize) -> usize {
        let none = lines.add("PRESENTATION_STYLE_ASSIGNMENT((NULL_STYLE(.NULL.)))");
        self.add(lines, format_args!("STYLED_ITEM('',(#{none}),#{item})"))
    }

    /// Gives an item another colour than `styled` does, in one place only.
    pub fn colour_in_place(&mut self, lines: &mut Lines, (item, styled): (usize, usize), place: usize, colour: Colour) {
        let style = self.style(lines, colour);
        let kind = "CONTEXT_DEPENDENT_OVER_RIDING_STYLED_ITEM";
        self.add(lines, format_args!("{kind}('',(#{style}),#{item},#{styled},(#{place}))"));
    }

    fn style(&mut self, lines: &mut Lines, colour: Colour) -> usize {
        *self.styles.entry(colour.map(f32::to_bits)).or_insert_with(|| style(lines, colour))
    }

    fn add(&mut self, lines: &mut Lines, record: std::fmt::Arguments) -> usize {
        let id = lines.add(record);
        self.styled.push(id);
        id
    }

    pub fn layer(&mut self, item: usize, layer: &str) {
        self.layers.entry(layer.to_string()).or_default().push(item);
    }

    /// The records that gather what was given.
    pub fn finish(&self, lines: &mut Lines, context: usize) {
        if !self.styled.is_empty() {
            let items = refs(self.styled.iter().copied());
            lines.add(format_args!("MECHANICAL_DESIGN_GEOMETRIC_PRESENTATION_REPRESENTATION('',{items},#{context})"));
        }
        for (name, items) in &self.layers {
            let items = refs(items.iter().copied());
            lines.add(format_args!("PRESENTATION_LAYER_ASSIGNMENT({},'',{items})", text(name)));
        }
    }
}

fn style(lines: &mut Lines, colour: Colour) -> usize {
    // Six figures hold what single precision has.
    let [r, g, b] = colour.map(|c| real(f64::from((c * 1e6).round()) / 1e6));
    let rgb = lines.add(format_args!("COLOUR_RGB('',{r},{g},{b})"));
    let fill_colour = lines.add(format_args!("FILL_AREA_STYLE_COLOUR('',#{rgb})"));
    let fill = lines.add(format_args!("FILL_AREA_STYLE('',(#{fill_colour}))"));
    let area = lines.add(format_args!("SURFACE_STYLE_FILL_AREA(#{fill})"));
    let side = lines.add(format_args!("SURFACE_SIDE_STYLE('',(#{area}))"));
    let usage = lines.add(format_args!("SURFACE_STYLE_USAGE(.BOTH.,#{side})"));
    lines.add(format_args!("PRESENTATION_STYLE_ASSIGNMENT((#{usage}))"))
}
