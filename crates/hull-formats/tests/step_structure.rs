//! STEP solids, wire-frames, units, assemblies, looks and facets in every spelling, from statements written by hand after
//! ISO 10303-42, -43 and -46, against closed forms. The texts of the standards are recalled from memory; the closed
//! forms are school geometry.

use crate::common::made::{BOX, INNER, MM, PLACES, RADIAN, at, context, curves, of, read, sum};
use crate::common::{close, placed_shapes};
use hull_exact::Shape;
use hull_exact::model::{Node, Part, PartId};
use hull_exact::parameter_loops::Reader;
use hull_exact::quadrature::figures;
use hull_exact::shape::FaceId;
use hull_geometry::Point;
use std::f64::consts::PI;

fn volume(mesh: &hull_geometry::Mesh) -> f64 {
    hull_geometry::measure::mass(mesh, &mesh.bounds()).volume
}

#[test]
fn solids_in_every_spelling_have_their_volume() {
    let list = BOX.list();
    let shell = format!("#101=CLOSED_SHELL('',({list}));");
    let item = "GEOMETRIC_REPRESENTATION_ITEM()";
    let voids = format!(
        "#102=ORIENTED_CLOSED_SHELL('',*,#103,.F.);#103=CLOSED_SHELL('',({}));{}",
        INNER.list(),
        INNER.edged(false)
    );
    for (name, data, volume) in [
        ("solid", format!("#100=MANIFOLD_SOLID_BREP('block',#101);{shell}{}", BOX.edged(false)), 24.0),
        ("its parts complex", format!("#100=MANIFOLD_SOLID_BREP('block',#101);{shell}{}", BOX.edged(true)), 24.0),
        (
            "complex solid",
            format!(
                "#100=({item}MANIFOLD_SOLID_BREP(#101)REPRESENTATION_ITEM('block')SOLID_MODEL());{shell}{}",
                BOX.edged(false)
            ),
            24.0,
        ),
        (
            "with a cavity",
            format!("#100=BREP_WITH_VOIDS('block',#101,(#102));{shell}{voids}{}", BOX.edged(false)),
            23.0,
        ),
        (
            "complex, with a cavity",
            format!(
                "#100=(BREP_WITH_VOIDS((#102)){item}MANIFOLD_SOLID_BREP(#101)REPRESENTATION_ITEM('block')SOLID_MODEL());\
                 {shell}{voids}{}",
                BOX.edged(false)
            ),
            23.0,
        ),
        ("faceted", format!("#100=FACETED_BREP('block',#101);{shell}{}", BOX.poly("FACE_SURFACE")), 24.0),
        ("faceted without planes", format!("#100=FACETED_BREP('block',#101);{shell}{}", BOX.poly("FACE")), 24.0),
        (
            "a faceted one with a cavity",
            format!(
                "#100=(BREP_WITH_VOIDS((#102))FACETED_BREP(){item}MANIFOLD_SOLID_BREP(#101)REPRESENTATION_ITEM('block')\
                 SOLID_MODEL());{shell}{voids}{}",
                BOX.poly("FACE_SURFACE")
            ),
            23.0,
        ),
        (
            "a closed shell of a surface model",
            format!("#100=SHELL_BASED_SURFACE_MODEL('block',(#101));{shell}{}", BOX.edged(false)),
            24.0,
        ),
        (
            "an oriented one",
            format!(
                "#100=SHELL_BASED_SURFACE_MODEL('block',(#105));#105=ORIENTED_CLOSED_SHELL('',*,#101,.T.);{shell}{}",
                BOX.edged(false)
            ),
            24.0,
        ),
    ] {
        let d = of(&data);
        let found = sum(&placed_shapes(&d));
        close(name, "volume", found.volume, volume, 1e-12);
        close(name, "area", found.area, if volume < 24.0 { 58.0 } else { 52.0 }, 1e-12);
        assert_eq!((d.skipped.as_slice(), d.faces_given_up), (&[][..], 0), "{name}");
        assert_eq!(d.model.parts[PartId(0)].shape.lumps[0].name, "block", "{name}");
        assert_eq!(d.model.parts[PartId(0)].shape.open_edges().len(), 0, "{name}");
    }
    let d = of(&format!("#100=MANIFOLD_SOLID_BREP('block',#101);{shell}{}", BOX.edged(true)));
    assert_eq!(d.model.parts[PartId(0)].shape.faces[FaceId(3)].name, "side 3");
}

