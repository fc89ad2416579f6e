//! Points without facets from file to handover: read, measured, sized, turned, moved, cropped, written.

use hull_formats::{Content, ply, xyz};
use hull_geometry::cloud::Cloud;
use hull_geometry::dirt::Dice;
use hull_geometry::splats::Splat;
use hull_geometry::transform::Axis;
use hull_geometry::{Point, Unit, Watch};
use hull_workshop::handover::{Form, hand_over};
use hull_workshop::prepare::prepare;
use hull_workshop::steps::crop_ball::CropBall;
use hull_workshop::steps::crop_outline::CropOutline;
use hull_workshop::steps::crop_plane::CropPlane;
use hull_workshop::steps::crop_points::CropPoints;
use hull_workshop::steps::drop_outliers::DropOutliers;
use hull_workshop::steps::level_floor::LevelFloor;
use hull_workshop::steps::orient::Orient;
use hull_workshop::steps::place::{Anchor, Place};
use hull_workshop::steps::points_of_splats::PointsOfSplats;
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::steps::stitch::Stitch;
use hull_workshop::steps::surface_of_points::SurfaceOfPoints;
use hull_workshop::steps::{Step, StepError};
use hull_workshop::survey::points::Neighbours;
use hull_workshop::survey::survey;
use hull_workshop::{Body, Destination, Sheet, Verdict, apply};
use proptest::prelude::*;

/// A lattice of points `step` apart, `n` each way, with a colour and a direction of their own.
fn lattice(n: usize, step: f64) -> Cloud {
    let mut cloud = Cloud::default();
    for i in 0..n * n * n {
        let at = [i % n, i / n % n, i / (n * n)];
        cloud.points.push(at.map(|k| k as f64 * step));
        cloud.colours.push(at.map(|k| (k * 40) as u8));
        cloud.normals.push([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]][i % 3]);
    }
    cloud
}

fn body(cloud: &Cloud) -> Body {
    match hull_formats::open("wall.ply", &ply::write_points(cloud, false), &Watch::default()).unwrap() {
        Content::Points(received) => Body::from_points("wall.ply", received),
        other => panic!("{other:?}"),
    }
}

fn after(body: &Body, steps: &[Step]) -> Body {
    let destination = Destination::named("points").unwrap();
    steps.iter().fold(body.clone(), |b, s| apply(&b, s, &destination, &Watch::default()).unwrap().0)
}

#[test]
fn a_cloud_is_measured_by_its_spacing_and_held_against_what_points_are_asked_for() {
    let body = body(&lattice(5, 0.25));
    let (found, _) = survey(&body, &Watch::default()).unwrap();
    let p = &found.points;
    assert_eq!((p.points, p.coloured, p.facing, p.spacing), (125, true, true, Some(0.25)));
    assert_eq!((found.size.bbox.min, found.size.bbox.max), ([0.0; 3], [1.0; 3]));
    let sized =
        after(&body, &[SetUnit { unit: Unit::M }.into(), Orient { up: Axis::PlusZ, forward: Axis::PlusX }.into()]);
    let (found, _) = survey(&sized, &Watch::default()).unwrap();
    assert_eq!(found.points.spacing, Some(250.0));
    let sheet = Sheet::of(&sized.facts, &found, &Destination::named("points").unwrap());
    assert!(sheet.is_ready(), "{}", sheet.summary());
    // What asks for a surface is not met by points.
    let fluid = Sheet::of(&sized.facts, &found, &Destination::named("fluid").unwrap());
    let row = fluid.rows.iter().find(|r| r.id == "closed").unwrap();
    assert_eq!((row.verdict, row.measured.as_str()), (Verdict::Pending, "no faces"));
}

