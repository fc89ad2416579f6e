"""The trial of frames against scipy: seeded frames are put together here from the matrices of Przemieniecki (Theory of Matrix
Structural Analysis, 1968, with shear deformation), solved with scipy's sparse solver and its eigenvalues, and compared with what
`hull frame` says: every movement, every reaction, the lowest frequencies, the factor of buckling. What is handed over is read by
netCDF4, VTK, IfcOpenShell and trimesh.
Usage: frames.py HULL_BINARY. Exits 1 at the first difference."""

import json
import pathlib
import subprocess
import sys
import tempfile

import ifcopenshell
import ifcopenshell.geom
import ifcopenshell.util.unit
import ifcopenshell.validate
import netCDF4
import numpy as np
import scipy.linalg
import scipy.sparse
import scipy.sparse.linalg
import trimesh
from vtkmodules.vtkIOExodus import vtkExodusIIReader

hull = sys.argv[1]
checks = 0
# Members are divided so for frequencies and buckling.
PIECES = 4


def same(what, ours, theirs, relative):
    global checks
    checks += 1
    ours, theirs = np.asarray(ours, float), np.asarray(theirs, float)
    size = max(np.abs(theirs).max(), 1e-12)
    if not np.abs(ours - theirs).max() <= relative * size:
        sys.exit(f"{what}: hull says {ours}, scipy {theirs}")


def bending(f, phi, l):
    a, b, c, d = 12 * f / l**2, 6 * f / l, (4 + phi) * f, (2 - phi) * f
    return np.array([[a, b, -a, b], [b, c, -b, d], [-a, -b, a, -b], [b, d, -b, c]])


PLANES = [([1, 5, 7, 11], np.diag([1, 1, 1, 1])), ([2, 4, 8, 10], np.diag([1, -1, 1, -1]))]


def blocks(along, turning, planes):
    k = np.zeros((12, 12))
    for (i, j), m in [((0, 6), along), ((3, 9), turning)]:
        k[np.ix_([i, j], [i, j])] += m
    for (at, sign), m in zip(PLANES, planes):
        k[np.ix_(at, at)] += sign @ m @ sign
    return k


def stiffness(s, m, l):
    pair = np.array([[1, -1], [-1, 1]])
    planes = []
    for i, shear in [(s["iz"], s["shear"][0]), (s["iy"], s["shear"][1])]:
        phi = 12 * m["young"] * i / (m["shear"] * shear * l * l)
        planes.append(bending(m["young"] * i / (l * (1 + phi)), phi, l))
    return blocks(m["young"] * s["area"] / l * pair, m["shear"] * s["torsion"] / l * pair, planes)


def mass(s, m, l):
    pair = np.array([[2, 1], [1, 2]]) / 6
    all_of_it = m["density"] * s["area"] * l
    of = np.array([[156, 22 * l, 54, -13 * l], [22 * l, 4 * l * l, 13 * l, -3 * l * l], [54, 13 * l, 156, -22 * l], [-13 * l, -3 * l * l, -22 * l, 4 * l * l]])
    polar = m["density"] * (s["iy"] + s["iz"]) * l
    return blocks(all_of_it * pair, polar * pair, [of * all_of_it / 420] * 2)


def geometric(force, l):
    of = force / (30 * l) * np.array([[36, 3 * l, -36, 3 * l], [3 * l, 4 * l * l, -3 * l, -l * l], [-36, -3 * l, 36, -3 * l], [3 * l, -l * l, -3 * l, 4 * l * l]])
    return blocks(np.zeros((2, 2)), np.zeros((2, 2)), [of, of])


def axes(a, b):
    x = (b - a) / np.linalg.norm(b - a)
    up = np.array([1.0, 0, 0]) if abs(x[2]) > 0.999999 else np.array([0, 0, 1.0])
    z = up - x * (up @ x)
    z /= np.linalg.norm(z)
    return np.array([x, np.cross(z, x), z])


