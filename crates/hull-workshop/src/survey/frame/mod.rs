//! Members and joints: what keeps a frame from being ready, and its trial.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Survey};
use crate::body::Facts;
use crate::numbers::{count, counted, four_digits};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::make_members::pieces;
use hull_frames::checks::{Figures, USUAL_DEPTH};
use hull_frames::join::{JointPlot, plot};
use hull_frames::modes::{buckling, frequencies};
use hull_frames::statics::{mechanism, solve};
use hull_geometry::{Cancelled, Point, Watch};
use serde::{Deserialize, Serialize};

/// A frame in figures; lengths in millimetres.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct FrameFigures {
    /// Counts and lengths.
    pub figures: Figures,
    /// Joints against tolerance, of lines that are no members yet.
    pub plot: JointPlot,
    /// Joints that move without a force: how many, and where one of them is.
    pub mechanism: Option<(usize, Point)>,
    /// Why there is no trial, if there is none.
    pub untried: Option<String>,
    /// By case.
    pub trials: Vec<Trial>,
    /// The lowest ones, in Hz.
    pub frequencies: Vec<f64>,
}

/// The frame under the loads of one case.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Trial {
    /// Its name.
    pub case: String,
    /// How far the joint goes that moves most, and where it is.
    pub moves: (f64, Point),
    /// The largest stress against yield, the member that has it, and the middle of that.
    pub share: (f64, u32, Point),
    /// The largest stress, in N/mm².
    pub stress: f64,
    /// What supports carry together, in N.
    pub carried: [f64; 3],
    /// The largest sum of loads and reactions, against the largest of them.
    pub imbalance: f64,
    /// The factor at which the loads buckle the frame.
    pub buckling: Option<f64>,
}

/// Frequencies and buckling are looked for up to so many members.
const MOST_FOR_MODES: usize = 3000;
/// Frequencies that are told.
const TOLD: usize = 10;

/// A figure of members; of a body without any it is not there.
fn of(survey: &Survey, value: impl Fn(&FrameFigures) -> Option<f64>, text: impl Fn(f64) -> String) -> Measured {
    match (survey.frame.figures.members, value(&survey.frame)) {
        (0, _) => Measured::not_yet("no members"),
        (_, None) if survey.frame.figures.unmade > 0 => Measured::not_yet("needs sections"),
        (_, None) if survey.frame.mechanism.is_some() => Measured::not_yet("a mechanism"),
        (_, None) if survey.frame.figures.supports == 0 => Measured::not_yet("needs supports"),
        (_, None) => Measured::not_yet("needs loads"),
        (_, Some(x)) => Measured { value: Some(x), text: text(x) },
    }
}

const fn row(
    key: &'static str,
    remedies: &'static [&'static str],
    measure: fn(&Facts, &Survey) -> Measured,
) -> MeasureDef {
    MeasureDef::of_facets(key, &[], remedies, measure).of_any()
}

fn worst(survey: &Survey, of: impl Fn(&Trial) -> Option<f64>, largest: bool) -> Option<f64> {
    let all = survey.frame.trials.iter().filter_map(of);
    if largest { all.reduce(f64::max) } else { all.reduce(f64::min) }
}

fn at(p: Point) -> Sentence {
    say!["at ", crate::sentence::bare(p[0]), ", ", crate::sentence::bare(p[1]), ", ", length(p[2])]
}