#[test]
fn open_models_have_their_area_and_stay_open() {
    let all = BOX.list();
    let (five, _) = all.rsplit_once(',').expect("six faces");
    let shell = format!("#101=OPEN_SHELL('',({five}));");
    for (name, data) in [
        ("shell based", format!("#100=SHELL_BASED_SURFACE_MODEL('',(#101));{shell}")),
        (
            "turned",
            format!("#100=SHELL_BASED_SURFACE_MODEL('',(#102));#102=ORIENTED_OPEN_SHELL('',*,#101,.F.);{shell}"),
        ),
        ("face based", format!("#100=FACE_BASED_SURFACE_MODEL('',(#101));#101=CONNECTED_FACE_SET('',({five}));")),
        ("a shell itself", format!("#100=OPEN_SHELL('',({five}));")),
        (
            "faces turned in their shell",
            format!(
                "#100=SHELL_BASED_SURFACE_MODEL('',(#101));#101=OPEN_SHELL('',({}));\
                 #103=ORIENTED_FACE('',*,#1060,.F.);",
                five.replace("#1060", "#103")
            ),
        ),
    ] {
        let d = of(&format!("{data}{}", BOX.edged(false)));
        let shape = &placed_shapes(&d)[0];
        close(name, "area", figures(shape, Reader::Trusting).area, 52.0 - 12.0, 1e-12);
        assert_eq!((shape.solids().count(), shape.open_edges().len()), (0, 4), "{name}");
        assert_eq!(d.skipped, [], "{name}");
    }
}

#[test]
fn wire_frames_have_their_twelve_edges() {
    let edges = |from: usize, to: usize| (from..to).map(|e| format!("#{}", 1020 + e)).collect::<Vec<_>>().join(",");
    for (name, data) in [
        (
            "of edges",
            format!("#100=EDGE_BASED_WIREFRAME_MODEL('',(#101));#101=CONNECTED_EDGE_SET('',({}));", edges(0, 12)),
        ),
        (
            "of shells",
            "#100=SHELL_BASED_WIREFRAME_MODEL('',(#101));\
             #101=WIRE_SHELL('',(#1201,#1221,#1241,#1261,#1281,#1301));"
                .to_string(),
        ),
    ] {
        let d = of(&format!("{data}{}", BOX.edged(false)));
        let (long, ..) = curves(&d);
        assert_eq!(d.model.parts[PartId(0)].shape.wires.len(), 12, "{name}");
        close(name, "length", long, 36.0, 1e-12);
    }
}

/// A face without edges: the whole of a closed surface.
#[test]
fn a_vertex_loop_bounds_the_whole_sphere() {
    for bounds in ["(#102)", "()"] {
        let d = of(&format!(
            "#100=MANIFOLD_SOLID_BREP('',#104);#104=CLOSED_SHELL('',(#101));\
             #101=ADVANCED_FACE('',{bounds},#103,.T.);#102=FACE_BOUND('',#105,.T.);#105=VERTEX_LOOP('',#106);\
             #106=VERTEX_POINT('',#107);#107=CARTESIAN_POINT('',(0.,0.,3.));#103=SPHERICAL_SURFACE('',#10,3.);"
        ));
        let found = sum(&placed_shapes(&d));
        close(bounds, "volume", found.volume, 36.0 * PI, 1e-9);
        close(bounds, "area", found.area, 36.0 * PI, 1e-9);
    }
}

