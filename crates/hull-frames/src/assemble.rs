//! All members' matrices in one, in the movements that are free.

use crate::matrices::{Matrix, congruent, mass, released, sprung, stiffness, times, transposed};
use crate::model::{Fix, Frame, LoadKind, Member};
use faer::sparse::{SparseColMat, Triplet};
use hull_geometry::vector::{V3, cross, dot};

/// A matrix of the whole frame.
pub type Sparse = SparseColMat<usize, f64>;

/// A member ready to be put into the whole.
pub struct Element {
    /// Its axes: rows.
    axes: [V3; 3],
    /// From its joints' movements about the whole's axes to those at its ends' places about its own.
    to_own: Matrix,
    /// In mm.
    pub length: f64,
    /// From the movements at its ends' places to its own, which a hinge lets differ.
    pub ends: Matrix,
    /// Stiffness about its own axes, with what its ends let go.
    pub stiffness: Matrix,
    /// Movements of its joints among all.
    pub at: [usize; 12],
}

impl Element {
    /// Movements of its joints about the whole's axes, at its ends' places about its own.
    pub fn own(&self, joints: &[f64; 12]) -> [f64; 12] {
        times(&self.to_own, joints)
    }

    /// Forces at its ends' places about its own axes, on its joints about the whole's.
    pub fn on_joints(&self, ends: &[f64; 12]) -> [f64; 12] {
        transposed(&self.to_own, ends)
    }

    /// A matrix of its ends' places about its own axes, of its joints about the whole's.
    pub fn whole(&self, m: &Matrix) -> Matrix {
        congruent(m, &self.to_own)
    }
}

/// Why a frame cannot be computed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Unsolvable {
    /// Nothing is there.
    #[error("the frame has no members")]
    Empty,
    /// Sections or materials are missing.
    #[error("{0} members have no section or no material")]
    Unmade(usize),
    /// Members without length.
    #[error("member {0} has no length")]
    NoLength(usize),
    /// Nothing holds it.
    #[error("no joint is supported")]
    Unsupported,
    /// It can move without a force.
    #[error("the frame is a mechanism: it moves without a force")]
    Mechanism,
}

/// A frame with its matrices.
pub struct Assembled<'a> {
    /// What it is of.
    pub frame: &'a Frame,
    /// By member.
    pub elements: Vec<Element>,
    /// The number of each movement among the free ones; `None` where it is held or nothing resists it.
    pub free: Vec<Option<usize>>,
    /// How many are free.
    pub count: usize,
    /// Stiffness of the free ones.
    pub stiffness: Sparse,
}

/// From the movements of a member's joints, about the whole's axes, to those of its ends about its own: a rigid piece leads
/// from a joint to an end beside it, whose turn moves the end (`u + θ × r`).
fn own_of_joints(axes: &[V3; 3], offset: &[V3; 2]) -> Matrix {
    let mut t: Matrix = [[0.0; 12]; 12];
    for end in 0..2 {
        for i in 0..3 {
            for j in 0..3 {
                let unit: V3 = std::array::from_fn(|k| f64::from(u8::from(k == j)));
                t[6 * end + i][6 * end + j] = axes[i][j];
                t[6 * end + 3 + i][6 * end + 3 + j] = axes[i][j];
                t[6 * end + i][6 * end + 3 + j] = dot(axes[i], cross(unit, offset[end]));
            }
        }
    }
    t
}

fn element(frame: &Frame, i: usize, m: &Member) -> Result<Element, Unsolvable> {
    let (section, material) = frame.made_of(m).ok_or(Unsolvable::Unmade(1))?;
    let length = frame.length(m);
    if !(length > 0.0 && length.is_finite()) {
        return Err(Unsolvable::NoLength(i));
    }
    let rigid = stiffness(section, material, length);
    let ends = released(&rigid, m.joined);
    let at = std::array::from_fn(|k| 6 * m.ends[k / 6] as usize + k % 6);
    let axes = frame.axes(m);
    let mut stiffness = congruent(&rigid, &ends);
    sprung(&mut stiffness, &ends, m.joined);
    Ok(Element { axes, to_own: own_of_joints(&axes, &m.offset), length, stiffness, ends, at })
}

/// Puts member matrices into the whole.
pub fn gathered(elements: &[Element], free: &[Option<usize>], count: usize, of: impl Fn(usize) -> Matrix) -> Sparse {
    let mut triplets = Vec::with_capacity(elements.len() * 144);
    for (e, element) in elements.iter().enumerate() {
        let k = element.whole(&of(e));
        for i in 0..12 {
            for j in 0..12 {
                if let (Some(r), Some(c)) = (free[element.at[i]], free[element.at[j]])
                    && k[i][j] != 0.0
                {
                    triplets.push(Triplet::new(r, c, k[i][j]));
                }
            }
        }
    }
    // Numbers are below the count, so that it cannot fail but for want of memory.
    SparseColMat::try_new_from_triplets(count, count, &triplets).unwrap_or_else(|_| empty(count))
}

fn empty(count: usize) -> Sparse {
    SparseColMat::try_new_from_triplets(count, count, &[]).unwrap_or_else(|_| unreachable!("nothing is put in"))
}

