"""Times crossings, unions and distances of `hull` against libigl, manifold3d and trimesh, in one run.
Usage: solids.py HULL UNITE_TIME (binaries). Prints rows of a table; see docs/performance.md."""

import json
import pathlib
import subprocess
import sys
import tempfile
import time

import igl.copyleft.cgal as cgal
import manifold3d
import numpy as np
import trimesh

from benchmark import row, timed
from shapes import torus, write_binary_stl

hull, unite_time = sys.argv[1:3]


def best(work, runs):
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        result = work()
        times.append(time.perf_counter() - began)
    return min(times), result


def crossings(folder):
    """Ours is the difference of two whole processes; libigl is timed within one, on arrays that lie ready."""
    for u, v in [(100, 50), (300, 167), (1000, 500), (2500, 1000)]:
        points, facets = torus(u, v)
        path = folder / "torus.stl"
        write_binary_stl(path, points, facets)
        whole, peak = timed([hull, "check", path], 5)
        quick, _ = timed([hull, "check", "--quick", path], 5)
        deep, _ = timed([hull, "check", "--deep", path], 3)
        row(f"{len(facets)} facets: crossings; the whole deeper survey; topology and sizes", f"{whole - quick:.3f} s; {deep:.3f} s; {quick:.3f} s; {peak / len(facets):.0f} bytes a facet")
        if len(facets) == 1_000_000:
            mesh = trimesh.load(path)
            p, f = np.asarray(mesh.vertices, "f8"), np.asarray(mesh.faces, "i4")
            theirs, _ = best(lambda: cgal.remesh_self_intersections(p, f, detect_only=True), 3)
            row("the same million by libigl, detecting only", f"{theirs:.2f} s; ours takes {(whole - quick) / theirs:.2f} of it")


def same_crossings(folder):
    """Pairs on dirty inputs: those that share no point, which both libraries count alike."""
    rng = np.random.default_rng(3)
    for amount in (0.2, 0.4):
        points, facets = torus(60, 40)
        points = points + rng.normal(0, amount, points.shape)
        path = folder / "noisy.obj"
        trimesh.Trimesh(points, facets, process=False).export(path, digits=17)
        out = subprocess.run([hull, "check", path, "--json"], capture_output=True, text=True).stdout
        ours = json.loads(out)
        theirs = cgal.remesh_self_intersections(points.astype("f8"), facets.astype("i4"), detect_only=True)
        pairs = next(a for a in theirs if a.ndim == 2 and a.shape[1] == 2)
        row(f"crossing pairs of a torus of 4 800 facets with noise {amount}", f"{ours['self_intersections'] + ours['coplanar_overlaps']}; libigl {len(pairs)}")


def unions():
    for count in (2, 50):
        lines = subprocess.run([unite_time, str(count)], capture_output=True, text=True, check=True).stdout.splitlines()
        ours = min(float(line.split(" in ")[1].split(" s")[0]) for line in lines)
        arrays = []
        u, v = (250, 200) if count == 2 else (60, 40)
        ball = sphere(u, v)
        for i in range(count):
            a, r = i * 2.399963, np.sqrt(i) * 0.5
            moved = ball[0] + np.array([r * np.cos(a), r * np.sin(a), 0.1 * np.sin(i * 0.7)])
            arrays.append((moved, ball[1].astype("u8")))

        def unite():
            """Theirs from arrays to arrays, as ours, and of that the union alone, of bodies made ready."""
            began = time.perf_counter()
            bodies = [manifold3d.Manifold(manifold3d.Mesh64(vert_properties=p, tri_verts=f)) for p, f in arrays]
            # What was put off until somebody asks is done before the clock of the union starts.
            fresh = [b.translate([0, 0, 0]) for b in bodies if b.num_tri()]
            ready = time.perf_counter()
            united = manifold3d.Manifold.batch_boolean(fresh, manifold3d.OpType.Add)
            united.num_tri()
            done = time.perf_counter()
            united.to_mesh64().tri_verts
            return time.perf_counter() - began, done - ready

        runs = [unite() for _ in range(5)]
        whole, alone = (min(times) for times in zip(*runs))
        row(
            f"union of {count} spheres, {count * len(ball[1])} facets, from arrays to arrays",
            f"{ours:.3f} s; manifold3d {whole:.3f} s, {alone:.3f} s of that uniting bodies made ready; ratios {ours / whole:.2f} and {ours / alone:.2f}",
        )


def sphere(u, v):
    points = [[0, 0, -1.0], [0, 0, 1.0]]
    for j in range(1, v):
        a = np.pi * j / v
        points += [[np.sin(a) * np.cos(2 * np.pi * i / u), np.sin(a) * np.sin(2 * np.pi * i / u), -np.cos(a)] for i in range(u)]
    at = lambda i, j: 2 + (j - 1) * u + i % u
    facets = []
    for i in range(u):
        facets.append([0, at(i + 1, 1), at(i, 1)])
        for j in range(1, v - 1):
            a, b, c, d = at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)
            facets += [[a, b, c], [a, c, d]]
        facets.append([1, at(i, v - 1), at(i + 1, v - 1)])
    return np.array(points), np.array(facets)


def distances(folder):
    points, facets = torus(1000, 500)
    a, b = folder / "a.stl", folder / "b.stl"
    write_binary_stl(a, points, facets)
    write_binary_stl(b, points * 1.001, facets)
    ours, peak = timed([hull, "distance", a, b], 3)
    mesh, other = trimesh.load(a), trimesh.load(b)
    sample = other.vertices[:: len(other.vertices) // 2000][:2000]
    theirs, _ = best(lambda: trimesh.proximity.closest_point(mesh, sample), 1)
    queries = 2 * (len(mesh.vertices) + len(mesh.faces))
    whole = theirs / len(sample) * queries
    row("distance of two bodies of 1 million facets, both ways, whole process", f"{ours:.1f} s, {peak / 2e6:.0f} bytes a facet")
    row("the same places by trimesh, extrapolated from 2 000", f"{whole:.0f} s; ours takes {ours / whole:.3f} of it")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        folder = pathlib.Path(folder)
        print("| what | figure |\n|---|---|")
        crossings(folder)
        same_crossings(folder)
        unions()
        distances(folder)
