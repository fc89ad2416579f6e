"""A robot that `hull` composes is read by yourdfpy (with its meshes) and by usd-core (with its own checker), and masses and
moments agree with trimesh; a stage that usd-core writes and descriptions that others made (example-robot-data) come in whole.
Usage: robots.py HULL_BINARY. Exits 1 at the first difference."""

import json
import pathlib
import subprocess
import sys
import tempfile
from xml.etree import ElementTree

import numpy as np
import plyfile
import trimesh
import yourdfpy
from PIL import Image
from pxr import Gf, Usd, UsdGeom, UsdPhysics, UsdValidation

hull = sys.argv[1]
checks = 0


def same(what, ours, theirs, tolerance=0.0):
    global checks
    checks += 1
    if not np.abs(np.asarray(ours, float) - np.asarray(theirs, float)).max() <= tolerance:
        sys.exit(f"{what}: hull says {ours}, the other {theirs}")


PLAN = """
name = "bench"
around = ["deck.ply"]
[[links]]
name = "foot"
parts = ["foot.stl"]
collision = "box"
[[links]]
name = "arm"
parts = ["arm.stl", "knob.stl"]
density = 2700.0
collision = "pieces"
colour = [200, 150, 60]
[[links]]
name = "slide"
parts = ["slide.stl"]
mass = 1.5
collision = "cylinder"
[[joints]]
kind = "revolute"
parent = "foot"
child = "arm"
at = [0.0, 0.0, 60.0]
axis = [0.0, 3.0, 0.0]
limits = [-30.0, 80.0]
[[joints]]
kind = "prismatic"
parent = "arm"
child = "slide"
at = [300.0, 0.0, 60.0]
axis = [1.0, 0.0, 0.0]
limits = [0.0, 100.0]
[[cameras]]
name = "eye"
link = "arm"
at = [-400.0, 0.0, 300.0]
towards = [600.0, 0.0, 0.0]
width = 64
height = 48
view = 70.0
"""

# A capture around it, as binary PLY by plyfile: one splat behind the other.
SPLATS = ["x", "y", "z", "f_dc_0", "f_dc_1", "f_dc_2", "opacity", "scale_0", "scale_1", "scale_2"]
SPLATS += ["rot_0", "rot_1", "rot_2", "rot_3"]


def scene(out, validators, rows):
    """The robot with the capture around it in one USDZ of crates: what usd-core makes of it, and the camera's numbers."""
    stage = Usd.Stage.Open(str(out / "scene.usdz"))
    wrong = [e.GetMessage() for e in UsdValidation.ValidationContext(validators).Validate(stage)]
    if wrong:
        sys.exit(f"scene: {wrong}")
    points = UsdGeom.Points(next(p for p in stage.Traverse() if p.IsA(UsdGeom.Points)))
    metres = np.stack([rows["x"], rows["y"], rows["z"]], 1) / 1000
    same("scene: places of splats", np.asarray(points.GetPointsAttr().Get()), metres, 1e-6)
    same("scene: widths", np.asarray(points.GetWidthsAttr().Get()), 0.04, 1e-6)
    opacity = UsdGeom.PrimvarsAPI(points).GetPrimvar("displayOpacity").Get()
    same("scene: opacities", np.asarray(opacity), 1 / (1 + np.exp(-2.0)), 1e-6)
    same("scene: meshes", len([p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]) >= 3, True)
    prim = next(p for p in stage.Traverse() if p.IsA(UsdGeom.Camera))
    camera = UsdGeom.Camera(prim).GetCamera()
    same("camera: angle of view", camera.GetFieldOfView(Gf.Camera.FOVHorizontal), 70, 1e-4)
    told = json.loads((out / "cameras/cameras.json").read_text())["cameras"][0]
    place = UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(Usd.TimeCode.Default())
    same("camera: place", place.ExtractTranslation(), told["in_root_frame_at_zero"]["at"], 1e-9)
    same("camera: looks along −z", place.TransformDir((0, 0, -1)), told["in_root_frame_at_zero"]["axes"][2], 1e-9)
    # The depth of the arm where a ray of trimesh meets it first.
    depth = np.asarray(Image.open(out / "cameras/eye-depth.png"), float) / 1000
    right, down, forward = (np.array(a) for a in told["in_root_frame_at_zero"]["axes"])
    at, focal = np.array(told["in_root_frame_at_zero"]["at"]), told["intrinsics"]["focal"]
    label = np.asarray(Image.open(out / "cameras/eye-label.png"))
    arm = trimesh.load(out / "meshes/arm.stl")
    arm.apply_translation((0, 0, 0.06))
    seen = np.argwhere(label == 2)
    same("camera: the arm is seen", len(seen) > 20, True)
    rays = np.array([forward + (x + 0.5 - 32) / focal * right + (y + 0.5 - 24) / focal * down for y, x in seen])
    hits, which, _ = arm.ray.intersects_location(np.tile(at, (len(rays), 1)), rays, multiple_hits=False)
    same("camera: rays that meet the arm", len(set(which)), len(seen))
    far = (hits - at) @ forward
    same("camera: depths", depth[tuple(seen[which].T)], far, 6e-4)