def stand(frame, i):
    """Where a member's ends are, how long it is, and the way from its joints' movements to its own ends' about its own axes:
    an end beside its joint goes with the joint's turn."""
    m = frame["members"][i]
    beside = np.array(frame["beside"].get(i, np.zeros((2, 3))))
    a, b = (np.array(frame["joints"][e]["at"]) + o for e, o in zip(m["ends"], beside))
    t = np.eye(12)
    for end, (x, y, z) in enumerate(beside):
        t[6 * end :, 6 * end + 3 :][:3, :3] = [[0, z, -y], [-z, 0, x], [y, -x, 0]]
    return a, b, np.linalg.norm(b - a), np.kron(np.eye(4), axes(a, b)) @ t


def assemble(frame, of):
    n = 6 * len(frame["joints"])
    rows, columns, values = [], [], []
    for i, m in enumerate(frame["members"]):
        s, mat = frame["sections"][m["section"]], frame["materials"][m["material"]]
        _, _, l, t = stand(frame, i)
        k = t.T @ of(i, s, mat, l) @ t
        at = [6 * e + d for e in m["ends"] for d in range(6)]
        for r in range(12):
            rows += [at[r]] * 12
            columns += at
            values += list(k[r])
    return scipy.sparse.csc_matrix((values, (rows, columns)), shape=(n, n))


def loads(frame):
    out = np.zeros(6 * len(frame["joints"]))
    for load in frame["loads"]:
        kind = load["kind"]
        if "Joint" in kind:
            out[6 * kind["Joint"]["joint"] :][:6] += kind["Joint"]["force"]
        if "Line" in kind:
            i = kind["Line"]["member"]
            a, b, l, t = stand(frame, i)
            q = axes(a, b) @ np.array(kind["Line"]["force"])
            local = np.zeros(12)
            local[[0, 6]] = q[0] * l / 2
            local[[1, 7]] = q[1] * l / 2
            local[[5, 11]] = [q[1] * l * l / 12, -q[1] * l * l / 12]
            local[[2, 8]] = q[2] * l / 2
            local[[4, 10]] = [-q[2] * l * l / 12, q[2] * l * l / 12]
            world = t.T @ local
            for k, e in enumerate(frame["members"][i]["ends"]):
                out[6 * e :][:6] += world[6 * k :][:6]
    return out


def divided(frame):
    out = {**frame, "joints": list(frame["joints"]), "members": [], "beside": {}, "loads": [l for l in frame["loads"] if "Joint" in l["kind"]]}
    for i, m in enumerate(frame["members"]):
        a, b, _, _ = stand(frame, i)
        beside = frame["beside"].get(i, np.zeros((2, 3)))
        before = m["ends"][0]
        for k in range(1, PIECES + 1):
            after = m["ends"][1]
            if k < PIECES:
                out["joints"].append({"at": list(a + (b - a) * k / PIECES), "held": ["Free"] * 6})
                after = len(out["joints"]) - 1
            out["beside"][len(out["members"])] = [beside[0] if k == 1 else np.zeros(3), beside[1] if k == PIECES else np.zeros(3)]
            out["members"].append({**m, "ends": [before, after]})
            for l in frame["loads"]:
                if "Line" in l["kind"] and l["kind"]["Line"]["member"] == i:
                    out["loads"].append({"case": l["case"], "kind": {"Line": {"member": len(out["members"]) - 1, "force": l["kind"]["Line"]["force"]}}})
            before = after
    return out


def solved(frame):
    held = np.array([f == "Held" for j in frame["joints"] for f in j["held"]])
    free = np.flatnonzero(~held)
    k = assemble(frame, lambda i, s, m, l: stiffness(s, m, l))
    f = loads(frame)
    u = np.zeros(len(held))
    u[free] = scipy.sparse.linalg.spsolve(k[np.ix_(free, free)], f[free])
    return u, k @ u - f, held, free, k