impl Probe for FrameFigures {
    const COST: Cost = Cost::IfAsked;
    const PHRASE: &'static str = "trying the frame";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[
        row("members", &["make_members"], |_, survey| Measured::count(survey.frame.figures.members)).words(|seen| {
            let f = &seen.survey.frame;
            match (f.figures.members, f.plot.proposal) {
                (0, Some(gap)) => vec![say!["Some ends of lines nearly meet: gaps up to about ", length(gap), "."]],
                (0, None) => Vec::new(),
                (n, _) => vec![say![
                    format!("{} between {}, ", counted(n, "member"), counted(f.figures.joints, "joint")),
                    length(f.figures.length),
                    " long together.",
                ]],
            }
        }),
        row("lone_members", &["drop_lone", "make_members"], |_, survey| {
            of(survey, |f| Some(f.figures.lone as f64), |x| count(x as usize))
        })
        .words(|seen| vec![format!("{} of members that hang together.", counted(seen.survey.frame.figures.groups, "group")).into()]),
        row("free_ends", &["support_joints"], |_, survey| {
            of(survey, |f| Some(f.figures.free_ends as f64), |x| count(x as usize))
        }),
        row("members_unmade", &["set_section"], |_, survey| {
            of(survey, |f| Some(f.figures.unmade as f64), |x| count(x as usize))
        })
        .words(|seen| {
            let told = |(name, n, all): &(String, usize, f64)| {
                let name = if name.is_empty() { "without a section" } else { name };
                say![format!("{name}: {}, ", counted(*n, "member")), length(*all), "."]
            };
            let figures = &seen.survey.frame.figures;
            let (n, first) = figures.unusual;
            let doubtful = first.map(|m| {
                let [least, most] = USUAL_DEPTH.map(|d| (1.0 / d).round());
                format!(
                    "The depth of {} is outside of 1/{least} to 1/{most} of the length, as of member {}: look whether the unit of the section is right.",
                    counted(n, "member"),
                    m + 1
                )
            });
            figures.sections.iter().map(told).chain(doubtful.map(Sentence::from)).collect()
        }),
        row("supports", &["support_joints"], |_, survey| {
            of(survey, |f| Some(f.figures.supports as f64), |x| count(x as usize))
        }),
        row("mechanism", &["support_joints", "set_ends"], |_, survey| {
            let f = &survey.frame;
            match (f.figures.members, f.figures.unmade, f.mechanism) {
                (0, ..) => Measured::not_yet("no members"),
                (_, 1.., _) => Measured::not_yet("needs sections"),
                (_, _, None) => Measured { value: Some(0.0), text: "none".into() },
                (_, _, Some((n, _))) => Measured { value: Some(n as f64), text: counted(n, "joint") + if n == 1 { " moves" } else { " move" } },
            }
        })
        .words(|seen| match seen.survey.frame.mechanism {
            None => Vec::new(),
            Some((n, p)) => {
                let mut words = vec![format!("{} can move without a force: one is ", counted(n, "joint")).into()];
                words.extend([at(p), "A support there, or a rigid end of a member, would hold it.".into()]);
                words
            }
        }),
        row("shortest_member", &["make_members"], |_, survey| {
            of(survey, |f| Some(f.figures.shortest), |x| format!("{} mm", four_digits(x)))
        })
        .unit(" mm"),
        row("slenderness", &["set_section"], |_, survey| {
            of(survey, |f| Some(f.figures.slenderness).filter(|_| f.figures.unmade == 0), four_digits)
        })
        .words(|_| vec!["The largest length of a member by its section's least radius of gyration.".into()]),
        row("frame_mass", &["set_section"], |_, survey| {
            of(survey, |f| Some(1000.0 * f.figures.mass), |x| format!("{} kg", four_digits(x)))
        })
        .unit(" kg"),
        row("loads", &["load_members", "load_joints", "drop_loads"], |_, survey| {
            of(survey, |f| Some(f.figures.loads as f64), |x| count(x as usize))
        }),
        row("deflection", &["set_section", "support_joints"], |_, survey| {
            of(survey, |_| worst(survey, |t| Some(t.moves.0), true), |x| format!("{} mm", four_digits(x)))
        })
        .unit(" mm")
        .words(|seen| {
            let told = |t: &Trial| say![format!("Case “{}”: ", t.case), length(t.moves.0), " ", format!("{}.", at(t.moves.1).text(crate::sentence::LengthUnit::Millimetres))];
            seen.survey.frame.trials.iter().map(told).collect()
        }),
        row("yield_share", &["set_section"], |_, survey| {
            of(survey, |_| worst(survey, |t| Some(t.share.0), true), four_digits)
        })
        .words(|seen| {
            let told = |t: &Trial| {
                let place = at(t.share.2).text(crate::sentence::LengthUnit::Millimetres);
                format!("Case “{}”: {} N/mm² in member {}, {place}.", t.case, four_digits(t.stress), t.share.1 + 1).into()
            };
            seen.survey.frame.trials.iter().map(told).collect()
        }),
        row("buckling_factor", &["set_section", "set_ends"], |_, survey| {
            of(survey, |f| worst(survey, |t| t.buckling, false).or((!f.trials.is_empty()).then_some(f64::MAX)), |x| {
                if x == f64::MAX { "nothing is pressed".into() } else { four_digits(x) }
            })
        })
        .words(|_| vec!["All loads of the worst case could grow by this factor before the frame buckles, as long as it stays elastic.".into()]),
        row("first_frequency", &["set_section", "support_joints"], |_, survey| {
            of(survey, |f| f.frequencies.first().copied(), |x| format!("{} Hz", four_digits(x)))
        })
        .unit(" Hz")
        .words(|seen| {
            let all: Vec<String> = seen.survey.frame.frequencies.iter().map(|f| four_digits(*f)).collect();
            if all.is_empty() { Vec::new() } else { vec![format!("The lowest: {} Hz.", all.join(", ")).into()] }
        }),
        row("imbalance", &[], |_, survey| {
            of(survey, |_| worst(survey, |t| Some(t.imbalance), true), |x| format!("{x:.1e}"))
        })
        .words(|seen| {
            let told = |t: &Trial| {
                format!("Case “{}”: supports carry {} N along x, y and z.", t.case, t.carried.map(four_digits).join(", ")).into()
            };
            seen.survey.frame.trials.iter().map(told).collect()
        }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(FrameFigures, Vec<Finding>), Cancelled> {
        let mut out = FrameFigures::default();
        if let Some(wires) = cx.body.wires() {
            let chord = cx.bounds.diagonal() / 500.0;
            out.plot = plot(&pieces(wires, chord).0, watch)?;
        }
        let Some(frame) = cx.body.frame() else { return Ok((out, Vec::new())) };
        out.figures = Figures::of(frame);
        watch.check()?;
        match mechanism(frame) {
            Err(e) => out.untried = Some(e.to_string()),
            Ok(Some(found)) => {
                let first = found.joints.first().map_or([0.0; 3], |j| frame.joints[*j as usize].at);
                out.mechanism = Some((found.joints.len(), first));
                out.untried = Some("it is a mechanism".into());
            }
            Ok(None) => {
                let modes = frame.members.len() <= MOST_FOR_MODES;
                for case in frame.tried() {
                    watch.check()?;
                    match solve(frame, Some(&case)) {
                        Err(e) => out.untried = Some(e.to_string()),
                        Ok(solved) => {
                            let (moves, joint) = solved.largest_move();
                            let (share, member) = solved.worst();
                            let [a, b] = frame.places(&frame.members[member]);
                            let sum = |k: usize| solved.reactions.iter().map(|r| r[k]).sum();
                            let factor = modes.then(|| buckling(frame, Some(&case)).ok().flatten()).flatten();
                            out.trials.push(Trial {
                                case,
                                moves: (moves, frame.joints[joint].at),
                                share: (share, member as u32, [0, 1, 2].map(|k| 0.5 * (a[k] + b[k]))),
                                stress: solved.members.iter().fold(0.0, |m, x| m.max(x.stress)),
                                carried: [sum(0), sum(1), sum(2)],
                                imbalance: solved.imbalance,
                                buckling: factor.map(|m| m.value),
                            });
                        }
                    }
                }
                if modes && out.figures.supports > 0 {
                    watch.check()?;
                    out.frequencies =
                        frequencies(frame, TOLD).map_or(Vec::new(), |all| all.into_iter().map(|m| m.value).collect());
                }
            }
        }
        Ok((out, Vec::new()))
    }
}
