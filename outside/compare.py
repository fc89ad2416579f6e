"""Compares `hull` with independent general-purpose libraries: trimesh (volume, area, closed, bodies) and meshio
(files), manifold3d (what is united, subtracted, intersected, repaired), pyiges (entities). Usage: compare.py HULL_BINARY. Exits 1 at the first difference."""

import json
import pathlib
import subprocess
import sys
import tempfile

import manifold3d
import meshio
import numpy as np
import trimesh

import entities
from shapes import torus, write_binary_stl

hull = sys.argv[1]
checks = 0


def same(what, ours, theirs, relative=0.0):
    global checks
    checks += 1
    if not abs(ours - theirs) <= relative * max(abs(theirs), 1e-300):
        sys.exit(f"{what}: hull says {ours}, the other {theirs}")


def check(path):
    out = subprocess.run([hull, "check", str(path), "--json"], capture_output=True, text=True)
    if out.returncode == 2:
        sys.exit(out.stderr)
    return json.loads(out.stdout)


def cases(rng):
    points, facets = torus(24, 16)
    yield "clean", points, facets
    keep = rng.random(len(facets)) > 0.1
    yield "holes", points, facets[keep]
    turned = facets.copy()
    which = rng.random(len(facets)) < 0.3
    turned[which] = turned[which][:, ::-1]
    yield "turned", points, turned
    yield "inside out", points, facets[:, ::-1]
    yield "duplicates", points, np.concatenate([facets, facets[rng.choice(len(facets), 20)]])
    two = np.concatenate([points, points + [20, 0, 0]])
    yield "two bodies", two, np.concatenate([facets, facets + len(points)])
    yield "loose facets", points[facets].reshape(-1, 3) + np.repeat(rng.normal(0, 0.01, (len(facets), 3)), 3, 0), np.arange(
        3 * len(facets)).reshape(-1, 3)


def compare_figures(folder):
    rng = np.random.default_rng(7)
    for name, points, facets in cases(rng):
        path = folder / "part.stl"
        write_binary_stl(path, points, facets)
        ours = check(path)
        mesh = trimesh.load(path, process=False)
        mesh.merge_vertices()
        same(f"{name}: points", ours["points"], len(mesh.vertices))
        same(f"{name}: triangles", ours["triangles"], len(mesh.faces))
        same(f"{name}: area", ours["area"], mesh.area, 1e-6)
        same(f"{name}: closed", ours["closed"], mesh.is_watertight)
        # Volume means something only where neighbours face the same way.
        if mesh.is_watertight and mesh.is_winding_consistent:
            same(f"{name}: volume", ours["volume"], mesh.volume, 1e-5)
        edges = np.sort(mesh.edges, 1)
        _, counts = np.unique(edges, axis=0, return_counts=True)
        same(f"{name}: open edges", ours["open_edges"], int((counts == 1).sum()))
        same(f"{name}: overshared edges", ours["overshared_edges"], int((counts > 2).sum()))
        # Bodies there are sets of facets joined through edges of exactly two facets.
        if not (counts > 2).any():
            same(f"{name}: shells", ours["shells"], mesh.body_count)
        for k in ("min", "max"):
            same(f"{name}: box", 0.0, float(np.abs(np.array(ours["bbox"][k]) - mesh.bounds[int(k == "max")]).max()))


def compare_files(folder):
    points, facets = torus(12, 8)
    source = folder / "torus.stl"
    write_binary_stl(source, points, facets)
    for name, ascii in [("a.stl", True), ("b.stl", False), ("c.obj", False), ("d.ply", True), ("e.ply", False)]:
        path = folder / name
        subprocess.run([hull, "convert", source, path, *(["--ascii"] if ascii else [])], check=True)
        read = meshio.read(path)
        same(f"{name}: facets read by meshio", sum(len(c.data) for c in read.cells), len(facets))
        same(f"{name}: extent read by meshio", 0.0, float(np.abs(np.ptp(read.points, 0) - np.ptp(points.astype("f4"), 0)).max().round(6)))
    mesh = meshio.Mesh(points, [("triangle", facets)])
    written = [("f.stl", dict(binary=True)), ("g.stl", dict(binary=False)), ("h.obj", {}), ("i.ply", dict(binary=True)), ("j.ply", dict(binary=False))]
    for name, options in written:
        meshio.write(folder / name, mesh, **options)
        ours = check(folder / name)
        same(f"{name}: facets written by meshio", ours["triangles"], len(facets))
        same(f"{name}: closed", ours["closed"], True)
        same(f"{name}: volume", ours["volume"], trimesh.Trimesh(points, facets).volume, 1e-5)