def random_frame(seed):
    rng = np.random.default_rng(seed)
    joint = lambda at, held="Free": {"at": list(map(float, at)), "held": [held] * 6}
    joints, members, bays = [], [], int(rng.integers(1, 4))
    w, h, d = rng.uniform(1500, 6000), rng.uniform(2000, 5000), rng.uniform(1500, 5000)
    sections = [
        {"name": f"s{i}", "area": float(rng.uniform(500, 5000)), "iy": float(rng.uniform(1e6, 3e7)), "iz": float(rng.uniform(3e5, 9e5)), "torsion": float(rng.uniform(1e4, 3e6)), "shear": [float(rng.uniform(200, 400)), float(rng.uniform(200, 400))], "reach": [50.0, 25.0]}
        for i in range(2)
    ]
    materials = [{"name": "S235", "young": 210000.0, "shear": 81000.0, "density": 7.85e-9, "yields": 235.0}]
    member = lambda a, b, s: members.append({"ends": [a, b], "section": s, "material": 0, "layer": 0, "turn": 0.0, "joined": ["rigid", "rigid"]})
    for i in range(bays + 1):
        for y in [0.0, d]:
            joints.append(joint([i * w, y, 0], "Held"))
            joints.append(joint([i * w + rng.uniform(-50, 50), y, h + rng.uniform(-50, 50)]))
            member(len(joints) - 2, len(joints) - 1, 0)
        member(len(joints) - 3, len(joints) - 1, 1)
        if i:
            member(len(joints) - 7, len(joints) - 3, 1)
            member(len(joints) - 5, len(joints) - 1, 1)
            member(len(joints) - 8, len(joints) - 3, 1)
    some = [{"case": "use", "kind": {"Line": {"member": m, "force": list(map(float, rng.uniform(-3, 3, 3) - [0, 0, 6]))}}} for m in range(0, len(members), 2)]
    some += [{"case": "use", "kind": {"Joint": {"joint": 1, "force": list(map(float, rng.uniform(-3000, 3000, 3))) + list(map(float, rng.uniform(-1e5, 1e5, 3)))}}}]
    # Half of them have members that end beside their joints.
    beside = {i: rng.uniform(-150, 150, (2, 3)) for i in range(0, len(members), 3)} if seed % 2 else {}
    offsets = [[i, of.tolist()] for i, of in beside.items()]
    return {"joints": joints, "members": members, "sections": sections, "materials": materials, "layers": ["all"], "loads": some, "offsets": offsets, "beside": beside}


def told_of(frame):
    return json.dumps({"length": "mm", "frame": {k: v for k, v in frame.items() if k != "beside"}})


