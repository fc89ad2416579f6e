"""Regions of seeded arrangements against manifold3d and trimesh: boxes, cylinders, balls and rings that lie in each other and run
through each other, turned at will. Of what lies in several bodies the smallest has it: manifold3d takes the smaller ones from each
body, and the volumes must be those of `hull regions`. Every region that is written is watertight for trimesh, a manifold for
manifold3d, and all of them together are the union.
Usage: regions.py HULL_BINARY [ARRANGEMENTS]. Exits 1 at the first difference."""

import pathlib
import subprocess
import sys
import tempfile

import manifold3d
import numpy as np
import trimesh
from trimesh.transformations import random_rotation_matrix

hull = sys.argv[1]
arrangements = int(sys.argv[2]) if len(sys.argv) > 2 else 200


def shape(rng):
    size = rng.uniform(8, 40, 3)
    kind = rng.integers(4)
    if kind == 0:
        made = trimesh.creation.box(size)
    elif kind == 1:
        made = trimesh.creation.cylinder(size[0] / 2, size[1], sections=int(rng.integers(5, 40)))
    elif kind == 2:
        made = trimesh.creation.icosphere(int(rng.integers(1, 4)), size[0] / 2)
    else:
        made = trimesh.creation.torus(size[0] / 2, size[0] / 8, int(rng.integers(8, 32)), int(rng.integers(6, 16)))
    made.apply_transform(random_rotation_matrix(rng.random(3)))
    made.apply_translation(rng.uniform(-12, 12, 3))
    return made


def solid(mesh):
    made = manifold3d.Manifold(manifold3d.Mesh64(np.asarray(mesh.vertices, float), np.asarray(mesh.faces, np.uint64)))
    if made.status() != manifold3d.Error.NoError:
        sys.exit(f"manifold3d: {made.status()}")
    return made


def regions(seed, folder):
    rng = np.random.default_rng(seed)
    bodies = {f"b{i}": shape(rng) for i in range(int(rng.integers(2, 6)))}
    for name, mesh in bodies.items():
        mesh.export(folder / f"{name}.obj", digits=17)
    # As the files have them: their digits are all of a double's.
    bodies = {name: trimesh.load(folder / f"{name}.obj", process=False) for name in bodies}
    out = folder / "out"
    made = subprocess.run([hull, "regions", *(folder / f"{name}.obj" for name in bodies), "--out", out], capture_output=True, text=True)
    if made.returncode:
        sys.exit(f"{seed}: {made.stdout}{made.stderr}")
    solids = sorted(((solid(mesh), name) for name, mesh in bodies.items()), key=lambda s: s[0].volume())
    everything = manifold3d.Manifold.batch_boolean([s for s, _ in solids], manifold3d.OpType.Add)
    total, count = 0.0, 0
    for i, (own, name) in enumerate(solids):
        left = own
        for smaller, _ in solids[:i]:
            left = left - smaller
        path = out / f"{name}.obj"
        if left.volume() < 1e-9 * own.volume():
            continue
        # Corners that several pieces share come together by their coordinates, all digits of them.
        mesh = trimesh.load(path, process=False, maintain_order=True)
        mesh.merge_vertices(digits_vertex=17)
        if not mesh.is_watertight:
            sys.exit(f"{seed}: {name} is not watertight for trimesh")
        found = solid(mesh).volume()
        if not np.isclose([found, mesh.volume], left.volume(), rtol=0, atol=1e-7 * own.volume()).all():
            sys.exit(f"{seed}: {name} has {found} and {mesh.volume}, manifold3d says {left.volume()}")
        total, count = total + mesh.volume, count + 1
    if not np.isclose(total, everything.volume(), rtol=1e-7):
        sys.exit(f"{seed}: all regions have {total}, the union has {everything.volume()}")
    return count


checked = 0
for seed in range(arrangements):
    with tempfile.TemporaryDirectory() as folder:
        checked += regions(seed, pathlib.Path(folder))
print(f"{checked} regions of {arrangements} arrangements agree with manifold3d and trimesh")