/// Units: SI with a prefix, and conversions of conversions (1 in = 25.4 mm exactly; 1 ft = 12 in).
#[test]
fn units_are_followed_to_the_metre() {
    let inch = "#910=(CONVERSION_BASED_UNIT('INCH',#911)LENGTH_UNIT()NAMED_UNIT(#912));\
        #911=LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(2.54),#913);#912=DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.);\
        #913=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.CENTI.,.METRE.));\
        #914=(LENGTH_MEASURE_WITH_UNIT()MEASURE_WITH_UNIT(LENGTH_MEASURE(12.),#910));";
    for (unit, name, millimetres) in [
        (MM, "millimetre", 1.0),
        ("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT($,.METRE.))", "metre", 1000.0),
        ("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.CENTI.,.METRE.))", "centimetre", 10.0),
        ("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MICRO.,.METRE.))", "micrometre", 0.001),
        ("(NAMED_UNIT(*)LENGTH_UNIT()SI_UNIT(.KILO.,.METRE.))", "kilometre", 1e6),
        ("(CONVERSION_BASED_UNIT('INCH',#911)LENGTH_UNIT()NAMED_UNIT(#912))", "inch", 25.4),
        ("(CONVERSION_BASED_UNIT('FOOT',#914)LENGTH_UNIT()NAMED_UNIT(#912))", "foot", 304.8),
    ] {
        let d = read(&format!(
            "{}{inch}#99=SHAPE_REPRESENTATION('',(#100),#900);#100=FACETED_BREP('',#101);#101=CLOSED_SHELL('',({}));{}",
            context(unit, RADIAN),
            BOX.list(),
            BOX.poly("FACE_SURFACE")
        ));
        let found = d.model.unit.clone().expect("a unit");
        assert_eq!((found.name.as_str(), found.millimetres), (name, millimetres));
        close(name, "volume", sum(&placed_shapes(&d)).volume, 24.0 * millimetres.powi(3), 1e-12);
    }
}

/// The uncertainty is a length in a unit of its own; one of angles beside it says nothing of lengths.
#[test]
fn the_uncertainty_is_a_length_in_its_own_unit() {
    let micro = "#920=UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(5.),#922,'distance_accuracy_value','');\
        #921=UNCERTAINTY_MEASURE_WITH_UNIT(PLANE_ANGLE_MEASURE(0.5),#902,'angle_accuracy_value','');\
        #922=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MICRO.,.METRE.));";
    let with = context(MM, RADIAN)
        .replace("GLOBAL_UNIT_ASSIGNED", "GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((#920,#921))GLOBAL_UNIT_ASSIGNED");
    let d = read(&format!(
        "{with}{micro}#99=SHAPE_REPRESENTATION('',(#100),#900);#100=FACETED_BREP('',#101);#101=CLOSED_SHELL('',({}));{}",
        BOX.list(),
        BOX.poly("FACE_SURFACE")
    ));
    close("uncertainty", "tolerance", d.model.parts[PartId(0)].shape.tolerance, 0.005, 1e-12);
}

/// Statements of a product with the number `n`, whose representation is `representation`.
fn product(n: u64, name: &str, representation: u64) -> String {
    format!(
        "#{n}=PRODUCT('{name}','{name}','',());#{}=PRODUCT_DEFINITION_FORMATION('','',#{n});\
         #{}=PRODUCT_DEFINITION('design','',#{},$);#{}=PRODUCT_DEFINITION_SHAPE('','',#{});\
         #{}=SHAPE_DEFINITION_REPRESENTATION(#{},#{representation});",
        n + 1,
        n + 2,
        n + 1,
        n + 3,
        n + 2,
        n + 4,
        n + 3
    )
}

fn centre(shape: &Shape) -> Point {
    figures(shape, Reader::Trusting).centroid
}