with tempfile.TemporaryDirectory() as folder:
    for seed in range(12):
        frame = random_frame(seed)
        path = pathlib.Path(folder, f"{seed}.json")
        path.write_text(told_of(frame))
        told = json.loads(subprocess.run([hull, "frame", path, "--json", "--frequencies", "5"], check=True, capture_output=True).stdout)
        case = told["cases"][0]
        u, reactions, held, free, k = solved(frame)
        moved = np.array(case["moved"]).ravel()
        turns = np.tile([False] * 3 + [True] * 3, len(frame["joints"]))
        same(f"{seed}: movements", moved[~turns], u[~turns], 1e-7)
        same(f"{seed}: turns", moved[turns], u[turns], 1e-7)
        same(f"{seed}: reactions", np.array(case["reactions"]).ravel()[held], reactions[held], 1e-7)

        fine = divided(frame)
        u, _, _, free, k = solved(fine)
        m = assemble(fine, lambda i, s, mat, l: mass(s, mat, l))
        part = lambda x: x[np.ix_(free, free)].toarray()
        values = scipy.linalg.eigh(part(k), part(m), eigvals_only=True, subset_by_index=[0, 4])
        same(f"{seed}: frequencies", told["frequencies"], np.sqrt(values) / (2 * np.pi), 1e-5)

        normal = []
        for i, mem in enumerate(fine["members"]):
            _, _, l, t = stand(fine, i)
            local = t @ np.concatenate([u[6 * e :][:6] for e in mem["ends"]])
            s, mat = fine["sections"][mem["section"]], fine["materials"][mem["material"]]
            # The mean force along it: loads along a member change it evenly.
            normal.append(mat["young"] * s["area"] * (local[6] - local[0]) / l)
        pressed = assemble(fine, lambda i, s, mat, l: geometric(-normal[i], l))
        values = scipy.linalg.eigh(part(pressed), part(k), eigvals_only=True)
        same(f"{seed}: buckling", case["buckling"], 1 / values.max(), 1e-5)

    # What is handed over as Exodus II, as netCDF4 and VTK's reader see it.
    frame = random_frame(0)
    frame["loads"] = [{"case": "use", "kind": {"Joint": {"joint": 1, "force": [0, 10.0, -100.0, 0, 0, 0]}}}]
    frame["sections"] = [{"name": "RHS 100x50x5", "area": 1400.0, "iy": 1.7e6, "iz": 5.6e6, "torsion": 1.3e6, "shear": [460.0, 930.0], "reach": [50.0, 25.0]}] * 2
    path.write_text(told_of(frame))
    routine = pathlib.Path(folder, "axes.toml")
    routine.write_text('name = "axes"\n[[steps]]\nstep = "orient"\nup = "+z"\nforward = "+x"\n'
                       '[[steps]]\nstep = "name_set"\nname = "some"\nlayer = "#1, 3"\njoints = "ends"\nwithin = 1.0\n')
    out = pathlib.Path(folder, "handover")
    made = subprocess.run([hull, "prepare", path, "--routine", routine, "--destination", "frame", "--form", "frame", "--out", out], capture_output=True, text=True)
    if made.returncode:
        sys.exit(made.stdout + made.stderr)
    written = next(out.glob("*.exo"))
    with netCDF4.Dataset(written) as file:
        same("netCDF4: bars", file.dimensions["num_elem"].size, len(frame["members"]), 0)
        same("netCDF4: area of the first block", file["attrib1"][0][0], frame["sections"][0]["area"], 0)
    read = vtkExodusIIReader(file_name=str(written))
    read.UpdateInformation()
    read.Update()
    blocks = read.GetOutput().GetBlock(0)
    bars = sum(blocks.GetBlock(i).GetNumberOfCells() for i in range(blocks.GetNumberOfBlocks()))
    same("vtk: bars", bars, len(frame["members"]), 0)
    same("vtk: node sets", read.GetNumberOfObjects(vtkExodusIIReader.NODE_SET), 2, 0)
    same("vtk: element sets", read.GetNumberOfObjects(vtkExodusIIReader.ELEM_SET), 1, 0)
    same("vtk: bars in the set", read.GetNumberOfEntriesInObject(vtkExodusIIReader.ELEM_SET, 0), 2, 0)

    # A frame of every kind of section as a structural model, as IfcOpenShell reads it: rules of the schema, units, profiles,
    # supports, ends, loads; and its solids, as trimesh reads them.
    names = ["IPE 200", "RHS 120x80x6", "CHS 60.3x4", "ROUND 40", "TIMBER 200x80", "U 100x50x5x8", "L 60x60x6", "T 80x60x6x8", "OUTLINE 0,0 60,0 60,40 30,40 0,20"]
    joints = [{"at": [0.0, 1000.0 * i, z], "held": ["Held"] * 6 if z == 0 else ["Free"] * 6} for i in range(len(names)) for z in (0.0, 2000.0)]
    joints[0]["held"] = [{"Spring": 500.0}, "Held", "Held", {"Spring": 2e6}, "Held", "Held"]
    joints[2]["held"][2] = {"Moved": -3.0}
    bar = lambda a, b, layer: {"ends": [a, b], "section": None, "material": None, "layer": layer, "turn": 0.0, "joined": ["rigid", "rigid"]}
    members = [bar(2 * i, 2 * i + 1, 0) for i in range(len(names))] + [bar(2 * i + 1, 2 * i + 3, 1) for i in range(len(names) - 1)]
    members[-1]["joined"] = ["rigid", "pinned"]
    members[2]["joined"] = [{"elastic": 4e9}, "rigid"]
    offsets = [[10, [[0.0, 0.0, 60.0], [0.0, -25.4, 60.0]]]]
    loads = [
        {"case": "own weight", "kind": {"Weight": {"acceleration": [0.0, 0.0, -9806.65]}}},
        {"case": "wind", "kind": {"Joint": {"joint": 3, "force": [120.0, 0.0, 0.0, 0.0, 5000.0, 0.0]}}},
        {"case": "wind", "kind": {"Line": {"member": 9, "force": [0.0, 0.0, -2.5]}}},
        {"case": "sun", "kind": {"Warmth": {"member": 10, "by": 30.0, "growth": 1.2e-5}}},
    ]
    frame = {"joints": joints, "members": members, "sections": [], "materials": [], "layers": ["posts", "rail"], "loads": loads, "offsets": offsets, "combinations": [{"name": "all", "parts": [["own weight", 1.35], ["wind", 1.5]]}], "sets": [{"name": "edge", "members": [0, 3, 10], "joints": [1]}]}
    path.write_text(told_of(frame))
    steps = [f'[[steps]]\nstep = "set_section"\nlayer = "#{i + 1}"\nsection = "{name}"\nmaterial = "S355"\nturn = 0.0\n' for i, name in enumerate(names)]
    steps.append('[[steps]]\nstep = "set_section"\nlayer = "kind:beam"\nsection = "HEA 100"\nmaterial = "C24"\nturn = 0.0\n')
    routine.write_text('name = "sections"\n[[steps]]\nstep = "orient"\nup = "+z"\nforward = "+x"\n' + "".join(steps))
    out = pathlib.Path(folder, "model")
    made = subprocess.run([hull, "prepare", path, "--routine", routine, "--destination", "frame", "--form", "frame", "--unit", "in", "--out", out], capture_output=True, text=True)
    if made.returncode:
        sys.exit(made.stdout + made.stderr)
    model = ifcopenshell.open(next(out.glob("*.ifc")))
    log = ifcopenshell.validate.json_logger()
    ifcopenshell.validate.validate(model, log, express_rules=True)
    same("ifc: broken rules of the schema", len(log.statements), 0, 0) if not log.statements else sys.exit(f"ifc: {log.statements[:3]}")
    metre = ifcopenshell.util.unit.calculate_unit_scale(model)
    same("ifc: length unit", metre, 0.0254, 1e-9)
    bars = model.by_type("IfcStructuralCurveMember")
    same("ifc: members", len(bars), len(members), 0)
    beside = {i: np.array(of) for i, of in offsets}
    for i, (member, of) in enumerate(zip(bars, members)):
        edge = member.Representation.Representations[0].Items[0]
        ends = [v.VertexGeometry.Coordinates for v in (edge.EdgeStart, edge.EdgeEnd)]
        same("ifc: ends", np.array(ends) * metre * 1e3, np.array([joints[e]["at"] for e in of["ends"]]) + beside.get(i, 0.0), 1e-9)
    for relation, of in zip(sorted(model.by_type("IfcRelConnectsWithEccentricity"), key=lambda r: r.id()), beside[10]):
        way = relation.ConnectionConstraint
        told = np.array([way.EccentricityInX, way.EccentricityInY, way.EccentricityInZ])
        points = [np.array(p.Coordinates) for p in (way.PointOnRelatingElement, way.PointOnRelatedElement)]
        same("ifc: from its end to the joint", told * metre * 1e3, -of, 1e-9)
        same("ifc: the same as between its points", told, points[1] - points[0], 1e-9)
    settings = ifcopenshell.geom.settings()
    handed = json.loads(next(out.glob("*.json")).read_text() if len(list(out.glob("*.json"))) == 1 else next(p for p in out.glob("*.json") if "manifest" not in p.name).read_text())["frame"]
    for profile in model.by_type("IfcProfileDef"):
        section = next(s for s in handed["sections"] if s["name"] == profile.ProfileName)
        figures = {p.Name: p.NominalValue.wrappedValue for p in profile.HasProperties[0].Properties}
        same(f"ifc: {profile.ProfileName}", [figures["CrossSectionArea"] * 1e6, figures["MomentOfInertiaY"] * 1e12], [section["area"], section["iy"]], 1e-9)
        # The profile that IfcOpenShell draws of the dimensions, pushed one unit: its volume, in m³.
        up = model.create_entity("IfcDirection", (0.0, 0.0, 1.0))
        pushed = model.create_entity("IfcExtrudedAreaSolid", profile, None, up, 1.0)
        drawn = ifcopenshell.geom.create_shape(settings, pushed)
        solid = trimesh.Trimesh(np.array(drawn.verts).reshape(-1, 3), np.array(drawn.faces).reshape(-1, 3))
        same(f"ifc: area drawn of {profile.ProfileName}", solid.volume / metre * 1e6, section["area"], 2e-2)
    held = [c for c in model.by_type("IfcStructuralPointConnection") if c.AppliedCondition]
    same("ifc: supports", len(held), len(names), 0)
    named = [g for g in model.by_type("IfcGroup") if g.is_a() == "IfcGroup"]
    told = sorted(o.Name for r in named[0].IsGroupedBy for o in r.RelatedObjects)
    same("ifc: sets", [len(named), told == ["joint 2", "member 1", "member 11", "member 4"]], [1, True], 0)
    spring = held[0].AppliedCondition
    same("ifc: springs", [spring.TranslationalStiffnessX.wrappedValue, spring.RotationalStiffnessX.wrappedValue], [5e5, 2e3], 1e-12)
    ends = [r for r in model.by_type("IfcRelConnectsStructuralMember") if r.AppliedCondition]
    same("ifc: ends let go or on springs", len(ends), 2, 0)
    elastic, *ends = sorted(ends, key=lambda r: r.id())
    same("ifc: an end's spring", [x.wrappedValue for x in (elastic.AppliedCondition.RotationalStiffnessY, elastic.AppliedCondition.RotationalStiffnessZ)], [4e6, 4e6], 1e-12)
    same("ifc: about y and z", [x.wrappedValue for x in (ends[0].AppliedCondition.RotationalStiffnessX, ends[0].AppliedCondition.RotationalStiffnessY, ends[0].AppliedCondition.RotationalStiffnessZ)], [True, False, False], 0)
    cases = {c.Name: c for c in model.by_type("IfcStructuralLoadCase")}
    same("ifc: weight", cases["own weight"].SelfWeightCoefficients, [0, 0, -1], 1e-12)
    acting = {a.is_a(): a.AppliedLoad for r in cases["wind"].IsGroupedBy for a in r.RelatedObjects}
    same("ifc: force", [acting["IfcStructuralPointAction"].ForceX, acting["IfcStructuralPointAction"].MomentY], [120, 5], 1e-12)
    same("ifc: along a member", acting["IfcStructuralCurveAction"].LinearForceZ, -2500, 1e-12)
    same("ifc: a support moved", model.by_type("IfcStructuralLoadSingleDisplacement")[0].DisplacementZ * metre * 1e3, -3, 1e-9)
    factors = {r.RelatedObjects[0].Name: r.Factor for r in model.by_type("IfcRelAssignsToGroupByFactor")}
    same("ifc: factors", [factors["own weight"], factors["wind"]], [1.35, 1.5], 0)
    text = next(out.glob("*-solids.step")).read_text()
    same("step: a place for each member", text.count("NEXT_ASSEMBLY_USAGE_OCCURRENCE("), len(handed["members"]), 0)
    solid = trimesh.load(next(out.glob("*-solids.stl")))
    exact = sum(handed["sections"][m["section"]]["area"] * np.linalg.norm(np.subtract(*(np.array([joints[e]["at"] for e in m["ends"]]) + beside.get(i, 0.0)))) for i, m in enumerate(handed["members"]))
    same("trimesh: solids", [solid.volume * 25.4**3, float(solid.is_watertight)], [exact, 1.0], 8e-3)

print(f"frames agree with scipy, netCDF4, vtk, IfcOpenShell and trimesh: {checks} figures")