def composed(folder):
    foot = trimesh.creation.box((200, 200, 60))
    foot.apply_translation((0, 0, 30))
    arm = trimesh.creation.box((250, 40, 40))
    arm.apply_translation((140, 0, 90))
    knob = trimesh.creation.icosphere(3, 30)
    knob.apply_translation((100, 0, 150))
    slide = trimesh.creation.cylinder(15, 120)
    slide.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    slide.apply_translation((340, 0, 60))
    for name, mesh in (("foot", foot), ("arm", arm), ("knob", knob), ("slide", slide)):
        mesh.export(folder / f"{name}.stl")
    rows = np.zeros(500, dtype=[(n, "f4") for n in SPLATS])
    dice = np.random.default_rng(7)
    rows["x"], rows["y"], rows["z"] = dice.uniform(-1000, 1000, 500), dice.uniform(-1000, 1000, 500), -5
    rows["opacity"], rows["rot_0"] = 2.0, 1.0
    for k, s in enumerate((20, 20, 2)):
        rows[f"scale_{k}"] = np.log(s)
    plyfile.PlyData([plyfile.PlyElement.describe(rows, "vertex")]).write(str(folder / "deck.ply"))
    (folder / "plan.toml").write_text(PLAN)
    out = folder / "out"
    run = subprocess.run([hull, "robot", folder / "plan.toml", "--out", out, "--json"], capture_output=True, text=True)
    if run.returncode == 2:
        sys.exit(run.stderr)
    told = json.loads(run.stdout)
    same("the other findings", len([f for f in told["findings"] if "meet" not in f]), 0)

    robot = yourdfpy.URDF.load(str(out / "bench.urdf"), load_meshes=True, load_collision_meshes=True)
    same("yourdfpy: links", len(told["links"]), len(robot.robot.links))
    same("yourdfpy: joints", told["joints"], len(robot.robot.joints))
    same("yourdfpy: movable", 2, len(robot.actuated_joints))
    both = trimesh.util.concatenate([arm, knob])
    both.apply_translation((0, 0, -60))
    both.apply_scale(1e-3)
    both.density = 2700
    inertial = robot.link_map["arm"].inertial
    same("mass of the arm", inertial.mass, both.mass, 1e-6 * both.mass)
    same("centre of the arm", inertial.origin[:3, 3], both.center_mass, 1e-7)
    same("moments of the arm", inertial.inertia, both.moment_inertia, 1e-6 * both.moment_inertia.max())
    same("mass that was given", robot.link_map["slide"].inertial.mass, 1.5, 1e-9)
    robot.update_cfg({robot.actuated_joint_names[0]: 0.5, robot.actuated_joint_names[1]: 0.05})
    place = robot.get_transform("slide", "foot")[:3, 3]
    c, s = np.cos(0.5), np.sin(0.5)
    same("where the slide is", place, (0.35 * c, 0, 0.06 - 0.35 * s), 1e-9)
    seen = robot.scene.geometry
    same("yourdfpy: meshes loaded", len(seen), 3)

    nodes = trimesh.load(out / "bench.glb", force="scene")
    # Y up there, Z up here: (x, y, z) is (x, -z, y).
    turn = trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0, 0))
    robot.update_cfg({name: 0.0 for name in robot.actuated_joint_names})
    for link in told["links"]:
        own = turn @ nodes.graph.get(link["name"])[0]
        same(f"glb: where {link['name']} is", own, robot.get_transform(link["name"], "foot"), 1e-9)
    solids = {n: (nodes.graph.get(n)) for n in nodes.graph.nodes_geometry}
    same("glb: surfaces", len(solids), 3)
    arm_volume = sum(nodes.geometry[g].volume for n, (_, g) in solids.items() if n.startswith("arm"))
    same("glb: volume of the arm", arm_volume, both.volume, 1e-5 * both.volume)

    stage = Usd.Stage.Open(str(out / "bench.usda"))
    same("usd: metres", UsdGeom.GetStageMetersPerUnit(stage), 1)
    same("usd: up", UsdGeom.GetStageUpAxis(stage) == "Z", True)
    bodies = [p for p in stage.Traverse() if p.HasAPI(UsdPhysics.RigidBodyAPI)]
    same("usd: bodies", len(bodies), 3)
    masses = [UsdPhysics.MassAPI(p).GetMassAttr().Get() for p in bodies]
    same("usd: mass", sum(masses), told["mass"], 1e-5 * told["mass"])
    moments = UsdPhysics.MassAPI(stage.GetPrimAtPath("/bench/arm")).GetDiagonalInertiaAttr().Get()
    same("usd: principal moments", sorted(moments), sorted(both.principal_inertia_components), 1e-5 * max(moments))
    joints = [p for p in stage.Traverse() if p.IsA(UsdPhysics.Joint)]
    same("usd: joints", len(joints), 2)
    turning = next(UsdPhysics.RevoluteJoint(p) for p in joints if p.IsA(UsdPhysics.RevoluteJoint))
    same("usd: upper limit in degrees", turning.GetUpperLimitAttr().Get(), 80, 1e-4)
    # The joint's x in the foot is the axis that was given.
    q = turning.GetLocalRot0Attr().Get()
    turn = trimesh.transformations.quaternion_matrix([q.GetReal(), *q.GetImaginary()])[:3, :3]
    same("usd: axis", turn @ (1, 0, 0), (0, 1, 0), 1e-6)
    touched = [p for p in stage.Traverse() if p.HasAPI(UsdPhysics.CollisionAPI)]
    same("usd: shapes to touch", len(touched), sum(l["collision"]["shapes"] for l in told["links"]))
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    wrong = [e.GetMessage() for e in UsdValidation.ValidationContext(validators).Validate(stage)]
    if wrong:
        sys.exit(f"usd: {wrong}")
    same("usd: validators", len(validators) > 10, True)
    scene(out, validators, rows)
    return checks


