"""Measures what arrives and is brought into place against general-purpose libraries, in one run: files of a million facets
(trimesh), clouds of ten million points (reading their bytes), a best fit (scipy's cKDTree in a loop to the same error), and
starts from nowhere. Usage: arrivals.py HULL_BINARY. Prints lines of a table."""

import json
import pathlib
import subprocess
import sys
import tempfile
import time

import numpy as np
import trimesh
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

hull = sys.argv[1]


def run(*words):
    begun = time.perf_counter()
    done = subprocess.run([hull, *map(str, words)], capture_output=True, text=True)
    if done.returncode == 2:
        sys.exit(done.stderr)
    return time.perf_counter() - begun, done.stdout


def best(times, of):
    return min(of() for _ in range(times))


def timed(work):
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def bumpy(rng, points):
    """Places on a rough ball of radius about 1 without symmetry, with normals that its facets have."""
    ball = trimesh.creation.icosphere(6)
    waves = rng.normal(0, 1, (7, 3)) * 2.5
    radius = 1 + 0.08 * sum(np.sin(ball.vertices @ w + k) for k, w in enumerate(waves)) / 2
    ball.vertices = ball.vertices * radius[:, None] * (1, 0.8, 0.6)
    places, facets = trimesh.sample.sample_surface(ball, points, seed=int(rng.integers(1 << 30)))
    return np.asarray(places), ball.face_normals[facets]


def write_points(path, points, normals=None):
    columns = "xyz" if normals is None else ["x", "y", "z", "nx", "ny", "nz"]
    rows = points if normals is None else np.c_[points, normals]
    head = "".join(f"property float {c}\n" for c in columns)
    head = f"ply\nformat binary_little_endian 1.0\nelement vertex {len(rows)}\n{head}end_header\n"
    path.write_bytes(head.encode() + rows.astype("<f4").tobytes())


def looked_at(path):
    """What `hull check --quick` says of a surface, as far as trimesh does: is it closed, how many bodies."""
    mesh = trimesh.load(path, force="mesh")
    return mesh.is_watertight, mesh.body_count


def surfaces(folder):
    ball = trimesh.creation.icosphere(8)
    ball.export(folder / "ball.stl")
    print(f"| facets of each file | {len(ball.faces):,} |")
    for ending in ("3mf", "glb", "ply"):
        path = folder / f"ball.{ending}"
        run("convert", folder / "ball.stl", path, "--from", "mm", "--to", "mm")
        ours = best(3, lambda: run("check", path, "--quick", "--json")[0])
        loaded = best(2, lambda: timed(lambda: trimesh.load(path)))
        checked = best(2, lambda: timed(lambda: looked_at(path)))
        print(f"| {ending}: `hull check --quick`, the whole process | {ours:.2f} s |")
        print(f"| {ending}: trimesh, loading alone | {loaded:.2f} s, {loaded / ours:.1f} times that |")
        print(f"| {ending}: trimesh, loading, is it closed, how many bodies | {checked:.2f} s, {checked / ours:.1f} times that |")


def clouds(folder):
    points = np.random.default_rng(1).uniform(-10, 10, (10_000_000, 3))
    write_points(folder / "p.ply", points)
    run("convert", folder / "p.ply", folder / "p.las", "--from", "m", "--to", "m")
    run("convert", folder / "p.ply", folder / "p.laz", "--from", "m", "--to", "m")
    for ending in ("ply", "las", "laz"):
        path = folder / f"p.{ending}"
        bytes_alone = best(3, lambda: timed(path.read_bytes))
        ours = best(3, lambda: run("check", path, "--quick", "--json")[0])
        size = path.stat().st_size / 1e6
        print(f"| {ending}, 10 million points, {size:.0f} MB: `hull check --quick` | {ours:.2f} s, {ours / bytes_alone:.1f} times reading the bytes |")


def placed(points, turn, shift):
    return points @ turn.as_matrix().T + shift


def fit(folder):
    rng = np.random.default_rng(2)
    (onto, normals), (own, _) = (bumpy(np.random.default_rng(3), 1_000_000) for _ in range(2))
    noise = lambda n: rng.normal(0, 2e-3, (n, 3))
    turn, shift = Rotation.from_rotvec((0.05, -0.06, 0.04)), np.array((0.03, -0.02, 0.02))
    onto, moved = onto + noise(len(onto)), placed(own, turn, shift) + noise(len(own))
    write_points(folder / "onto.ply", onto, normals)
    write_points(folder / "own.ply", moved)
    ours, text = run("fit", folder / "own.ply", folder / "onto.ply", folder / "out.ply", "--json")
    told = json.loads(text.strip().splitlines()[-1])
    back = Rotation.from_rotvec(np.radians(told["turn_degrees"]))
    error = lambda r, t: np.sqrt(np.mean(np.sum((placed(placed(own, turn, shift), r, t) - own) ** 2, 1)))
    reached = error(back, np.array(told["shift"]))

    begun = time.perf_counter()
    tree = cKDTree(onto)
    r, t = Rotation.identity(), np.zeros(3)
    for rounds in range(1, 101):
        here = placed(moved, r, t)
        _, near = tree.query(here, workers=-1)
        n, d = normals[near], np.sum((onto[near] - here) * normals[near], 1)
        a = np.c_[np.cross(here, n), n]
        x = np.linalg.solve(a.T @ a, a.T @ d)
        step = Rotation.from_rotvec(x[:3])
        r, t = step * r, step.apply(t) + x[3:]
        if error(r, t) <= reached * 1.02:
            break
    theirs = time.perf_counter() - begun
    print(f"| best fit of 1 million points onto 1 million: `hull fit`, files read and written | {ours:.1f} s, off by {reached:.1e} of the radius |")
    print(f"| cKDTree in a loop, point to plane, on arrays that are there | {theirs:.1f} s, {rounds} rounds, off by {error(r, t):.1e}; hull takes {ours / theirs:.2f} of that |")


def from_nowhere(folder, seeds=50):
    right, took = 0, 0.0
    for seed in range(seeds):
        rng = np.random.default_rng(100 + seed)
        places, _ = bumpy(rng, 30_000)
        # Both see a part of it: 60 % of what each has, the other has too.
        along = rng.normal(0, 1, 3)
        height = places @ (along / np.linalg.norm(along))
        low, high = np.quantile(height, (2 / 7, 5 / 7))
        one, other = places[height > low][::2], places[height < high][1::2]
        noise = lambda n: rng.normal(0, 0.01, (n, 3))
        turn, shift = Rotation.random(random_state=seed), rng.uniform(-3, 3, 3)
        write_points(folder / "a.ply", placed(one + noise(len(one)), turn, shift))
        write_points(folder / "b.ply", other + noise(len(other)))
        seconds, text = run("fit", folder / "a.ply", folder / "b.ply", folder / "c.ply", "--from-scratch", "--overlap", "60", "--json")
        took += seconds
        told = json.loads(text.strip().splitlines()[-1])
        back = Rotation.from_rotvec(np.radians(told["turn_degrees"]))
        off = placed(placed(one, turn, shift), back, np.array(told["shift"])) - one
        right += np.sqrt(np.mean(np.sum(off**2, 1))) < 0.05
    print(f"| start from nowhere, 60 % overlap, noise of 1 % of the radius | {right} of {seeds} right, {took / seeds:.1f} s each |")


with tempfile.TemporaryDirectory() as made:
    folder = pathlib.Path(made)
    surfaces(folder)
    clouds(folder)
    fit(folder)
    from_nowhere(folder)
