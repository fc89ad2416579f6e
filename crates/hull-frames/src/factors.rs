//! Factors of a frame's stiffness: sparse Cholesky, movements of large frames ordered by nested dissection (A. George 1973) along
//! the places of their joints.

use crate::assemble::Assembled;
use faer::dyn_stack::{MemBuffer, MemStack};
use faer::perm::Perm;
use faer::sparse::linalg::cholesky::{
    CholeskySymbolicParams, LltRef, SymbolicCholesky, SymmetricOrdering, factorize_symbolic_cholesky,
};
use faer::{Conj, Mat, Side, get_global_parallelism};
use hull_geometry::Point;
use hull_geometry::mesh::Bounds;

/// Movements from which joints are ordered by where they are; fewer are ordered by minimum degree.
const LARGE: usize = 6000;
/// So many joints are not parted further.
const LEAF: usize = 24;

/// Factors that solve with a matrix whose diagonal was made one.
pub(crate) struct Factors {
    symbolic: SymbolicCholesky<usize>,
    numeric: Vec<f64>,
    root: Vec<f64>,
}

impl Factors {
    /// # Errors
    /// Nothing but that the matrix has no factors: it is not positive.
    pub(crate) fn of(a: &Assembled, shift: f64) -> Result<Factors, ()> {
        let n = a.count;
        let mut root = vec![1.0; n];
        for t in a.stiffness.as_ref().triplet_iter().filter(|t| t.row == t.col && *t.val > 0.0) {
            root[t.row] = t.val.sqrt();
        }
        let mut scaled = a.stiffness.clone();
        let columns: Vec<usize> = scaled.as_ref().triplet_iter().map(|t| t.col).collect();
        let rows: Vec<usize> = scaled.as_ref().triplet_iter().map(|t| t.row).collect();
        for ((v, r), c) in scaled.val_mut().iter_mut().zip(&rows).zip(&columns) {
            *v = *v / (root[*r] * root[*c]) + if r == c { shift } else { 0.0 };
        }
        let order = (n >= LARGE).then(|| order(a)).and_then(|forward| {
            let mut back = vec![0; n];
            forward.iter().enumerate().for_each(|(new, old)| back[*old] = new);
            // Every movement stands in it once.
            (forward.len() == n).then(|| Perm::new_checked(forward.into(), back.into(), n))
        });
        let ordering = order.as_ref().map_or(SymmetricOrdering::Amd, |p| SymmetricOrdering::Custom(p.as_ref()));
        let symbolic =
            factorize_symbolic_cholesky(scaled.symbolic(), Side::Lower, ordering, CholeskySymbolicParams::default())
                .map_err(|_| ())?;
        let par = get_global_parallelism();
        let mut numeric = vec![0.0; symbolic.len_val()];
        let scratch = symbolic.factorize_numeric_llt_scratch::<f64>(par, Default::default());
        let mut memory = MemBuffer::try_new(scratch).map_err(|_| ())?;
        symbolic
            .factorize_numeric_llt::<f64>(
                &mut numeric,
                scaled.as_ref(),
                Side::Lower,
                Default::default(),
                par,
                MemStack::new(&mut memory),
                Default::default(),
            )
            .map_err(|_| ())?;
        Ok(Factors { symbolic, numeric, root })
    }

    /// The roots of the diagonal, by which rows and columns were divided.
    pub(crate) fn root(&self) -> &[f64] {
        &self.root
    }

    /// The same with the matrix whose diagonal is one.
    pub(crate) fn solve_scaled(&self, v: &Mat<f64>) -> Mat<f64> {
        let par = get_global_parallelism();
        let mut out = v.clone();
        let scratch = self.symbolic.solve_in_place_scratch::<f64>(v.ncols(), par);
        let factors = LltRef::<'_, usize, f64>::new(&self.symbolic, &self.numeric);
        factors.solve_in_place_with_conj(Conj::No, out.as_mut(), par, MemStack::new(&mut MemBuffer::new(scratch)));
        out
    }

    /// `K⁻¹ · v` for some vectors.
    pub(crate) fn solve(&self, v: &Mat<f64>) -> Mat<f64> {
        let scaled = Mat::from_fn(v.nrows(), v.ncols(), |i, j| v[(i, j)] / self.root[i]);
        let x = self.solve_scaled(&scaled);
        Mat::from_fn(v.nrows(), v.ncols(), |i, j| x[(i, j)] / self.root[i])
    }
}

/// All free movements, those of joints between two halves behind those of the halves, and so on within each.
fn order(a: &Assembled) -> Vec<usize> {
    let joints = a.frame.joints.len();
    let mut beside: Vec<Vec<u32>> = vec![Vec::new(); joints];
    for m in &a.frame.members {
        let [p, q] = m.ends;
        beside[p as usize].push(q);
        beside[q as usize].push(p);
    }
    let places: Vec<Point> = a.frame.joints.iter().map(|j| j.at).collect();
    let mut parted = Parted { beside, places, side: vec![0; joints], turn: 0, out: Vec::with_capacity(joints) };
    parted.part((0..joints as u32).collect());
    parted.out.iter().flat_map(|j| (0..6).filter_map(move |k| a.free[6 * *j as usize + k])).collect()
}

struct Parted {
    beside: Vec<Vec<u32>>,
    places: Vec<Point>,
    /// The last turn in which a joint was on the far side.
    side: Vec<u32>,
    turn: u32,
    out: Vec<u32>,
}

impl Parted {
    fn part(&mut self, joints: Vec<u32>) {
        if joints.len() <= LEAF {
            self.out.extend(joints);
            return;
        }
        let bounds = Bounds::of(joints.iter().map(|j| self.places[*j as usize]));
        let size = bounds.size();
        let axis = (0..3).fold(0, |best, k| if size[k] > size[best] { k } else { best });
        let mut along: Vec<f64> = joints.iter().map(|j| self.places[*j as usize][axis]).collect();
        let (_, middle, _) = along.select_nth_unstable_by(joints.len() / 2, f64::total_cmp);
        let middle = *middle;
        let (mut near, far): (Vec<u32>, Vec<u32>) =
            joints.iter().partition(|j| self.places[**j as usize][axis] < middle);
        if near.is_empty() {
            // All lie at one place along the longest axis: there is nothing to part them by.
            self.out.extend(far);
            return;
        }
        self.turn += 1;
        far.iter().for_each(|j| self.side[*j as usize] = self.turn);
        let (side, turn) = (&self.side, self.turn);
        let meets = |j: &u32| self.beside[*j as usize].iter().any(|o| side[*o as usize] == turn);
        let between: Vec<u32> = near.iter().copied().filter(meets).collect();
        near.retain(|j| !meets(j));
        self.part(near);
        self.part(far);
        self.out.extend(between);
    }
}