def inertia_of(robot):
    """Mass, centre and moments about it of a whole robot at zero, by yourdfpy's own places."""
    parts = []
    for name, link in robot.link_map.items():
        own = link.inertial
        if own is None or not own.mass:
            continue
        place = robot.get_transform(name) @ (np.eye(4) if own.origin is None else own.origin)
        turn = place[:3, :3]
        parts.append((own.mass, place[:3, 3], turn @ (np.zeros((3, 3)) if own.inertia is None else own.inertia) @ turn.T))
    mass = sum(p[0] for p in parts)
    centre = sum(m * c for m, c, _ in parts) / mass
    about = sum(i + m * (np.dot(c - centre, c - centre) * np.eye(3) - np.outer(c - centre, c - centre)) for m, c, i in parts)
    return mass, centre, about


# Robots that others described, of the package example-robot-data, that come in whole; the others are counted alone.
WHOLE = ["double_pendulum.urdf", "double_pendulum_simple.urdf", "TwoDofs.urdf", "finger_edu.urdf", "iris_simple.urdf", "ur3_robot.urdf"]


def of_others(folder):
    """Counts and masses of every description; some are brought in with their meshes, handed over, and weigh the same."""
    share = pathlib.Path(sys.prefix) / "lib"
    files = sorted(share.glob("python*/site-packages/cmeel.prefix/share/example-robot-data/robots/**/*.urdf"))
    same("descriptions of others", len(files) > 60, True)
    for path in files:
        root = ElementTree.parse(path).getroot()
        run = subprocess.run([hull, "check", path, "--json"], capture_output=True, text=True)
        if run.returncode == 2:
            sys.exit(run.stderr)
        told = json.loads(run.stdout)
        same(f"{path.name}: links", told["links"], len(root.findall("link")))
        same(f"{path.name}: joints", told["joints"], len(root.findall("joint")))
        masses = [float(m.get("value")) for m in root.findall("link/inertial/mass")]
        same(f"{path.name}: mass", told["mass"], sum(masses), 1e-9 * sum(masses))
    compared = 0
    for path in (p for p in files if p.name in WHOLE):
        out = folder / path.stem
        run = subprocess.run([hull, "robot", path, "--out", out, "--json"], capture_output=True, text=True)
        if run.returncode == 2:
            sys.exit(f"{path.name}: {run.stderr}")
        told = json.loads(run.stdout)
        theirs = yourdfpy.URDF.load(str(path), load_meshes=False, build_scene_graph=True)
        ours = yourdfpy.URDF.load(str(next(out.glob("*.urdf"))), load_meshes=False, build_scene_graph=True)
        moving = lambda r: sorted(j.type for j in r.robot.joints if j.type != "fixed")
        same(f"{path.name}: joints that move", moving(ours) == moving(theirs), True)
        if any("has no mass in its file" in note for note in told["notes"]):
            # A root or a link that moves gets the mass of its body: only what was declared can be compared.
            continue
        compared += 1
        for what, a, b in zip(("mass", "centre", "moments"), inertia_of(ours), inertia_of(theirs)):
            same(f"{path.name}: {what} of all", a, b, 1e-9 * max(1, np.abs(b).max()))
    same("robots of others that weigh the same", compared >= 3, True)