def solid(points, facets):
    mesh = manifold3d.Mesh64(vert_properties=np.asarray(points, "f8"), tri_verts=np.asarray(facets, "u8"))
    return manifold3d.Manifold(mesh)


def accepted(what, path, volume, relative):
    """Whether both libraries take a written surface for a closed one, and measure the volume expected."""
    mesh = trimesh.load(path, process=False)
    mesh.merge_vertices(digits_vertex=15)
    same(f"{what}: watertight for trimesh", mesh.is_watertight and mesh.is_winding_consistent, True)
    theirs = solid(mesh.vertices, mesh.faces)
    same(f"{what}: a manifold for manifold3d", theirs.status() == manifold3d.Error.NoError, True)
    same(f"{what}: volume by trimesh", mesh.volume, volume, relative)
    same(f"{what}: volume by manifold3d", theirs.volume(), volume, relative)


def compare_solids(folder):
    points, facets = torus(96, 48)
    box = trimesh.creation.box((14.0, 3.0, 9.0))
    ball = trimesh.creation.icosphere(4, 5.5)
    bodies = {"ring": (points, facets), "box": (box.vertices + [0.3, 0.2, 0.1], box.faces), "ball": (ball.vertices + [6.1, 0, 0.4], ball.faces)}
    for name, (p, f) in bodies.items():
        meshio.write(folder / f"{name}.obj", meshio.Mesh(p, [("triangle", f)]))
    deeds = [("unite", manifold3d.OpType.Add), ("subtract", manifold3d.OpType.Subtract), ("intersect", manifold3d.OpType.Intersect)]
    for first, second in [("ring", "box"), ("ring", "ball"), ("ball", "box")]:
        solids = []
        for name in (first, second):
            read = trimesh.load(folder / f"{name}.obj", process=False)
            solids.append(solid(read.vertices, read.faces))
        for deed, kind in deeds:
            out = folder / f"{deed}.obj"
            subprocess.run([hull, deed, folder / f"{first}.obj", folder / f"{second}.obj", out], check=True, stdout=subprocess.DEVNULL)
            accepted(f"{deed} {first} {second}", out, manifold3d.Manifold.batch_boolean(solids, kind).volume(), 1e-9)
    # A ring with holes, turned facets and doubled ones comes back with its volume within what flat caps cut off.
    rng = np.random.default_rng(11)
    dirty = np.delete(facets, rng.choice(len(facets), 5, False), 0)
    dirty[rng.choice(len(dirty), 40, False)] = dirty[rng.choice(len(dirty), 40, False)]
    dirty = np.concatenate([dirty, dirty[:15]])
    meshio.write(folder / "dirty.obj", meshio.Mesh(points, [("triangle", dirty)]))
    subprocess.run([hull, "repair", folder / "dirty.obj", folder / "clean.obj"], check=True, stdout=subprocess.DEVNULL)
    accepted("repair", folder / "clean.obj", trimesh.Trimesh(points, facets).volume, 5e-3)
    # The wrap encloses what it is given: a ball's at least, and no more than a shell of twice the offset around it.
    halves = np.concatenate([ball.faces[: len(ball.faces) // 2], ball.faces[len(ball.faces) // 2 + 9 :]])
    meshio.write(folder / "soup.obj", meshio.Mesh(ball.vertices[halves].reshape(-1, 3), [("triangle", np.arange(halves.size).reshape(-1, 3))]))
    subprocess.run([hull, "repair", folder / "soup.obj", folder / "whole.obj"], check=True, stdout=subprocess.DEVNULL)
    accepted("repair of a soup", folder / "whole.obj", ball.volume, 0.02)


with tempfile.TemporaryDirectory() as name:
    folder = pathlib.Path(name)
    compare_figures(folder)
    compare_files(folder)
    compare_solids(folder)
    reference = pathlib.Path(__file__).parent.parent / "crates/hull-formats/tests/reference/step"
    checks += entities.compare(hull, check, sorted(reference.glob("*.step")), folder)
print(f"{checks} passed, 0 failed")
