"""Times `hull` against independent libraries and plain reading, whole processes, the best of several runs.
Usage: benchmark.py HULL READ_AND_SUM READ_JOIN_TOPOLOGY (binaries). Prints a table; see docs/performance.md."""

import multiprocessing
import os
import pathlib
import subprocess
import sys
import tempfile
import time

import numpy as np

from shapes import torus, write_ascii_stl, write_binary_stl

TRIMESH = """
import sys, trimesh
mesh = trimesh.load(sys.argv[1])
print(mesh.is_watertight, mesh.body_count)
"""


def timed(command, runs, **environment):
    """Best wall time in seconds and largest peak memory in bytes of several runs of a command."""
    best, peak = float("inf"), 0
    for _ in range(runs):
        began = time.perf_counter()
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=os.environ | environment)
        _, status, usage = os.wait4(process.pid, 0)
        process.returncode = os.waitstatus_to_exitcode(status)
        if process.returncode == 2:
            sys.exit(f"{command[0]} failed")
        best = min(best, time.perf_counter() - began)
        peak = max(peak, usage.ru_maxrss * 1024)
    return best, peak


def row(what, figure):
    print(f"| {what} | {figure} |", flush=True)


def elsewhere(work, *arguments):
    """Runs `work` in a process of its own: a child's peak memory counts what its parent held when it began."""
    process = multiprocessing.get_context("spawn").Process(target=work, args=arguments)
    process.start()
    process.join()


def make_binary(path, name):
    points, facets = torus(2500, 1000)
    if name == "shuffled":
        facets = facets[np.random.default_rng(1).permutation(len(facets))]
    elif name == "in order":
        facets = facets.reshape(2, -1, 3).transpose(1, 0, 2).reshape(-1, 3)
    write_binary_stl(path, points, facets)


def make_ascii(path):
    write_ascii_stl(path, *torus(700, 500))


def large_binary(folder, name):
    path = folder / f"{name}.stl"
    elsewhere(make_binary, path, name)
    hull, read_and_sum = sys.argv[1:3]
    ours, peak = timed([hull, "check", "--quick", path], 5)
    plain, _ = timed([read_and_sum, path], 5)
    row(f"`hull check --quick`, binary STL of 5 million triangles, {name}", f"{ours:.2f} s, {peak / 5e6:.0f} bytes a triangle")
    row("reading the same file and summing its bytes", f"{plain:.2f} s; ratio {ours / plain:.1f}")
    return path


def against_trimesh(path):
    ours, _ = timed([sys.argv[3], path], 5)
    theirs, peak = timed([sys.executable, "-c", TRIMESH, path], 2)
    row("of it, reading, joining and topology alone", f"{ours:.2f} s")
    row("trimesh: load, is_watertight, body_count", f"{theirs:.1f} s, {peak / 5e6:.0f} bytes a triangle; {theirs / ours:.0f} times that")


def large_ascii(folder):
    path = folder / "ascii.stl"
    elsewhere(make_ascii, path)
    size = path.stat().st_size / 1e6
    ours, _ = timed([sys.argv[1], "check", "--quick", path], 5, RAYON_NUM_THREADS="1")
    lines, _ = timed(["wc", "-l", path], 5)
    row(f"`hull check --quick`, ASCII STL of {size:.0f} MB, one thread, survey included", f"{ours:.2f} s, {size / ours:.0f} MB/s")
    row("counting its lines (`wc -l`)", f"{lines:.3f} s; ratio {ours / lines:.1f}")


def main():
    with tempfile.TemporaryDirectory() as folder:
        folder = pathlib.Path(folder)
        print("| what | figure |\n|---|---|")
        for name in ["in two halves that share every point", "shuffled", "in order"]:
            path = large_binary(folder, name)
            if name == "in order":
                against_trimesh(path)
            path.unlink()
        large_ascii(folder)


if __name__ == "__main__":
    main()