def staged(folder):
    """A mechanism that usd-core writes, in centimetres with Y up, comes in as a robot."""
    path = folder / "made.usda"
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    root = UsdGeom.Xform.Define(stage, "/crane")
    stage.SetDefaultPrim(root.GetPrim())
    masses = {"foot": 12.0, "boom": 3.0, "cart": 4.0, "hook": 1.0}
    for name, shift in (("foot", (0, 0, 0)), ("boom", (0, 50, 0)), ("cart", (90, 0, 0)), ("hook", (0, 50, 60))):
        body = UsdGeom.Xform.Define(stage, f"/crane/{name}")
        body.AddTranslateOp().Set(Gf.Vec3d(*shift))
        UsdPhysics.RigidBodyAPI.Apply(body.GetPrim())
        mass = UsdPhysics.MassAPI.Apply(body.GetPrim())
        mass.CreateMassAttr(masses[name])
        mass.CreateCenterOfMassAttr(Gf.Vec3f(0, 10, 0))
        # In kg·cm².
        mass.CreateDiagonalInertiaAttr(Gf.Vec3f(300, 400, 500))
        mass.CreatePrincipalAxesAttr(Gf.Quatf(1, 0, 0, 0))
        solid = UsdGeom.Cylinder.Define(stage, f"/crane/{name}/solid")
        solid.CreateRadiusAttr(5), solid.CreateHeightAttr(40), solid.CreateAxisAttr("X")
        UsdPhysics.CollisionAPI.Apply(solid.GetPrim())
    joint = UsdPhysics.RevoluteJoint.Define(stage, "/crane/slew")
    joint.CreateBody0Rel().SetTargets(["/crane/foot"])
    joint.CreateBody1Rel().SetTargets(["/crane/boom"])
    joint.CreateAxisAttr("Z")
    joint.CreateLocalPos0Attr(Gf.Vec3f(0, 40, 0)), joint.CreateLocalPos1Attr(Gf.Vec3f(0, -10, 0))
    joint.CreateLowerLimitAttr(-30), joint.CreateUpperLimitAttr(60)
    # General joints: one whose locks leave a plane across y, one whose locks leave a turn about x within limits.
    for name, body, above, locked in (
        ("drive", "cart", "foot", ("transY", "rotX", "rotZ")),
        ("swing", "hook", "boom", ("transX", "transY", "transZ", "rotY", "rotZ")),
    ):
        joint = UsdPhysics.Joint.Define(stage, f"/crane/{name}")
        joint.CreateBody0Rel().SetTargets([f"/crane/{above}"])
        joint.CreateBody1Rel().SetTargets([f"/crane/{body}"])
        for motion in locked:
            limit = UsdPhysics.LimitAPI.Apply(joint.GetPrim(), motion)
            limit.CreateLowAttr(1), limit.CreateHighAttr(-1)
    limit = UsdPhysics.LimitAPI.Apply(joint.GetPrim(), "rotX")
    limit.CreateLowAttr(-20), limit.CreateHighAttr(35)
    stage.Save()
    told = json.loads(subprocess.run([hull, "check", path, "--json"], capture_output=True, text=True).stdout)
    same("stage: what it holds", (told["links"], told["joints"], told["mass"]), (4, 3, 20), 1e-9)
    run = subprocess.run([hull, "robot", path, "--out", folder / "crane", "--json"], capture_output=True, text=True)
    if run.returncode == 2:
        sys.exit(run.stderr)
    robot = yourdfpy.URDF.load(str(folder / "crane/crane.urdf"), load_meshes=True, load_collision_meshes=True)
    slew = robot.joint_map["slew"]
    drive, swing = robot.joint_map["drive"], robot.joint_map["swing"]
    same("stage: what the locks of general joints leave", (drive.type, swing.type) == ("planar", "revolute"), True)
    same("stage: across the plane", drive.axis, (0, 0, 1), 1e-9)
    same("stage: about what it swings", swing.axis, (1, 0, 0), 1e-9)
    same("stage: how far it swings", np.degrees((swing.limit.lower, swing.limit.upper)), (-20, 35), 1e-6)
    # Y up there, Z up here: (x, y, z) is (x, -z, y).
    same("stage: axis", slew.axis, (0, -1, 0), 1e-9)
    same("stage: limits", np.degrees((slew.limit.lower, slew.limit.upper)), (-30, 60), 1e-6)
    same("stage: place", robot.get_transform("boom")[:3, 3], (0, 0, 0.4), 1e-9)
    own = robot.link_map["boom"].inertial
    same("stage: mass", own.mass, 3, 1e-9)
    same("stage: centre", own.origin[:3, 3], (0, 0, 0.2), 1e-8)
    same("stage: moments", own.inertia, np.diag((0.03, 0.05, 0.04)), 1e-8)
    # Ours as usd-core sees it: the planar joint is locked but for its plane, whose axis is its own x.
    ours = Usd.Stage.Open(str(folder / "crane/crane.usda"))
    drive = next(p for p in ours.Traverse() if p.GetName() == "drive")
    locked = [m for m in ("transX", "transY", "transZ", "rotX", "rotY", "rotZ") if drive.HasAPI(UsdPhysics.LimitAPI, m)]
    same("stage: locks", locked == ["transX", "rotY", "rotZ"], True)
    ends = [(UsdPhysics.LimitAPI(drive, m).GetLowAttr().Get(), UsdPhysics.LimitAPI(drive, m).GetHighAttr().Get()) for m in locked]
    same("stage: lower above upper", all(low > high for low, high in ends), True)
    touched = robot.link_map["boom"].collisions[0].geometry.cylinder
    same("stage: what is touched", (touched.radius, touched.length), (0.05, 0.4), 1e-9)


with tempfile.TemporaryDirectory() as made:
    composed(pathlib.Path(made))
    staged(pathlib.Path(made))
    of_others(pathlib.Path(made))
print(f"{checks} figures of robots agree with yourdfpy, usd-core, trimesh and the descriptions of others")