#[test]
fn steps_move_turn_and_crop_points_with_what_is_said_of_them_and_refuse_a_surface() {
    let cloud = lattice(4, 1.0);
    let turned = after(&body(&cloud), &[Orient { up: Axis::PlusX, forward: Axis::PlusY }.into()]);
    let now = turned.cloud().unwrap();
    for (i, p) in cloud.points.iter().enumerate() {
        // The file's x is up, its y forward: what is left is its z, aside.
        assert_eq!(now.points[i], [p[1], p[2], p[0]]);
        let n = cloud.normals[i];
        assert_eq!(now.normals[i], [n[1], n[2], n[0]]);
    }
    let placed = after(&body(&cloud), &[Place { anchor: Anchor::Centroid, at: [10.0, 0.0, 0.0] }.into()]);
    let mean = placed.cloud().unwrap().mean();
    assert!((0..3).all(|k| (mean[k] - [10.0, 0.0, 0.0][k]).abs() < 1e-12), "{mean:?}");
    let crop = |inside| CropPoints { from: [0.5, -1.0, -1.0], to: [2.5, 9.0, 1.0], inside };
    let [kept, rest] =
        [false, true].map(|inside| after(&body(&cloud), &[crop(inside).into()]).cloud().unwrap().clone());
    assert_eq!((kept.points.len(), kept.colours.len(), kept.normals.len()), (16, 16, 16));
    assert_eq!(rest.points.len(), 64 - 16);
    assert!(kept.points.iter().all(|p| p[0] >= 0.5 && p[0] <= 2.5 && p[2] <= 1.0));
    let refused = |step: Step| {
        let destination = Destination::named("points").unwrap();
        match apply(&body(&cloud), &step, &destination, &Watch::default()) {
            Err(StepError::Refused(why)) => why,
            other => panic!("{other:?}"),
        }
    };
    assert!(refused(Stitch { tolerance: 1.0 }.into()).contains("points and no faces"));
    assert!(
        refused(CropPoints { from: [50.0; 3], to: [60.0; 3], inside: false }.into()).contains("No point would be left")
    );
    assert!(refused(CropPoints { from: [2.0; 3], to: [1.0; 3], inside: false }.into()).contains("beyond the first"));
}

#[test]
fn points_are_handed_over_in_the_solver_s_unit_and_read_back_the_same() {
    let steps: Vec<Step> = vec![
        SetUnit { unit: Unit::Ft }.into(),
        Orient { up: Axis::PlusZ, forward: Axis::PlusX }.into(),
        CropPoints { from: [0.0; 3], to: [700.0; 3], inside: false }.into(),
    ];
    let points = Destination::named("points").unwrap();
    let prepared = prepare(body(&lattice(5, 1.0)), &steps, &points, &Watch::default()).unwrap();
    for (form, name, loss) in [
        (Form::Ply, "wall.ply", 1e-12),
        (Form::Xyz, "wall.xyz", 1e-12),
        (Form::E57, "wall.e57", 1e-12),
        (Form::Las, "wall.las", 1e-8),
        (Form::Laz, "wall.laz", 1e-8),
    ] {
        let made = hand_over("wall", &prepared, &points, form, &Watch::default()).unwrap();
        assert!(made.manifest.comparison.iter().all(|c| c.same));
        let file = &made.files.iter().find(|f| f.0 == name).unwrap().1;
        let Content::Points(back) = hull_formats::open(name, file, &Watch::default()).unwrap() else {
            panic!("points")
        };
        // 1 ft = 0.3048 m; of five planes each way three lie within 700 mm.
        assert_eq!(back.cloud.points.len(), 27);
        assert!((back.cloud.bounds().max[0] - 0.6096).abs() < loss);
    }
    let surface = hand_over("wall", &prepared, &points, Form::Ascii, &Watch::default());
    assert!(surface.unwrap_err().to_string().contains("PLY and XYZ"));
}

#[test]
fn xyz_says_which_line_is_wrong() {
    let read = |text: &str| xyz::read("a.xyz", text.as_bytes(), &Watch::default());
    let why = |text: &str| read(text).unwrap_err().to_string();
    assert_eq!(read("# survey\n2\n1 2 3\n\n4,5,6\n").unwrap().cloud.points, [[1.0, 2.0, 3.0], [4.0, 5.0, 6.0]]);
    assert!(why("1 2 3\n1 2\n").contains("line 2"));
    assert!(why("1 2 3\n1 2 3 4 5 6\n").contains("another count"));
    assert!(why("1 2 nan\n").contains("line 1"));
    assert!(why("1 2 3 4 5 6 7 8 9 10\n").contains("more than nine"));
    assert!(why("1 2 3 10 20 30\n1 2 3 10 20 300\n").contains("colour"));
    // Found by random bytes: what is no number in single precision.
    assert!(why("1 2 3 1e60 2.5 1\n").contains("direction"));
    // Three numbers behind a place whose length is one are a direction, others that are whole a colour.
    assert_eq!(read("0 0 0 0 0 1\n0 0 0 1 0 0\n").unwrap().cloud.normals, [[0.0, 0.0, 1.0], [1.0, 0.0, 0.0]]);
    assert_eq!(read("0 0 0 0 0 2\n0 0 0 255 0 1\n").unwrap().cloud.colours, [[0, 0, 2], [255, 0, 1]]);
}

