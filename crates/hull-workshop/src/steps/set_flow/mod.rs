//! The flow that a body is for: the first layer of cells at its walls follows from it.

use crate::Body;
use crate::body::Flow;
use crate::numbers::four_digits;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_flow::first_layer::{Asked, Fluid, air, layers, water};
use serde::{Deserialize, Serialize};

/// What flows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fluids {
    /// Fresh water at 0.1 MPa.
    Water,
    /// Dry air at 101 325 Pa.
    Air,
    /// By density and viscosity.
    Other,
}

/// Keeps a flow with the body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetFlow {
    /// What flows.
    pub fluid: Fluids,
    /// Degrees Celsius.
    pub temperature: f64,
    /// In m/s.
    pub speed: f64,
    /// Along the flow, in mm.
    pub length: f64,
    /// Of the first point.
    pub y_plus: f64,
    /// From one layer to the next.
    pub growth: f64,
    /// Of another fluid, in kg/m³.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub density: Option<f64>,
    /// Of another fluid, dynamic, in mPa s.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub viscosity: Option<f64>,
}

impl Operation for SetFlow {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "First layer at the wall";
    const HELP: &'static str = "Reynolds number, skin friction, height of the first cell for a wanted y⁺ and the layers \
                                that fill the boundary layer of a flat plate (Schlichting). Kept with the body and handed \
                                over with it.";

    fn title(&self) -> Sentence {
        format!("Flow of {} m/s, y⁺ {}", four_digits(self.speed), four_digits(self.y_plus)).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "fluid",
                "Fluid",
                Quantity::Choice(&[("water", "water"), ("air", "air"), ("other", "other")]),
                "water and dry air by temperature; other by density and viscosity",
            )
            .or("water"),
            Field::new("temperature", "at", Quantity::Number("°C", -100.0, 500.0), "its temperature").or("15"),
            Field::new("speed", "speed", Quantity::Number("m/s", 1e-6, 1e4), "of the flow past the wall").or("1"),
            Field::new("length", "length", Quantity::Length, "along the flow; the layer is the one at its end"),
            Field::new(
                "y_plus",
                "y⁺",
                Quantity::Number("", 0.01, 1000.0),
                "wanted of the first point: about 1 for resolved layers, 30 to 300 for wall functions",
            )
            .or("1"),
            Field::new("growth", "growth", Quantity::Number("", 1.0, 3.0), "of the height from one layer to the next")
                .or("1.2"),
            Field::new("density", "density", Quantity::Number("kg/m³", 1e-6, 1e5), "of another fluid").optional(),
            Field::new("viscosity", "viscosity", Quantity::Number("mPa s", 1e-6, 1e9), "dynamic, of another fluid")
                .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let length = seen.survey.size.bbox.size().into_iter().fold(0.0, f64::max);
        let of = SetFlow {
            fluid: Fluids::Water,
            temperature: 15.0,
            speed: 1.0,
            length: hull_geometry::plot::round_up(length.max(1e-9)),
            y_plus: 1.0,
            growth: 1.2,
            density: None,
            viscosity: None,
        };
        Proposal::possible(of)
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        if body.facts.scale.is_none() {
            return Err("Set the unit first: the layer's height is a real length.".into());
        }
        let outside = |low: f64, high: f64| {
            format!("Its table goes from {low} °C to {high} °C; choose “other” with density and viscosity.")
        };
        let fluid = match self.fluid {
            Fluids::Water => water(self.temperature).ok_or_else(|| outside(0.0, 100.0))?,
            Fluids::Air => air(self.temperature).ok_or_else(|| outside(-100.0, 500.0))?,
            Fluids::Other => {
                let (density, viscosity) =
                    self.density.zip(self.viscosity).ok_or("Another fluid takes a density and a viscosity.")?;
                Fluid { density, viscosity: viscosity * 1e-3 }
            }
        };
        let asked =
            Asked { fluid, speed: self.speed, length: self.length / 1000.0, y_plus: self.y_plus, growth: self.growth };
        let found = layers(&asked).ok_or("These numbers give no boundary layer.")?;
        let name = match self.fluid {
            Fluids::Water => format!("water at {} °C", four_digits(self.temperature)),
            Fluids::Air => format!("air at {} °C", four_digits(self.temperature)),
            Fluids::Other => {
                format!("a fluid of {} kg/m³ and {} Pa s", four_digits(fluid.density), four_digits(fluid.viscosity))
            }
        };
        let said = format!("{name}, {} m/s along {} m", four_digits(self.speed), four_digits(asked.length));
        let flow = Flow { said, asked, layers: found };
        let sentence = flow.told();
        body.facts.flow = Some(flow);
        Ok(sentence.into())
    }
}