/// One block, placed in an assembly in every way there is: a quarter turn about z and 10 along x takes its centre (2, 2.5, 3)
/// to (10 - 2.5, 2, 3).
#[test]
fn placements_in_every_spelling_put_the_part_in_its_place() {
    let block =
        format!("#101=FACETED_BREP('',#102);#102=CLOSED_SHELL('',({}));{}", BOX.list(), BOX.poly("FACE_SURFACE"));
    let base = format!(
        "{PLACES}{}{block}#100=FACETED_BREP_SHAPE_REPRESENTATION('',(#10,#101),#900);\
         #20=CARTESIAN_POINT('',(10.,0.,0.));#21=AXIS2_PLACEMENT_3D('',#20,#3,#5);#22=DIRECTION('',(-1.,0.,0.));{}{}\
         #60=NEXT_ASSEMBLY_USAGE_OCCURRENCE('1','block:1','',#52,#42,$);#61=PRODUCT_DEFINITION_SHAPE('','',#60);",
        context(MM, RADIAN),
        product(40, "block", 100),
        product(50, "frame", 200),
    );
    let usage = "#62=CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#63,#61);";
    let item = "#64=ITEM_DEFINED_TRANSFORMATION('','',#10,#21);";
    let frame = "#200=SHAPE_REPRESENTATION('',(#10,#21),#900);";
    let of_parts = |kinds: &str, ends: &str| {
        format!(
            "#63=(REPRESENTATION_RELATIONSHIP('','',{ends})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#64){kinds});"
        )
    };
    let shape = "SHAPE_REPRESENTATION_RELATIONSHIP()";
    let operator = "CARTESIAN_TRANSFORMATION_OPERATOR_3D";
    let cases = [
        ("usage and transformation", format!("{frame}{usage}{item}{}", of_parts(shape, "#100,#200"))),
        // The assembly first, with the items in the other order as well.
        (
            "the other way round",
            format!(
                "{frame}{usage}#64=ITEM_DEFINED_TRANSFORMATION('','',#21,#10);{}",
                of_parts(shape, "#200,#100")
            ),
        ),
        (
            "simple, with its transformation",
            format!("{frame}{usage}{item}#63=REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION('','',#100,#200,#64);"),
        ),
        ("without a usage", format!("{frame}{item}{}", of_parts(shape, "#100,#200"))),
        ("without a usage, of representations", format!("{frame}{item}{}", of_parts("", "#100,#200"))),
        (
            "by an operator",
            format!("{frame}{usage}#64={operator}('','',#5,#22,#20,1.,#3);{}", of_parts(shape, "#100,#200")),
        ),
        (
            "a mapped item",
            "#200=SHAPE_REPRESENTATION('',(#10,#70),#900);#70=MAPPED_ITEM('',#71,#21);#71=REPRESENTATION_MAP(#10,#100);"
                .to_string(),
        ),
        (
            "a mapped item by an operator",
            format!(
                "#200=SHAPE_REPRESENTATION('',(#10,#70),#900);#70=MAPPED_ITEM('',#71,#72);\
                 #71=REPRESENTATION_MAP(#10,#100);#72={operator}('','',#5,$,#20,$,#3);"
            ),
        ),
        (
            "a mapped item by a complex operator",
            "#200=SHAPE_REPRESENTATION('',(#10,#70),#900);\
             #70=(GEOMETRIC_REPRESENTATION_ITEM()MAPPED_ITEM(#71,#72)REPRESENTATION_ITEM(''));\
             #71=SHAPE_REPRESENTATION_MAP(#10,#100);#72=(CARTESIAN_TRANSFORMATION_OPERATOR(#5,#22,#20,1.)\
             CARTESIAN_TRANSFORMATION_OPERATOR_3D(#3)FUNCTIONALLY_DEFINED_TRANSFORMATION('','')\
             GEOMETRIC_REPRESENTATION_ITEM()REPRESENTATION_ITEM(''));"
                .to_string(),
        ),
        (
            "a representation beside that of the product",
            format!(
                "{frame}{usage}{item}#63=(REPRESENTATION_RELATIONSHIP('','',#103,#200)\
                 REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#64){shape});#103=SHAPE_REPRESENTATION('',(#10),#900);\
                 #104=SHAPE_REPRESENTATION_RELATIONSHIP('','',#103,#100);"
            ),
        ),
        (
            "one beside it, related without saying so",
            format!(
                "{frame}{usage}{item}#63=(REPRESENTATION_RELATIONSHIP('','',#103,#200)\
                 REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#64){shape});#103=SHAPE_REPRESENTATION('',(#10),#900);\
                 #104=REPRESENTATION_RELATIONSHIP('','',#100,#103);"
            ),
        ),
    ];
    for (name, data) in cases {
        let d = read(&format!("{base}{data}"));
        let shapes = placed_shapes(&d);
        assert_eq!(shapes.len(), 1, "{name}: {:?}", d.model.nodes);
        at(name, centre(&shapes[0]), [7.5, 2.0, 3.0]);
        close(name, "volume", figures(&shapes[0], Reader::Trusting).volume, 24.0, 1e-9);
        // The name of a place stands beside that of the product.
        let has_own = data.contains("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION");
        let path = if has_own { "frame / block (block:1)" } else { "frame / block" };
        assert_eq!(d.model.occurrences().map(|(n, _)| d.model.path(n)).collect::<Vec<_>>(), [path], "{name}");
    }
}