impl<'a> Assembled<'a> {
    /// # Errors
    /// [`Unsolvable`], but whether it is a mechanism is not known yet.
    pub fn of(frame: &'a Frame) -> Result<Assembled<'a>, Unsolvable> {
        if frame.members.is_empty() {
            return Err(Unsolvable::Empty);
        }
        let unmade = frame.members.iter().filter(|m| frame.made_of(m).is_none()).count();
        if unmade > 0 {
            return Err(Unsolvable::Unmade(unmade));
        }
        let elements: Vec<Element> =
            frame.members.iter().enumerate().map(|(i, m)| element(frame, i, m)).collect::<Result<_, _>>()?;
        let mut resists = vec![0.0_f64; 6 * frame.joints.len()];
        let mut scale = vec![0.0_f64; 6 * frame.joints.len()];
        for (e, m) in elements.iter().zip(&frame.members) {
            let k = e.whole(&e.stiffness);
            let whole = frame.made_of(m).map(|(s, mat)| stiffness(s, mat, e.length));
            let whole = whole.map_or(k, |w| e.whole(&w));
            for i in 0..12 {
                resists[e.at[i]] += k[i][i];
                scale[e.at[i]] += whole[i][i];
            }
        }
        let (mut free, mut count) = (vec![None; resists.len()], 0);
        for (j, joint) in frame.joints.iter().enumerate() {
            for k in 0..6 {
                let at = 6 * j + k;
                let spring = matches!(joint.held[k], Fix::Spring(s) if s > 0.0);
                // A turn that all members let go of is nobody's: it is left out.
                let resisted = resists[at] > 1e-9 * scale[at] && scale[at] > 0.0;
                let left_out = k >= 3 && !resisted && !spring;
                if matches!(joint.held[k], Fix::Free | Fix::Spring(_)) && !left_out && (scale[at] > 0.0 || spring) {
                    free[at] = Some(count);
                    count += 1;
                }
            }
        }
        let stiffness = gathered(&elements, &free, count, |e| elements[e].stiffness);
        let mut out = Assembled { frame, elements, free, count, stiffness };
        out.add_springs();
        Ok(out)
    }

    fn add_springs(&mut self) {
        let mut springs = Vec::new();
        for (j, joint) in self.frame.joints.iter().enumerate() {
            for k in 0..6 {
                if let (Fix::Spring(s), Some(f)) = (joint.held[k], self.free[6 * j + k]) {
                    springs.push(Triplet::new(f, f, s.max(0.0)));
                }
            }
        }
        if !springs.is_empty()
            && let Ok(own) = SparseColMat::try_new_from_triplets(self.count, self.count, &springs)
        {
            self.stiffness = &self.stiffness + &own;
        }
    }

    /// Mass of the free movements.
    pub fn mass(&self) -> Sparse {
        gathered(&self.elements, &self.free, self.count, |e| {
            let made = self.frame.made_of(&self.frame.members[e]);
            let m = made.map_or([[0.0; 12]; 12], |(s, mat)| mass(s, mat, self.elements[e].length));
            congruent(&m, &self.elements[e].ends)
        })
    }

    /// What the loads of a case do on each member's ends, about its own axes with its releases, and on all joints.
    pub fn loads(&self, case: Option<&str>) -> (Vec<[f64; 12]>, Vec<f64>) {
        let mut on_ends = vec![[0.0; 12]; self.elements.len()];
        let mut on_joints = vec![0.0; self.free.len()];
        for load in self.frame.loads.iter().filter(|l| case.is_none_or(|c| l.case == c)) {
            match &load.kind {
                LoadKind::Joint { joint, force } => {
                    let own = on_joints.iter_mut().skip(6 * *joint as usize).take(6);
                    own.zip(force).for_each(|(a, b)| *a += b);
                }
                LoadKind::Weight { .. } | LoadKind::Line { .. } => {}
                LoadKind::Warmth { member, by, growth } => {
                    let i = *member as usize;
                    let made = self.frame.members.get(i).and_then(|m| self.frame.made_of(m));
                    if let Some((s, mat)) = made {
                        let push = mat.young * s.area * growth * by;
                        on_ends[i][0] -= push;
                        on_ends[i][6] += push;
                    }
                }
            }
        }
        for ((i, element), line) in self.elements.iter().enumerate().zip(self.lines(case)) {
            let ends = crate::matrices::even_load(line, element.length);
            let all: [f64; 12] = std::array::from_fn(|k| on_ends[i][k] + ends[k]);
            on_ends[i] = transposed(&element.ends, &all);
            let global = element.on_joints(&on_ends[i]);
            (0..12).for_each(|k| on_joints[element.at[k]] += global[k]);
        }
        (on_ends, on_joints)
    }

    /// A force along a member of the whole's axes, about the member's own.
    fn local_line(&self, member: usize, force: V3) -> V3 {
        let axes = &self.elements[member].axes;
        std::array::from_fn(|k| (0..3).map(|i| axes[k][i] * force[i]).sum())
    }

    /// The force along each member of a case, in N/mm, about its own axes.
    pub fn lines(&self, case: Option<&str>) -> Vec<V3> {
        let mut along = vec![[0.0; 3]; self.elements.len()];
        for load in self.frame.loads.iter().filter(|l| case.is_none_or(|c| l.case == c)) {
            match &load.kind {
                LoadKind::Weight { acceleration } => {
                    for (i, m) in self.frame.members.iter().enumerate() {
                        let mass = self.frame.made_of(m).map_or(0.0, |(s, mat)| s.area * mat.density);
                        (0..3).for_each(|k| along[i][k] += mass * acceleration[k]);
                    }
                }
                LoadKind::Line { member, force } => {
                    if let Some(own) = along.get_mut(*member as usize) {
                        (0..3).for_each(|k| own[k] += force[k]);
                    }
                }
                _ => {}
            }
        }
        (0..along.len()).map(|i| self.local_line(i, along[i])).collect()
    }
}
