"""A robot that `hull` composes is read by yourdfpy (with its meshes) and by usd-core (with its own checker), and masses and
moments agree with trimesh.
Usage: robots.py HULL_BINARY. Exits 1 at the first difference."""

import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
import trimesh
import yourdfpy
from pxr import Usd, UsdGeom, UsdPhysics, UsdValidation

hull = sys.argv[1]
checks = 0


def same(what, ours, theirs, tolerance=0.0):
    global checks
    checks += 1
    if not np.abs(np.asarray(ours, float) - np.asarray(theirs, float)).max() <= tolerance:
        sys.exit(f"{what}: hull says {ours}, the other {theirs}")


PLAN = """
name = "bench"
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
"""


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
    return checks


with tempfile.TemporaryDirectory() as made:
    composed(pathlib.Path(made))
print(f"{checks} figures of a robot agree with yourdfpy, usd-core and trimesh")