/// A mirrored copy is a mirrored part: its centre goes to the other side and its volume stays.
#[test]
fn a_mirror_among_the_operators_is_kept() {
    let d = read(&format!(
        "{PLACES}{}#101=FACETED_BREP('',#102);#102=CLOSED_SHELL('',({}));{}\
         #100=FACETED_BREP_SHAPE_REPRESENTATION('',(#10,#101),#900);#200=SHAPE_REPRESENTATION('',(#10,#70),#900);\
         #70=MAPPED_ITEM('',#71,#72);#71=REPRESENTATION_MAP(#10,#100);#22=DIRECTION('',(0.,-1.,0.));\
         #72=CARTESIAN_TRANSFORMATION_OPERATOR_3D('','',#4,#22,#1,2.,#3);",
        context(MM, RADIAN),
        BOX.list(),
        BOX.poly("FACE_SURFACE")
    ));
    let shapes = placed_shapes(&d);
    at("mirror", centre(&shapes[0]), [4.0, -5.0, 6.0]);
    close("mirror", "volume", figures(&shapes[0], Reader::Trusting).volume, 8.0 * 24.0, 1e-9);
}

/// A part in metres, placed in an assembly in millimetres.
#[test]
fn units_of_parts_and_places_may_differ() {
    let metres = context("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT($,.METRE.))", RADIAN).replace("#90", "#80");
    let d = read(&format!(
        "{PLACES}{}{metres}#101=FACETED_BREP('',#102);#102=CLOSED_SHELL('',({}));{}\
         #100=FACETED_BREP_SHAPE_REPRESENTATION('',(#10,#101),#800);#200=SHAPE_REPRESENTATION('',(#10,#70),#900);\
         #20=CARTESIAN_POINT('',(10.,0.,0.));#21=AXIS2_PLACEMENT_3D('',#20,#3,#4);\
         #70=MAPPED_ITEM('',#71,#21);#71=REPRESENTATION_MAP(#10,#100);",
        context(MM, RADIAN),
        BOX.list(),
        BOX.poly("FACE_SURFACE")
    ));
    let shapes = placed_shapes(&d);
    at("units", centre(&shapes[0]).map(|x| x / 1000.0), [2.01, 2.5, 3.0]);
}

fn style(n: u64, rgb: &str) -> String {
    format!(
        "#{n}=PRESENTATION_STYLE_ASSIGNMENT((#{}));#{}=SURFACE_STYLE_USAGE(.BOTH.,#{});#{}=SURFACE_SIDE_STYLE('',(#{}));\
         #{}=SURFACE_STYLE_FILL_AREA(#{});#{}=FILL_AREA_STYLE('',(#{}));#{}=FILL_AREA_STYLE_COLOUR('',#{});#{}={rgb};",
        n + 1,
        n + 1,
        n + 2,
        n + 2,
        n + 3,
        n + 3,
        n + 4,
        n + 4,
        n + 5,
        n + 5,
        n + 6,
        n + 6
    )
}

/// The body's colour, a face's own over it, a pre-defined one, one that overrides another, and a layer.
#[test]
fn styles_of_bodies_and_faces_override_as_they_say() {
    let d = of(&format!(
        "#100=MANIFOLD_SOLID_BREP('',#101);#101=CLOSED_SHELL('',({}));{}{}{}{}\
         #500=STYLED_ITEM('',(#300),#100);#501=STYLED_ITEM('',(#310),#1061);\
         #502=STYLED_ITEM('',(#310),#1062);#503=OVER_RIDING_STYLED_ITEM('',(#320),#1062,#502);\
         #504=PRESENTATION_LAYER_ASSIGNMENT('inside','',(#1063));",
        BOX.list(),
        BOX.edged(false),
        style(300, "COLOUR_RGB('',1.,0.5,0.)"),
        style(310, "DRAUGHTING_PRE_DEFINED_COLOUR('blue')"),
        style(320, "COLOUR_RGB('',0.,0.,0.)"),
    ));
    let shape = &d.model.parts[PartId(0)].shape;
    assert_eq!(shape.lumps[0].colour, Some([1.0, 0.5, 0.0]));
    let colours: Vec<_> = shape.faces.iter().map(|f| f.colour).collect();
    assert_eq!(colours, [None, Some([0.0, 0.0, 1.0]), Some([0.0, 0.0, 0.0]), None, None, None]);
    assert_eq!(shape.faces[FaceId(3)].layer.as_deref(), Some("inside"));
}

