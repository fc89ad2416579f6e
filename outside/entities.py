"""What we write as IGES, as pyiges reads its entities and scipy evaluates its splines."""

import collections
import subprocess
import sys

import numpy as np
import pyiges
from scipy.interpolate import BSpline


def fail(text):
    sys.exit(f"IGES: {text}")


def written(hull, design, form, path):
    subprocess.run([hull, "convert", design, path, "--iges", form], check=True, stdout=subprocess.DEVNULL)
    return pyiges.read(str(path))


def at(model, pointer):
    """By its number in the directory: the reader's own numbering skips what it discards."""
    if not hasattr(model, "by_number"):
        model.by_number = {int(e.sequence_number): e for e in model.items}
    return model.by_number.get(pointer)


def pointers(entity):
    lines = entity.parameters
    words = [w for line in lines for w in line] if isinstance(lines[0], list) else lines
    return [int(float(w)) for w in words]


def of_kind(model, kind):
    return [e for e in model.items if e.d["entity_type_number"] == kind]


def loops_of(face):
    """The reader leaves lists of more than one line to us."""
    if isinstance(face, pyiges.geometry.Face):
        return face.loop_pointers
    _, _, count, _, *loops = pointers(face)
    return loops[:count]


def faces_with_edges(model, name):
    """Faces (510) name loops (508) that name edges (504) between vertices (502): in a solid twice, once each way."""
    uses = collections.Counter()
    for shell in of_kind(model, 514):
        _, count, *row = pointers(shell)
        for face, along in zip(row[: 2 * count : 2], row[1 : 2 * count : 2]):
            for loop in loops_of(at(model, face)):
                # Five numbers an edge; the reader takes each flag for true. A face that the shell turns round runs its
                # edges the other way.
                _, edges, *parts = pointers(at(model, loop))
                for i in range(edges):
                    _, number, place, way, _ = parts[5 * i : 5 * i + 5]
                    uses[number, place, way == along] += 1
    for number, place in {(n, p) for n, p, _ in uses}:
        if of_kind(model, 186) and [uses[number, place, way] for way in (True, False)] != [1, 1]:
            fail(f"{name}: edge {place} of list {number} is not used once each way")
    points = {int(v.sequence_number): v.points for v in model.vertex_lists()}
    for edges in of_kind(model, 504):
        _, count, *row = pointers(edges)
        for number, *ends in (row[5 * i : 5 * i + 5] for i in range(count)):
            curve = at(model, number)
            if isinstance(curve, pyiges.geometry.Line):
                places = [points[ends[k]][ends[k + 1] - 1] for k in (0, 2)]
                told = [curve_point(curve, 0.0), curve_point(curve, 1.0)]
                if not np.allclose(told, places, atol=1e-7):
                    fail(f"{name}: an edge from {told[0]} to {told[1]} has vertices {places}")
    return len(uses)


def spline_point(surface, u, v):
    """Of a rational surface whose control points run through u fastest."""
    rows, columns = surface._k1 + 1, surface._k2 + 1
    weights = np.reshape(surface._weights, (columns, rows))
    points = np.reshape(surface._cp, (columns, rows, 3)) * weights[:, :, None]
    homogeneous = np.concatenate([points, weights[:, :, None]], 2)
    along_u = BSpline(surface._knot1, homogeneous.transpose(1, 0, 2), surface._m1)(u)
    h = BSpline(surface._knot2, along_u, surface._m2)(v)
    return h[:3] / h[3]


def curve_point(curve, s):
    if isinstance(curve, pyiges.geometry.Line):
        return np.array([curve._x1, curve._y1, curve._z1]) * (1 - s) + np.array([curve._x2, curve._y2, curve._z2]) * s
    t = curve.V0 + (curve.V1 - curve.V0) * s
    weights = np.array(curve.W)[:, None]
    h = BSpline(curve.T, np.concatenate([np.array(curve.control_points) * weights, weights], 1), curve.M)(t)
    return h[:3] / h[3]


def members(model, pointer):
    entity = at(model, pointer)
    run = entity is not None and entity.d["entity_type_number"] == 102
    return [at(model, p) for p in pointers(entity)[2:]] if run else [entity]


def bounds_in_parameters(model, name):
    """Bounds (142) close in the parameters, and lines and splines in space lie where those say."""
    compared = 0
    for entity in model.items:
        if entity.d["entity_type_number"] != 142:
            continue
        _, _, surface, plane, space, _ = pointers(entity)
        if plane == 0:
            continue
        surface, plane, space = at(model, surface), members(model, plane), members(model, space)
        if None in plane:
            continue
        ends = [[curve_point(c, s)[:2] for s in (0, 1)] for c in plane]
        for (_, end), (start, _) in zip(ends, ends[1:] + ends[:1]):
            if not np.allclose(end, start, atol=1e-5):
                fail(f"{name}: a bound is open in the parameters: {end} {start}")
        # A pole has no curve in space.
        if not isinstance(surface, pyiges.geometry.RationalBSplineSurface) or len(plane) != len(space):
            continue
        for flat, curve in zip(plane, space):
            if isinstance(curve, (pyiges.geometry.Line, pyiges.geometry.RationalBSplineCurve)):
                for s in (0.0, 0.3, 1.0):
                    told = spline_point(surface, *curve_point(flat, s)[:2])
                    if not np.allclose(told, curve_point(curve, s), atol=1e-4):
                        fail(f"{name}: {told} in parameters is {curve_point(curve, s)} in space")
                    compared += 1
    return compared


def compare(hull, check, designs, folder):
    """Both forms of each design; gives the number of checks."""
    checks = 0
    for design in designs:
        solids = written(hull, design, "solids", folder / "solids.igs")
        checks += faces_with_edges(solids, design.name)
        surfaces = written(hull, design, "surfaces", folder / "surfaces.igs")
        checks += bounds_in_parameters(surfaces, design.name)
        trimmed, faces = len(of_kind(surfaces, 144)), len(of_kind(solids, 510))
        if trimmed != faces or (check(design)["open_exact_edges"] == 0 and not of_kind(solids, 186)):
            fail(f"{design.name}: {trimmed} trimmed surfaces, {faces} faces, {len(of_kind(solids, 186))} solids")
        checks += 1
    return checks
