//! What finenesses would make of a body, counted before one is chosen.

pub use crate::exact_facts::Choice;
use crate::exact_facts::{Exact, in_file_unit};
use hull_exact::assembly::usual_fineness;
use hull_exact::fineness::Fineness;
use hull_exact::parameter_loops::Reader;
use hull_geometry::{Cancelled, Watch};

/// Above this many faces the choices are told from the middle one alone, and there are no curves.
const FACES_FOR_CHOICES: usize = 3000;
const FACES_FOR_CURVES: usize = 600;
/// Beyond so many facets the next finer choice is told from the one before.
const FACETS_FOR_CHOICES: usize = 60_000;
/// A curve ends where a count passes this.
const FACETS_FOR_CURVES: usize = 40_000;

/// Counts the facets of finenesses for a body whose facets are `facets` at fineness `now`.
pub struct Counter<'a> {
    /// What facets are made of.
    pub exact: &'a Exact,
    /// How bounds are read.
    pub reader: Reader,
    /// The fineness of the facets as they are.
    pub now: Fineness,
    /// How many they are.
    pub facets: usize,
    /// Progress and cancelling.
    pub watch: &'a Watch,
}

impl Counter<'_> {
    fn faces(&self) -> usize {
        self.exact.model.parts.iter().map(|p| p.shape.faces.len()).sum()
    }

    fn usual(&self) -> Fineness {
        let size = self.exact.model.rough_bounds().diagonal() * self.exact.placed.scale;
        Fineness { even: self.now.even, ..usual_fineness(size) }
    }

    fn count(&self, fineness: &Fineness) -> Result<usize, Cancelled> {
        if *fineness == self.now {
            return Ok(self.facets);
        }
        self.watch.report(0.6, "counting facets of other finenesses")?;
        let asked = in_file_unit(fineness, self.exact.placed.scale);
        self.exact.model.count_facets(&asked, self.reader, self.watch)
    }

    /// Coarse, medium and fine, each with the facets it makes.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn choices(&self) -> Result<Vec<Choice>, Cancelled> {
        let medium = self.usual();
        let steps = [("coarse", 5.0, 20.0), ("medium", 1.0, 10.0), ("fine", 0.2, 5.0), ("very fine", 0.05, 2.5)];
        let mut out: Vec<Choice> = Vec::new();
        for (name, factor, angle) in steps {
            let fineness = Fineness { deviation: medium.deviation * factor, angle, ..medium };
            let many = angle < 5.0 && out.last().is_some_and(|c| c.facets > FACETS_FOR_CHOICES);
            let facets = match self.faces() <= FACES_FOR_CHOICES && !many {
                true => self.count(&fineness)?,
                // Halving the angle about doubles the facets of each bend, both ways.
                false => {
                    let known = out
                        .last()
                        .filter(|_| many)
                        .map_or((self.facets, self.now.angle), |c| (c.facets, c.fineness.angle));
                    (known.0 as f64 * (known.1 / angle).powi(2)) as usize
                }
            };
            out.push(Choice { name: name.into(), fineness, facets });
        }
        Ok(out)
    }

    /// Facets against the angle, the deviation left so wide that it does not matter.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn by_angle(&self) -> Result<Vec<Choice>, Cancelled> {
        let medium = self.usual();
        let wide = medium.deviation * 20.0;
        self.curve([30.0, 20.0, 15.0, 10.0, 7.0, 5.0, 3.5, 2.5].map(|angle| Fineness {
            deviation: wide,
            angle,
            // Else a bend within the wide deviation would not be turned at all.
            smallest: Some(medium.deviation),
            ..medium
        }))
    }

    /// Facets against the deviation, the angle left so wide that it does not matter.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn by_deviation(&self) -> Result<Vec<Choice>, Cancelled> {
        let medium = self.usual();
        self.curve([10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05].map(|factor| Fineness {
            deviation: medium.deviation * factor,
            angle: 45.0,
            ..medium
        }))
    }

    fn curve(&self, finenesses: [Fineness; 8]) -> Result<Vec<Choice>, Cancelled> {
        let mut out: Vec<Choice> = Vec::new();
        if self.faces() > FACES_FOR_CURVES {
            return Ok(out);
        }
        for fineness in finenesses {
            if out.last().is_some_and(|c| c.facets > FACETS_FOR_CURVES) {
                break;
            }
            let facets = self.count(&fineness)?;
            out.push(Choice { name: String::new(), fineness, facets });
        }
        Ok(out)
    }
}