/// One of two places of a part has a colour of its own.
#[test]
fn a_place_has_a_colour_of_its_own() {
    let usage = |n: u64, at: u64| {
        format!(
            "#{n}=NEXT_ASSEMBLY_USAGE_OCCURRENCE('{n}','','',#52,#42,$);#{}=PRODUCT_DEFINITION_SHAPE('','',#{n});\
             #{}=CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#{},#{});#{}=(REPRESENTATION_RELATIONSHIP('','',#100,#200)\
             REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#{})SHAPE_REPRESENTATION_RELATIONSHIP());\
             #{}=ITEM_DEFINED_TRANSFORMATION('','',#10,#{at});",
            n + 1,
            n + 2,
            n + 3,
            n + 1,
            n + 3,
            n + 4,
            n + 4
        )
    };
    for (name, over) in [
        (
            "in the context of the relation",
            "#503=CONTEXT_DEPENDENT_OVER_RIDING_STYLED_ITEM('',(#310),#101,#502,(#610));",
        ),
        ("in the context of the usage", "#503=CONTEXT_DEPENDENT_OVER_RIDING_STYLED_ITEM('',(#310),#101,#502,(#612));"),
    ] {
        let d = read(&format!(
            "{PLACES}{}#101=FACETED_BREP('',#102);#102=CLOSED_SHELL('',({}));{}{}{}\
             #100=FACETED_BREP_SHAPE_REPRESENTATION('',(#10,#101),#900);#200=SHAPE_REPRESENTATION('',(#10,#12),#900);{}{}{}{}\
             #502=STYLED_ITEM('',(#300),#101);{over}",
            context(MM, RADIAN),
            BOX.list(),
            BOX.poly("FACE_SURFACE"),
            product(40, "block", 100),
            product(50, "frame", 200),
            usage(600, 10),
            usage(610, 12),
            style(300, "COLOUR_RGB('',1.,0.,0.)"),
            style(310, "COLOUR_RGB('',0.,1.,0.)"),
        ));
        let body = |p: &Part| p.shape.lumps[0].colour;
        let seen = |(n, p): (&Node, &Part)| (n.placement.frame.origin[0], body(p).or(n.colour));
        let mut places: Vec<_> = d.model.occurrences().map(seen).collect();
        places.sort_by(|a, b| a.0.total_cmp(&b.0));
        assert_eq!(places, [(0.0, Some([1.0, 0.0, 0.0])), (5.0, Some([0.0, 1.0, 0.0]))], "{name}");
    }
}