fn clouds() -> impl Strategy<Value = Cloud> {
    let point = prop::array::uniform3(-1e6..1e6f64);
    let row = (point, prop::array::uniform3(any::<u8>()), prop::array::uniform3(-1.0..1.0f32));
    (prop::collection::vec(row, 1..60), any::<bool>(), any::<bool>()).prop_map(|(rows, coloured, facing)| {
        let points: Vec<Point> = rows.iter().map(|r| r.0).collect();
        let colours = if coloured { rows.iter().map(|r| r.1).collect() } else { Vec::new() };
        // Not of length one, and not whole: never taken for a colour.
        let normals = if facing { rows.iter().map(|r| r.2.map(|x| x * 0.5 + 0.01)).collect() } else { Vec::new() };
        Cloud { points, colours, normals, ..Cloud::default() }
    })
}

proptest! {
    #[test]
    fn cut_off_and_random_bytes_are_an_error_or_points_never_a_panic(
        cloud in clouds(),
        cut in 0.0..1.0f64,
        noise in prop::collection::vec(any::<u8>(), 0..4000),
    ) {
        let files = [ply::write_points(&cloud, false), ply::write_points(&cloud, true), xyz::write(&cloud)];
        for (name, bytes) in ["a.ply", "b.ply", "c.xyz"].into_iter().zip(files) {
            let at = (cut * bytes.len() as f64) as usize;
            if let Ok(Content::Points(read)) = hull_formats::open(name, &bytes[..at], &Watch::default()) {
                // Of text the last number can be cut short, but no point comes from nowhere.
                prop_assert!(read.cloud.points.len() <= cloud.points.len());
            }
            let spoiled: Vec<u8> = bytes[..at].iter().chain(&noise).copied().collect();
            if let Ok(Content::Points(read)) = hull_formats::open(name, &spoiled, &Watch::default()) {
                prop_assert!(read.cloud.points.iter().flatten().all(|x| x.is_finite()));
                let n = read.cloud.points.len();
                prop_assert!([0, n].contains(&read.cloud.colours.len()) && [0, n].contains(&read.cloud.normals.len()));
            }
        }
    }

    #[test]
    fn clouds_come_back_from_every_form_bit_by_bit(cloud in clouds()) {
        let read = |name: &str, bytes: Vec<u8>| match hull_formats::open(name, &bytes, &Watch::default()).unwrap() {
            Content::Points(received) => received.cloud,
            other => panic!("{other:?}"),
        };
        prop_assert_eq!(&read("a.ply", ply::write_points(&cloud, false)), &cloud);
        prop_assert_eq!(&read("a.ply", ply::write_points(&cloud, true)), &cloud);
        // A first colour whose squares add up to one looks like a direction in XYZ.
        let unclear = cloud.normals.is_empty() && cloud.colours.first().is_some_and(|c| c.iter().map(|x| *x as u32).sum::<u32>() == 1);
        prop_assume!(!unclear);
        prop_assert_eq!(&read("a.xyz", xyz::write(&cloud)), &cloud);
        let piece = hull_workshop::pieces::Piece::Points(std::sync::Arc::new(cloud));
        prop_assert_eq!(hull_workshop::pieces::Piece::decode(&piece.encode()).unwrap(), piece);
    }
}

#[test]
fn a_crop_is_proposed_in_round_numbers_that_take_everything_in() {
    for scale in [1e-3, 0.37, 1.0, 24.0, 7312.9] {
        let cloud = Cloud { points: lattice(5, scale * 1.234567).points, ..Default::default() };
        let body = body(&cloud);
        let (found, _) = survey(&body, &Watch::default()).unwrap();
        let seen = hull_workshop::steps::Seen { facts: &body.facts, survey: &found };
        let about = hull_workshop::steps::operation("crop_points").unwrap();
        let Some(Step::CropPoints(crop)) = hull_workshop::steps::proposed(about, &seen).map(|p| p.step) else {
            panic!("a cloud can be cropped")
        };
        let (max, longest) = (found.size.bbox.max, found.size.longest());
        assert!((0..3).all(|k| crop.to[k] >= max[k] && crop.to[k] - max[k] <= 0.011 * longest), "{crop:?} for {max:?}");
        assert!(crop.to.iter().all(|x| x.to_string().len() <= 8), "{crop:?}");
        let kept = after(&body, &[crop.into()]);
        assert_eq!(kept.cloud().unwrap().points.len(), 125);
    }
}

