//! Changes to a frame: members drawn, taken away, divided, merged, copied, mirrored; joints moved.

use crate::carry::Turn;
use crate::model::{End, Frame, Joint, Load, LoadKind, Member};
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, distance, dot, nearest_on_segment, scale, sub, unit};

/// Joints nearer than this part of the frame's size are one place.
const ONE: f64 = 1e-9;

impl Frame {
    /// The distance within which a place is that of a joint: rounding of what was typed or clicked.
    fn near(&self) -> f64 {
        ONE * self.bounds().diagonal().max(1.0)
    }

    /// The joint nearest to a place, with its distance.
    pub fn nearest_joint(&self, at: Point) -> Option<(u32, f64)> {
        let all = self.joints.iter().enumerate().map(|(i, j)| (i as u32, distance(j.at, at)));
        all.min_by(|a, b| a.1.total_cmp(&b.1))
    }

    /// The joint at a place: one that is within `within`, one that divides a member there, or a new one.
    pub fn joint_at(&mut self, at: Point, within: f64) -> u32 {
        let within = within.max(self.near());
        if let Some((joint, _)) = self.nearest_joint(at).filter(|(_, d)| *d <= within) {
            return joint;
        }
        let on = |m: &Member| {
            let [a, b] = self.places(m);
            nearest_on_segment(at, a, b)
        };
        let found = self.members.iter().map(on).enumerate().min_by(|a, b| a.1.1.total_cmp(&b.1.1));
        match found.filter(|(_, (_, squared))| squared.sqrt() <= within) {
            Some((member, (t, _))) => self.divide_at(member, &[t])[0],
            None => {
                self.joints.push(Joint { at, ..Joint::default() });
                self.joints.len() as u32 - 1
            }
        }
    }

    /// Adds a member from joint to joint; nothing if its ends are one joint, or there is one between them.
    pub fn draw(&mut self, ends: [u32; 2], like: Member) -> bool {
        let is_there = self.members.iter().any(|m| m.ends == ends || m.ends == [ends[1], ends[0]]);
        if ends[0] == ends[1] || is_there {
            return false;
        }
        self.members.push(Member { ends, offset: [[0.0; 3]; 2], ..like });
        true
    }

    /// Divides a member at shares of its length in rising order; gives the joints there. The first piece keeps its number; the
    /// others come last, with the loads along it.
    pub fn divide_at(&mut self, member: usize, shares: &[f64]) -> Vec<u32> {
        let whole = self.members[member].clone();
        let [a, b] = self.places(&whole);
        let first = self.joints.len() as u32;
        for t in shares {
            let at = add(a, scale(sub(b, a), *t));
            self.joints.push(Joint { at, ..Joint::default() });
        }
        let joints: Vec<u32> = (0..shares.len() as u32).map(|k| first + k).collect();
        let Some(next) = joints.first() else { return joints };
        self.members[member].ends[1] = *next;
        self.members[member].joined[1] = End::Rigid;
        self.members[member].offset[1] = [0.0; 3];
        let loads = self.loads.clone();
        for (k, from) in joints.iter().enumerate() {
            let to = joints.get(k + 1).copied();
            let joined = [End::Rigid, if to.is_none() { whole.joined[1] } else { End::Rigid }];
            let offset = [[0.0; 3], if to.is_none() { whole.offset[1] } else { [0.0; 3] }];
            self.members.push(Member { ends: [*from, to.unwrap_or(whole.ends[1])], joined, offset, ..whole.clone() });
            let piece = self.members.len() as u32 - 1;
            let along = |l: &Load| {
                let kind = match l.kind {
                    LoadKind::Line { member: m, force } if m as usize == member => {
                        LoadKind::Line { member: piece, force }
                    }
                    LoadKind::Warmth { member: m, by, growth } if m as usize == member => {
                        LoadKind::Warmth { member: piece, by, growth }
                    }
                    _ => return None,
                };
                Some(Load { case: l.case.clone(), kind })
            };
            self.loads.extend(loads.iter().filter_map(along));
        }
        joints
    }

    /// Keeps some members, and the joints that they use; loads on what is gone go too.
    pub fn keep(&mut self, kept: &[bool]) {
        let mut used = vec![false; self.joints.len()];
        for (m, _) in self.members.iter().zip(kept).filter(|(_, kept)| **kept) {
            m.ends.iter().for_each(|j| used[*j as usize] = true);
        }
        let (member, joint) = (numbers(kept), numbers(&used));
        let mut kept = kept.iter();
        self.members.retain(|_| *kept.next().unwrap_or(&false));
        self.members.iter_mut().flat_map(|m| &mut m.ends).for_each(|j| *j = joint[*j as usize].unwrap_or(0));
        let mut used = used.iter();
        self.joints.retain(|_| *used.next().unwrap_or(&false));
        let of = |list: &[Option<u32>], i: u32| list.get(i as usize).copied().flatten();
        self.loads.retain_mut(|load| match &mut load.kind {
            LoadKind::Weight { .. } => true,
            LoadKind::Joint { joint: j, .. } => of(&joint, *j).map(|n| *j = n).is_some(),
            LoadKind::Line { member: m, .. } | LoadKind::Warmth { member: m, .. } => {
                of(&member, *m).map(|n| *m = n).is_some()
            }
        });
    }

