//! Units, products and assemblies as records (ISO 10303-41, 10303-43, 10303-44).

use super::Schema;
use super::geometry::placement;
use super::lines::{Lines, refs, text};
use crate::text::real;
use hull_exact::{Frame, Motion};
use hull_geometry::Unit;

/// Records that every product of a file refers to.
pub struct Common {
    /// Geometric context with its units and uncertainty.
    pub context: usize,
    origin: usize,
    product_context: usize,
    definition_context: usize,
    schema: Schema,
    products: Vec<usize>,
}

/// One product: its definition and the representation of its shape.
#[derive(Clone, Copy)]
pub struct Product {
    definition: usize,
    representation: usize,
}

impl Common {
    pub fn new(lines: &mut Lines, schema: Schema, unit: Unit, uncertainty: f64) -> Common {
        let (title, protocol, year) = match schema {
            Schema::Ap203 => (
                "configuration controlled 3D designs of mechanical parts and assemblies",
                "config_control_design",
                1994,
            ),
            Schema::Ap214 => ("core data for automotive mechanical design processes", "automotive_design", 2000),
            Schema::Ap242 => ("managed model based 3d engineering", "ap242_managed_model_based_3d_engineering", 2014),
        };
        let application = lines.add(format_args!("APPLICATION_CONTEXT('{title}')"));
        lines.add(format_args!(
            "APPLICATION_PROTOCOL_DEFINITION('international standard','{protocol}',{year},#{application})"
        ));
        let (product, definition) = match schema {
            Schema::Ap203 => ("MECHANICAL_CONTEXT", "DESIGN_CONTEXT"),
            _ => ("PRODUCT_CONTEXT", "PRODUCT_DEFINITION_CONTEXT"),
        };
        let product_context = lines.add(format_args!("{product}('',#{application},'mechanical')"));
        let definition_context = lines.add(format_args!("{definition}('part definition',#{application},'design')"));
        let length = length_unit(lines, unit);
        let angle = lines.add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))");
        let solid = lines.add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())");
        let within = lines.add(format_args!(
            "UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE({}),#{length},'distance_accuracy_value','points closer than \
             this are one')",
            real(uncertainty)
        ));
        let context = lines.add(format_args!(
            "(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((#{within}))\
             GLOBAL_UNIT_ASSIGNED_CONTEXT((#{length},#{angle},#{solid}))REPRESENTATION_CONTEXT('',''))"
        ));
        let origin = placement(lines, &Frame::WORLD);
        Common { context, origin, product_context, definition_context, schema, products: Vec::new() }
    }

    /// A product whose shape is `items`, in a representation of that kind.
    pub fn product(&mut self, lines: &mut Lines, name: &str, kind: &str, items: &[usize]) -> Product {
        let definition = self.definition(lines, name);
        let items = refs(std::iter::once(self.origin).chain(items.iter().copied()));
        let representation = lines.add(format_args!("{kind}({},{items},#{})", text(name), self.context));
        self.shape(lines, definition, representation)
    }

    /// A product of another name with the shape of a first one.
    pub fn namesake(&mut self, lines: &mut Lines, name: &str, first: Product) -> Product {
        let definition = self.definition(lines, name);
        self.shape(lines, definition, first.representation)
    }

    fn shape(&self, lines: &mut Lines, definition: usize, representation: usize) -> Product {
        let shape = lines.add(format_args!("PRODUCT_DEFINITION_SHAPE('','',#{definition})"));
        lines.add(format_args!("SHAPE_DEFINITION_REPRESENTATION(#{shape},#{representation})"));
        Product { definition, representation }
    }

    fn definition(&mut self, lines: &mut Lines, name: &str) -> usize {
        let number = self.products.len() + 1;
        let product = lines.add(format_args!("PRODUCT('{number}',{},'',(#{}))", text(name), self.product_context));
        self.products.push(product);
        let formation = match self.schema {
            Schema::Ap203 => lines
                .add(format_args!("PRODUCT_DEFINITION_FORMATION_WITH_SPECIFIED_SOURCE('1','',#{product},.NOT_KNOWN.)")),
            _ => lines.add(format_args!("PRODUCT_DEFINITION_FORMATION('1','',#{product})")),
        };
        lines.add(format_args!("PRODUCT_DEFINITION('design','',#{formation},#{})", self.definition_context))
    }

    /// Puts `child` into `parent`; the record of that place.
    pub fn occurrence(
        &self,
        lines: &mut Lines,
        number: usize,
        name: &str,
        parent: Product,
        child: Product,
        at: &Motion,
    ) -> usize {
        let target = placement(lines, &at.frame);
        let operator = lines.add(format_args!("ITEM_DEFINED_TRANSFORMATION('','',#{},#{target})", self.origin));
        let relation = lines.add(format_args!(
            "(REPRESENTATION_RELATIONSHIP('','',#{},#{})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#{operator})\
             SHAPE_REPRESENTATION_RELATIONSHIP())",
            child.representation, parent.representation
        ));
        let usage = lines.add(format_args!(
            "NEXT_ASSEMBLY_USAGE_OCCURRENCE('{number}',{},'',#{},#{},$)",
            text(name),
            parent.definition,
            child.definition
        ));
        let shape = lines.add(format_args!("PRODUCT_DEFINITION_SHAPE('','',#{usage})"));
        lines.add(format_args!("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#{relation},#{shape})"))
    }

    /// What ends the list of products.
    pub fn finish(&self, lines: &mut Lines) {
        lines.add(format_args!("PRODUCT_RELATED_PRODUCT_CATEGORY('part',$,{})", refs(self.products.iter().copied())));
    }
}

fn length_unit(lines: &mut Lines, unit: Unit) -> usize {
    let si = |prefix: &str| format!("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT({prefix},.METRE.))");
    match unit {
        Unit::Mm => lines.add(si(".MILLI.")),
        Unit::Cm => lines.add(si(".CENTI.")),
        Unit::M => lines.add(si("$")),
        Unit::In | Unit::Ft => {
            let millimetre = lines.add(si(".MILLI."));
            let dimensions = lines.add("DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.)");
            let size = real(unit.millimetres());
            let measure = lines.add(format_args!("LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE({size}),#{millimetre})"));
            let name = unit.name().to_uppercase();
            lines
                .add(format_args!("(CONVERSION_BASED_UNIT('{name}',#{measure})LENGTH_UNIT()NAMED_UNIT(#{dimensions}))"))
        }
    }
}