/// A capture: a floor of flat splats, and two that float above it, one faint and one far too large.
fn capture() -> Cloud {
    let mut cloud = Cloud { points: lattice(12, 0.1).points, ..Cloud::default() };
    cloud.points.retain(|p| p[2] == 0.0);
    cloud.points.extend([[0.5, 0.5, 3.0], [0.4, 0.4, 0.3], [0.6, 0.6, 0.3]]);
    let splat =
        |axes, opacity| Splat { axes, turn: [1.0, 0.0, 0.0, 0.0], opacity, colour: [0.5; 3], sheen: [[0.0; 3]; 3] };
    cloud.splats = vec![splat([0.05, 0.05, 0.005], 0.9); cloud.points.len()];
    let n = cloud.splats.len();
    cloud.splats[n - 2] = splat([0.05; 3], 0.01);
    cloud.splats[n - 1] = splat([4.0; 3], 0.9);
    cloud
}

#[test]
fn outliers_of_a_capture_are_counted_before_and_taken_each_for_its_own_reason() {
    let whole = body(&capture());
    let (found, _) = survey(&whole, &Watch::default()).unwrap();
    let splats = found.points.splats.as_ref().unwrap();
    assert_eq!((found.points.points, splats.faint, splats.large), (147, 1, 1));
    // The one at 3 and no other has no neighbours near; six times the median of the fifth neighbour is 0.6 or more.
    assert_eq!(found.points.lone, 1);
    let none = DropOutliers { apart: None, faint: None, large: None };
    let left = |step: DropOutliers| after(&whole, &[step.into()]).cloud().unwrap().clone();
    let lone = left(DropOutliers { apart: found.points.lone_beyond, ..none.clone() });
    assert!(lone.points.len() == 146 && lone.points.iter().all(|p| p[2] < 1.0));
    assert!(left(DropOutliers { faint: Some(0.05), ..none.clone() }).splats.iter().all(|s| s.opacity > 0.05));
    assert_eq!(left(DropOutliers { large: Some(1.0), ..none.clone() }).splats.len(), 146);
    let refused = apply(&whole, &none.into(), &Destination::named("points").unwrap(), &Watch::default());
    assert!(matches!(refused, Err(StepError::Refused(s)) if s.contains("at least one")));
    let points = after(&whole, &[PointsOfSplats { faint: 0.3 }.into()]);
    assert_eq!((points.cloud().unwrap().points.len(), points.cloud().unwrap().splats.len()), (146, 0));
}

#[test]
fn a_floor_is_found_between_floaters_however_the_capture_leans() {
    let mut dice = Dice(5);
    for _ in 0..20 {
        let mut cloud = Cloud::default();
        let [a, b] = [0.7 * (dice.part() - 0.5), 0.7 * (dice.part() - 0.5)];
        let turn = hull_fitting::align::Rigid::turned_by([a.to_degrees(), b.to_degrees(), 90.0 * dice.part()]);
        for _ in 0..3000 {
            cloud.points.push([4.0 * dice.part(), 3.0 * dice.part(), 0.002 * (dice.part() - 0.5)]);
        }
        for _ in 0..1500 {
            cloud.points.push([4.0 * dice.part(), 3.0 * dice.part(), 2.0 * dice.part()]);
        }
        cloud.points.iter_mut().for_each(|p| *p = turn.place(*p));
        let level = after(&body(&cloud), &[LevelFloor { up: Axis::PlusZ, within: 0.01 }.into()]);
        let heights: Vec<f64> = level.cloud().unwrap().points[..3000].iter().map(|p| p[2]).collect();
        let worst = heights.iter().fold(0.0, |m: f64, z| m.max(z.abs()));
        assert!(worst < 0.004, "{worst}");
        assert!(level.cloud().unwrap().points[3000..].iter().all(|p| p[2] > -0.004), "what stands on it is above");
    }
}

#[test]
fn a_surface_around_points_is_closed_and_stands_off_them_by_the_offset() {
    let cloud = Cloud { points: lattice(4, 10.0).points, ..Cloud::default() };
    let wrapped = after(&body(&cloud), &[SurfaceOfPoints { offset: 4.0, gap: 12.0, faint: 0.0 }.into()]);
    let topology = hull_geometry::topology::Topology::of(&wrapped.mesh, &Watch::default()).unwrap();
    assert!(topology.is_closed() && wrapped.cloud().is_none());
    let tree = hull_geometry::tree::FacetTree::of(&wrapped.mesh);
    for p in cloud.points.iter().filter(|p| p.contains(&0.0)) {
        let far = tree.nearest(&wrapped.mesh, *p, f64::INFINITY).unwrap().1.sqrt();
        assert!((2.4..=5.5).contains(&far), "{far} at {p:?}");
    }
    // Fewer facets cut the corners a little. Gaps between the points are closed: one solid of a little more than the lattice's box.
    let volume = hull_geometry::measure::mass(&wrapped.mesh, &wrapped.mesh.bounds()).volume;
    assert!((30f64.powi(3)..40f64.powi(3)).contains(&volume), "{volume}");
}