    /// Makes one member of two that go straight on within `angle` degrees at a joint where nothing else is: no other member,
    /// no support, no load, no hinge or offset; both of one section, material, layer and turn, with the same loads. Gives how many went.
    pub fn merge_straight(&mut self, angle: f64) -> usize {
        let least = angle.to_radians().cos();
        let mut at: Vec<Vec<u32>> = vec![Vec::new(); self.joints.len()];
        for (i, m) in self.members.iter().enumerate() {
            m.ends.iter().for_each(|j| at[*j as usize].push(i as u32));
        }
        let mut loaded: Vec<bool> = self.joints.iter().map(Joint::is_supported).collect();
        for l in &self.loads {
            if let LoadKind::Joint { joint, .. } = l.kind {
                loaded[joint as usize] = true;
            }
        }
        let along = self.loads_along();
        let mut gone = vec![false; self.members.len()];
        for j in 0..self.joints.len() {
            let &[a, b] = at[j].as_slice() else { continue };
            if loaded[j] || a == b || along[a as usize] != along[b as usize] || !self.is_straight(a, b, j as u32, least)
            {
                continue;
            }
            let (keep, drop) = (a.min(b) as usize, a.max(b) as usize);
            let far = self.members[drop].ends[usize::from(self.members[drop].ends[0] == j as u32)];
            let own = usize::from(self.members[keep].ends[1] == j as u32);
            let last = usize::from(self.members[drop].ends[1] == far);
            let (end, offset) = (self.members[drop].joined[last], self.members[drop].offset[last]);
            self.members[keep].ends[own] = far;
            self.members[keep].joined[own] = end;
            self.members[keep].offset[own] = offset;
            gone[drop] = true;
            // What met the one that went meets the one that stays.
            at[far as usize].iter_mut().filter(|m| **m == drop as u32).for_each(|m| *m = keep as u32);
        }
        let kept: Vec<bool> = gone.iter().map(|g| !g).collect();
        self.keep(&kept);
        gone.iter().filter(|g| **g).count()
    }

    fn is_straight(&self, a: u32, b: u32, joint: u32, least: f64) -> bool {
        let (m, n) = (&self.members[a as usize], &self.members[b as usize]);
        let like = |m: &Member| (m.section, m.material, m.layer, m.turn.to_bits());
        let hinged = |m: &Member| {
            let end = usize::from(m.ends[1] == joint);
            m.joined[end] != End::Rigid || m.offset[end] != [0.0; 3]
        };
        let away = |m: &Member| {
            let [p, q] = self.places(m);
            unit(if m.ends[0] == joint { sub(q, p) } else { sub(p, q) })
        };
        let straight = away(m).zip(away(n)).is_some_and(|(u, v)| -dot(u, v) >= least);
        like(m) == like(n) && !hinged(m) && !hinged(n) && straight
    }

    /// What acts along each member, as text that compares.
    fn loads_along(&self) -> Vec<Vec<String>> {
        let mut out = vec![Vec::new(); self.members.len()];
        for l in &self.loads {
            match &l.kind {
                LoadKind::Line { member, force } => out[*member as usize].push(format!("{} {force:?}", l.case)),
                LoadKind::Warmth { member, by, growth } => {
                    out[*member as usize].push(format!("{} {by} {growth}", l.case));
                }
                _ => {}
            }
        }
        out.iter_mut().for_each(|all| all.sort());
        out
    }

    /// Adds copies of some members, carried by `place` as a whole; ends that meet joints become those. Gives how many came.
    pub fn copy(&mut self, members: &[usize], place: impl Fn(Point) -> Point) -> usize {
        let origin = place([0.0; 3]);
        let turn = Turn::of(|v| sub(place(v), origin));
        let mut came = 0;
        for m in members {
            let mut like = self.members[*m].clone();
            let axes = self.axes(&like).map(|a| turn.direction(a));
            let joints = like.ends.map(|j| self.joints[j as usize].at);
            let offset = [0, 1].map(|e| sub(place(add(joints[e], like.offset[e])), place(joints[e])));
            let is_offset = like.is_offset();
            let ends = joints.map(&place).map(|p| self.joint_at(p, 0.0));
            like.turn = self.turn_for(&Member { ends, offset, ..like.clone() }, axes);
            let drawn = self.draw(ends, like);
            if let Some(last) = self.members.last_mut().filter(|_| drawn && is_offset) {
                last.offset = offset;
            }
            came += usize::from(drawn);
        }
        came
    }

    /// Moves some joints; those that come upon others are not joined with them.
    pub fn move_joints(&mut self, joints: &[u32], by: V3) {
        for j in joints {
            self.joints[*j as usize].at = add(self.joints[*j as usize].at, by);
        }
    }
}

/// The new number of each thing that is kept.
fn numbers(kept: &[bool]) -> Vec<Option<u32>> {
    let mut n = 0;
    let next = |k: &bool| {
        k.then(|| {
            n += 1;
            n - 1
        })
    };
    kept.iter().map(next).collect()
}