/// A tetrahedron in every tessellated form of AP242, with and without indices of its own.
#[test]
fn tessellated_forms_are_the_same_tetrahedron() {
    let all = "#110=COORDINATES_LIST('',5,((9.,9.,9.),(0.,0.,0.),(1.,0.,0.),(0.,1.,0.),(0.,0.,1.)));";
    for (name, items) in [
        ("faces", "#101=TRIANGULATED_FACE('',#110,5,(),$,(),((2,4,3),(2,3,5),(3,4,5),(4,2,5)));"),
        ("faces with indices", "#101=TRIANGULATED_FACE('',#110,4,(),$,(2,3,4,5),((1,3,2),(1,2,4),(2,3,4),(3,1,4)));"),
        ("strips", "#101=COMPLEX_TRIANGULATED_FACE('',#110,5,(),$,(),((2,3,5,4),(5,4,2,3)),());"),
        ("fans", "#101=COMPLEX_TRIANGULATED_FACE('',#110,5,(),$,(),(),((2,3,5,4,3),(3,4,5)));"),
    ] {
        for whole in ["#100=TESSELLATED_SOLID('block',(#101),$);", "#100=TESSELLATED_SHELL('block',(#101),$);"] {
            let d = of(&format!("{whole}{items}{all}"));
            let part = &d.model.parts[PartId(0)];
            assert_eq!((part.tessellated.len(), part.tessellated[0].mesh.triangles.len()), (1, 4), "{name}");
            close(name, "volume", volume(&part.tessellated[0].mesh), 1.0 / 6.0, 1e-12);
            assert_eq!(part.tessellated[0].name, "block");
        }
    }
    let sets = [
        "#100=TESSELLATED_GEOMETRIC_SET('block',(#101));\
         #101=TRIANGULATED_SURFACE_SET('',#110,5,(),(),((2,4,3),(2,3,5),(3,4,5),(4,2,5)));",
        "#100=TESSELLATED_GEOMETRIC_SET('block',(#101));\
         #101=COMPLEX_TRIANGULATED_SURFACE_SET('',#110,5,(),(),((2,3,5,4),(5,4,2,3)),());",
    ];
    for set in sets {
        let d = of(&format!("{set}{all}"));
        close(set, "volume", volume(&d.model.parts[PartId(0)].tessellated[0].mesh), 1.0 / 6.0, 1e-12);
    }
}

/// Writers say what properties and annotations are of in representations that have items of the shape once more. A file of
/// another system gets such statements, in the three ways that are usual; it stays what it was.
#[test]
fn what_is_said_of_a_shape_is_no_geometry_of_its_own() {
    use hull_formats::step;
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/reference/step/pump-bed-assembly-ap214-mm.step");
    let text = std::fs::read_to_string(path).unwrap();
    let read = |text: &str| step::read("bed.step", text.as_bytes(), &hull_geometry::Watch::default()).unwrap();
    let numbers = |kind: &str| -> Vec<u64> {
        let stated = text.lines().filter_map(|l| l.split_once(&format!(" = {kind}(")));
        stated.filter_map(|(id, _)| id.trim().strip_prefix('#')?.parse().ok()).collect()
    };
    let (solids, faces, shapes) =
        (numbers("MANIFOLD_SOLID_BREP"), numbers("ADVANCED_FACE"), numbers("PRODUCT_DEFINITION_SHAPE"));
    let context = text.lines().find(|l| l.contains("GEOMETRIC_REPRESENTATION_CONTEXT(3)")).unwrap();
    let context = context.split(' ').next().unwrap();
    assert!(solids.len() > 1 && !faces.is_empty() && !shapes.is_empty());
    let mut aspects = String::new();
    for (i, solid) in solids.iter().enumerate() {
        let n = 900_000 + 10 * i as u64;
        aspects += &format!(
            "#{n}=SHAPE_ASPECT('','',#{},.F.);\n#{}=PROPERTY_DEFINITION('shape with properties','',#{n});\n\
             #{}=SHAPE_REPRESENTATION('',(#{solid}),{context});\n#{}=SHAPE_DEFINITION_REPRESENTATION(#{},#{});\n",
            shapes[0],
            n + 1,
            n + 2,
            n + 3,
            n + 1,
            n + 2
        );
    }
    let definition = format!(
        "#910001=PROPERTY_DEFINITION('geometric validation property','',#{});\n\
         #910002=SHAPE_REPRESENTATION('',(#{}),{context});\n#910003=PROPERTY_DEFINITION_REPRESENTATION(#910001,#910002);\n",
        shapes[0], solids[0]
    );
    let annotation = format!("#920001=SHAPE_REPRESENTATION('',(#{},#{}),{context});\n", solids[1], solids[0]);
    let plain = read(&text);
    let figures_of = |d: &hull_formats::Design| d.model.figures(Reader::Trusting);
    for (how, said) in [("aspects", aspects), ("a definition", definition), ("an annotation", annotation)] {
        let at = text.rfind("ENDSEC;").unwrap();
        let told = read(&format!("{}{said}{}", &text[..at], &text[at..]));
        assert_eq!(told.model.nodes, plain.model.nodes, "{how}");
        assert_eq!(told.model.parts.len(), plain.model.parts.len(), "{how}");
        assert_eq!(figures_of(&told), figures_of(&plain), "{how}");
    }
}