proptest! {
    /// What lies inside and what lies outside are all there is, and each point is where plain arithmetic says.
    #[test]
    fn balls_planes_and_outlines_part_a_cloud_in_two(cloud in clouds(), at in prop::array::uniform3(-5e5..5e5f64), radius in 1e5..9e5f64) {
        let whole = body(&cloud);
        let destination = Destination::named("points").unwrap();
        let kept = |step: Step| match apply(&whole, &step, &destination, &Watch::default()) {
            Ok((b, _)) => b.cloud().unwrap().points.clone(),
            // Nothing left is refused.
            Err(_) => Vec::new(),
        };
        let distance = |p: &Point| (0..3).map(|k| (p[k] - at[k]).powi(2)).sum::<f64>().sqrt();
        let ball = |inside| kept(CropBall { centre: at, radius, inside }.into());
        prop_assert_eq!(ball(false), cloud.points.iter().filter(|p| distance(p) <= radius).copied().collect::<Vec<_>>());
        prop_assert_eq!(ball(true).len() + ball(false).len(), cloud.points.len());
        let up = kept(CropPlane { at, towards: [0.0, 0.0, 2.0] }.into());
        prop_assert_eq!(up, cloud.points.iter().filter(|p| p[2] >= at[2]).copied().collect::<Vec<_>>());
        // A square seen along −z, however far off it was drawn.
        let corner = |x: f64, y: f64| [at[0] + x, at[1] + y, 100.0];
        let outline = vec![corner(-3e5, -3e5), corner(3e5, -3e5), corner(3e5, 3e5), corner(-3e5, 3e5)];
        let seen = kept(CropOutline { outline, direction: [0.0, 0.0, -1.0], inside: false }.into());
        let within = |p: &Point| (p[0] - at[0]).abs() < 3e5 && (p[1] - at[1]).abs() < 3e5;
        prop_assert_eq!(seen, cloud.points.iter().filter(|p| within(p)).copied().collect::<Vec<_>>());
    }
}

/// Every form of splats is written, read back and compared, and says what it does not carry.
#[test]
fn splats_are_handed_over_in_every_form_of_points() {
    let steps = [SetUnit { unit: Unit::M }.into(), Orient { up: Axis::PlusZ, forward: Axis::PlusX }.into()];
    let destination = Destination::named("points").unwrap();
    let prepared = prepare(body(&capture()), &steps, &destination, &Watch::default()).unwrap();
    for (form, ending) in [
        (Form::Ply, "ply"),
        (Form::Xyz, "xyz"),
        (Form::Splat, "splat"),
        (Form::UsdzPoints, "usdz"),
        (Form::Las, "las"),
        (Form::Laz, "laz"),
        (Form::E57, "e57"),
    ] {
        let out = hand_over("deck", &prepared, &destination, form, &Watch::default()).unwrap_or_else(|e| panic!("{e}"));
        assert!(out.files.iter().any(|f| f.0.ends_with(ending)));
        let told = format!("{:?}", out.manifest.comparison);
        assert_eq!(told.contains("not carried by this form"), matches!(form, Form::Splat | Form::UsdzPoints), "{told}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    /// Distances from neighbours are those that looking at every pair gives: of points in space, in a plane, on a line, many of
    /// them in one place, and far from zero.
    #[test]
    fn neighbours_are_the_nearest_of_all(
        seed in any::<u64>(),
        many in 1..400_usize,
        extent in prop::array::uniform3(prop::sample::select(vec![0.0, 1e-6, 1.0, 1e5])),
        steps in prop::sample::select(vec![2.0, 7.0, 1e9]),
        away in prop::sample::select(vec![0.0, -1e7]),
    ) {
        let mut dice = Dice(seed);
        let places: Vec<Point> = (0..many).map(|_| extent.map(|e| away + e * (dice.part() * steps).round() / steps)).collect();
        let near = Neighbours::of(&places, &Watch::default()).unwrap();
        let expected: Vec<f64> = places
            .iter()
            .map(|p| {
                let square = |q: &Point| (0..3).map(|k| (p[k] - q[k]).powi(2)).sum::<f64>();
                let mut all: Vec<f64> = places.iter().map(square).collect();
                all.sort_by(f64::total_cmp);
                all.get(5).map_or(f64::INFINITY, |s| s.sqrt())
            })
            .collect();
        prop_assert_eq!(near.fifth(1, &Watch::default()).unwrap(), expected);
    }
}
