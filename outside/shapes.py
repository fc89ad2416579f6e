"""Made-up surfaces for comparing with independent libraries."""

import numpy as np


def torus(u, v, major=5.0, minor=2.0):
    """Points and facets of a closed torus of 2*u*v facets, outward."""
    a, b = np.meshgrid(np.arange(u) * 2 * np.pi / u, np.arange(v) * 2 * np.pi / v, indexing="ij")
    r = major + minor * np.cos(b)
    points = np.stack([r * np.cos(a), r * np.sin(a), minor * np.sin(b)], -1).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(u), np.arange(v), indexing="ij")
    at = lambda i, j: ((i % u) * v + j % v).ravel()
    p, q, s, t = at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)
    return points, np.concatenate([np.stack([p, q, s], -1), np.stack([p, s, t], -1)])


def write_binary_stl(path, points, facets):
    record = np.dtype([("n", "<f4", 3), ("p", "<f4", (3, 3)), ("a", "<u2")])
    data = np.zeros(len(facets), record)
    data["p"] = points[facets]
    with open(path, "wb") as f:
        f.write(b" " * 80 + np.uint32(len(facets)).tobytes())
        data.tofile(f)


def write_ascii_stl(path, points, facets):
    points = points.astype(np.float32)
    with open(path, "w") as f:
        f.write("solid part\n")
        for t in points[facets]:
            corners = "".join(f"      vertex {x:.6e} {y:.6e} {z:.6e}\n" for x, y, z in t)
            f.write(f"  facet normal 0 0 1\n    outer loop\n{corners}    endloop\n  endfacet\n")
        f.write("endsolid part\n")
