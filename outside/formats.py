"""Files that independent libraries write are read by `hull`, and files that `hull` writes by them: ezdxf (drawings), trimesh
(3MF, GLB), DracoPy (packed glTF), meshio (VTK, VTU, Exodus II), vtk, h5py and netCDF4 (CGNS, Exodus II), laspy (LAS, LAZ), pye57 (E57). Usage: formats.py HULL_BINARY.
Exits 1 at the first difference."""

import base64
import json
import pathlib
import subprocess
import sys
import tempfile

import DracoPy
import ezdxf
import h5py
import laspy
import meshio
import netCDF4
import numpy as np
import pye57
import trimesh
from vtkmodules.vtkIOCGNSReader import vtkCGNSReader
from vtkmodules.vtkCommonDataModel import vtkCompositeDataSet
from vtkmodules.vtkIOExodus import vtkExodusIIReader
from vtkmodules.vtkIOXML import vtkXMLMultiBlockDataReader
from ezdxf import path as paths

hull = sys.argv[1]
checks = 0


def same(what, ours, theirs, relative=0.0):
    global checks
    checks += 1
    if not abs(float(ours) - float(theirs)) <= relative * max(abs(theirs), 1e-300):
        sys.exit(f"{what}: hull says {ours}, the other {theirs}")


def check(path):
    out = subprocess.run([hull, "check", str(path), "--json"], capture_output=True, text=True)
    if out.returncode == 2:
        sys.exit(out.stderr)
    return json.loads(out.stdout)


def convert(*words):
    out = subprocess.run([hull, "convert", *map(str, words)], capture_output=True, text=True)
    if out.returncode == 2:
        sys.exit(out.stderr)


def random_entities(space, rng, layer, block):
    """Some of each kind, in planes of any direction where the kind has one."""
    any_place = lambda: rng.normal(0, 10, 3)
    about = {"layer": layer}
    for _ in range(3):
        plane = about | {"extrusion": rng.normal(0, 1, 3)} if not block else about
        space.add_line(any_place(), any_place(), dxfattribs=about)
        space.add_arc(any_place(), rng.uniform(1, 5), *rng.uniform(0, 360, 2), dxfattribs=plane)
        space.add_circle(any_place(), rng.uniform(1, 5), dxfattribs=plane)
        space.add_lwpolyline(
            [(x, y, 0, 0, b) for x, y, b in rng.normal(0, 3, (5, 3)).clip(-4, 4)], close=bool(rng.integers(2)), dxfattribs=plane)
        space.add_polyline3d(rng.normal(0, 5, (4, 3)), dxfattribs=about)
        space.add_ellipse(any_place(), (4, 1, 0), ratio=rng.uniform(0.1, 0.9), start_param=1, end_param=4, dxfattribs=about)
        space.add_open_spline(rng.normal(0, 5, (7, 3)), degree=3, dxfattribs=about)


def lengths(doc):
    """By layer: lines, and their length by many short pieces."""
    out = {}
    todo = [(e, None) for e in doc.modelspace()]
    while todo:
        e, layer = todo.pop()
        own = layer if layer and e.dxf.layer == "0" else e.dxf.layer
        if e.dxftype() == "INSERT":
            inserts = e.multi_insert() if e.mcount > 1 else [e]
            todo.extend((v, own) for one in inserts for v in one.virtual_entities())
            continue
        points = list(paths.make_path(e).flattening(1e-5, segments=64))
        n, length = out.get(own, (0, 0.0))
        out[own] = (n + 1, length + sum((a - b).magnitude for a, b in zip(points, points[1:])))
    return out


def drawings(folder):
    for seed in range(8):
        rng = np.random.default_rng(seed)
        doc = ezdxf.new("R2010")
        doc.units = [1, 4, 6][seed % 3]
        block = doc.blocks.new("B", base_point=rng.normal(0, 1, 3))
        random_entities(block, rng, "0", True)
        space = doc.modelspace()
        random_entities(space, rng, "hull", False)
        for sign in (1, -1):
            scale = rng.uniform(0.5, 2) if seed % 2 else 1.0
            space.add_blockref("B", rng.normal(0, 20, 3), dxfattribs={
                "layer": "ring", "rotation": rng.uniform(0, 360), "xscale": sign * scale, "yscale": scale, "zscale": scale,
                "row_count": 2, "column_count": 2, "row_spacing": 9, "column_spacing": 7})
        path = folder / "a.dxf"
        doc.saveas(path)
        ours = check(path)
        same("unit", {"inch": 1, "millimetre": 4, "metre": 6}[ours["declared_unit"]], doc.units)
        theirs = lengths(doc)
        same("layers", len(ours["layers"]), len(theirs))
        for layer in ours["layers"]:
            n, length = theirs[layer["name"]]
            same(f"lines on {layer['name']}", layer["lines"], n)
            same(f"length on {layer['name']}", layer["length"], length, 5e-4)
        binary = folder / "b.dxf"
        doc.saveas(binary, fmt="bin")
        same("binary", check(binary)["layers"][0]["length"], ours["layers"][0]["length"], 1e-12)
        convert(path, folder / "c.dxf")
        back = ezdxf.readfile(folder / "c.dxf")
        same("errors in what we write", len(back.audit().errors), 0)
        for layer, (_, length) in lengths(back).items():
            same(f"length on {layer} as written", length, theirs[layer][1], 5e-4)


def surfaces(folder):
    torus = trimesh.creation.torus(5, 2)
    box = trimesh.creation.box([1, 2, 3])
    scene = trimesh.Scene()
    scene.add_geometry(torus, node_name="ring", geom_name="ring")
    at = trimesh.transformations.translation_matrix([20, 0, 0]) @ trimesh.transformations.reflection_matrix([0, 0, 0], [1, 0, 0])
    scene.add_geometry(box, node_name="block", geom_name="block", transform=at)
    volume = torus.volume + box.volume
    for ending, unit in (("3mf", 1.0), ("glb", 1000.0)):
        path = folder / f"scene.{ending}"
        scene.export(path)
        ours = check(path)
        same(f"{ending}: facets", ours["triangles"], len(torus.faces) + 12)
        same(f"{ending}: volume", ours["volume"], volume * unit**3, 1e-6)
        same(f"{ending}: names", len([l for l in ours["labels"] if l["name"] in ("ring", "block")]), 2)
    torus.export(folder / "t.stl")
    for ending, unit in (("3mf", 1.0), ("glb", 1e-3), ("vtu", 1.0), ("vtk", 1.0)):
        path = folder / f"ours.{ending}"
        convert(folder / "t.stl", path, "--from", "mm", "--to", "mm")
        if ending.startswith("v"):
            read = meshio.read(path)
            theirs = trimesh.Trimesh(read.points, read.cells[0].data)
        else:
            theirs = trimesh.load(path, force="mesh")
        same(f"{ending}: facets", len(theirs.faces), len(torus.faces))
        same(f"{ending}: volume", theirs.volume, torus.volume * unit**3, 1e-5)
        same(f"{ending}: closed", theirs.is_watertight, True)
    convert(folder / "t.stl", folder / "faces.dxf")
    same("3-D faces", len(ezdxf.readfile(folder / "faces.dxf").modelspace().query("3DFACE")), len(torus.faces))
    groups = np.arange(len(torus.faces)) % 3
    for ending in ("vtu", "vtk"):
        for binary in (True, False):
            path = folder / f"m.{ending}"
            cells = [("triangle", torus.faces)]
            meshio.Mesh(torus.vertices, cells, cell_data={"group": [groups]}).write(path, binary=binary)
            ours = check(path)
            same(f"{ending}: volume", ours["volume"], torus.volume, 1e-9)
            same(f"{ending}: groups", len(ours["labels"]), 3)
        solid = meshio.Mesh(
            np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1], [2, 0.5, 0.5]], float),
            [("hexahedron", [[0, 1, 2, 3, 4, 5, 6, 7]]), ("pyramid", [[1, 2, 6, 5, 8]])])
        solid.write(folder / f"solid.{ending}")
        ours = check(folder / f"solid.{ending}")
        same(f"{ending}: outside of cells", ours["volume"], 1 + 1 / 3, 1e-12)
        same(f"{ending}: closed", ours["open_edges"], 0)


def packed(folder):
    """glTF packed at every level by the C++ library of that packing: facets, closedness and volume as it unpacks them itself."""
    ring = trimesh.creation.torus(5, 2)
    for level in range(11):
        raw = DracoPy.encode(ring.vertices, ring.faces, quantization_bits=14, compression_level=level)
        theirs = DracoPy.decode(raw)
        extension = "KHR_draco_mesh_compression"
        places = {"POSITION": theirs.attributes[0]["unique_id"]}
        piece = {"attributes": {"POSITION": 0}, "extensions": {extension: {"bufferView": 0, "attributes": places}}}
        document = {
            "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}], "meshes": [{"primitives": [piece]}],
            "accessors": [{"componentType": 5126, "count": len(theirs.points), "type": "VEC3"}],
            "bufferViews": [{"buffer": 0, "byteLength": len(raw)}],
            "buffers": [{"uri": "data:application/octet-stream;base64," + base64.b64encode(raw).decode()}],
            "extensionsUsed": [extension], "extensionsRequired": [extension],
        }  # fmt: skip
        path = folder / f"packed-{level}.gltf"
        path.write_text(json.dumps(document))
        ours, mesh = check(path), trimesh.Trimesh(theirs.points, theirs.faces)
        same(f"packed at {level}: facets", ours["triangles"], len(theirs.faces))
        same(f"packed at {level}: volume", ours["volume"], mesh.volume * 1e9, 1e-6)
        same(f"packed at {level}: open edges", ours["open_edges"], 0)


def solver_files(folder):
    """CGNS and Exodus II, as VTK's readers, h5py, netCDF4 and meshio see them."""
    ball = trimesh.creation.icosphere(2, 20.0)
    ball.export(folder / "ball.stl")
    box = trimesh.creation.box((30, 20, 10))
    both = folder / "both.obj"
    lines = []
    for k, mesh in enumerate((ball, box)):
        mesh.apply_translation((60 * k, 0, 0))
        lines += [f"g part{k}"] + [f"v {x} {y} {z}" for x, y, z in mesh.vertices]
        first = 0 if k == 0 else len(ball.vertices)
        lines += ["f " + " ".join(str(c + 1 + first) for c in f) for f in mesh.faces]
    both.write_text("\n".join(lines))
    count, volume = len(ball.faces) + len(box.faces), ball.volume + box.volume
    convert(both, folder / "both.cgns", "--from", "mm", "--to", "m")
    convert(both, folder / "both.exo", "--from", "mm", "--to", "mm")
    for name, factor in (("both.cgns", 1e-3), ("both.exo", 1)):
        ours = check(folder / name)
        same(f"{name}: facets", ours["triangles"], count)
        same(f"{name}: volume", ours["volume"], volume * factor**3, 1e-9)
        same(f"{name}: names", [label["name"] for label in ours["labels"]] == ["part0", "part1"], True)
    with h5py.File(folder / "both.cgns") as file:
        zone = file["Base/Surface"]
        same("h5py: nodes of the zone", zone[" data"][0, 0], len(ball.vertices) + len(box.vertices))
        same("h5py: last facet", zone["part1/ElementRange/ data"][1], count)
        same("h5py: unit", bytes(file["Base/DimensionalUnits/ data"][1].astype(np.uint8)).decode().strip() == "Meter", True)
        same("h5py: label", file["Base"].attrs["label"].rstrip(b"\0") == b"CGNSBase_t", True)
        same("h5py: family", bytes(zone["ZoneBC/part0/FamilyName/ data"][:].astype(np.uint8)) == b"part0", True)
    reader = vtkCGNSReader(file_name=str(folder / "both.cgns"))
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.Update()
    cells, iterator = 0, reader.GetOutput().NewIterator()
    while not iterator.IsDoneWithTraversal():
        cells += iterator.GetCurrentDataObject().GetNumberOfCells()
        iterator.GoToNextItem()
    same("vtk: cells of the CGNS file", cells, count)
    with netCDF4.Dataset(folder / "both.exo") as file:
        same("netCDF4: elements", file.dimensions["num_elem"].size, count)
        same("netCDF4: form", file.data_model == "NETCDF3_64BIT_OFFSET", True)
        names = ["".join(c.decode() for c in line.compressed()).rstrip("\0") for line in file["ss_names"][:]]
        same("netCDF4: names of side sets", names == ["part0", "part1"], True)
        same("netCDF4: nodes of a set", len(file["node_ns2"]), len(box.vertices))
    read = vtkExodusIIReader(file_name=str(folder / "both.exo"))
    read.UpdateInformation()
    same("vtk: blocks", read.GetNumberOfObjects(vtkExodusIIReader.ELEM_BLOCK), 2)
    same("vtk: name of a block", read.GetObjectName(vtkExodusIIReader.ELEM_BLOCK, 1) == "part1", True)
    same("vtk: side sets", read.GetNumberOfObjects(vtkExodusIIReader.SIDE_SET), 2)
    read.Update()
    blocks = read.GetOutput().GetBlock(0)
    same("vtk: cells of the Exodus file", sum(blocks.GetBlock(i).GetNumberOfCells() for i in range(2)), count)
    routine = folder / "routine.toml"
    steps = ('step = "set_unit"\nunit = "mm"', 'step = "orient"\nup = "+z"\nforward = "+x"', 'step = "name_boundary"\nname = "part0"\n[steps.pick]\ninclude = [{ label = { name = "part0" } }]',
             'step = "name_boundary"\nname = "part1"\n[steps.pick]\ninclude = [{ label = { name = "part1" } }]')
    routine.write_text('name = "both"\nmade_from = "both.obj"\n' + "".join(f"[[steps]]\n{step}\n" for step in steps))
    out = subprocess.run([hull, "prepare", both, "--routine", routine, "--destination", "surface", "--out", folder / "blocks", "--form", "vtm"],
                         capture_output=True, text=True)
    if out.returncode:
        sys.exit(out.stdout + out.stderr)
    blocks = vtkXMLMultiBlockDataReader(file_name=str(folder / "blocks/both.vtm"))
    blocks.Update()
    read = blocks.GetOutput()
    names = [read.GetMetaData(i).Get(vtkCompositeDataSet.NAME()) for i in range(read.GetNumberOfBlocks())]
    same("vtk: names of blocks", names == ["part0", "part1"], True)
    same("vtk: cells of blocks", sum(read.GetBlock(i).GetNumberOfCells() for i in range(2)), count)
    theirs = meshio.read(folder / "both.exo")
    same("meshio: points", len(theirs.points), len(ball.vertices) + len(box.vertices))


def clouds(folder):
    rng = np.random.default_rng(5)
    points = rng.normal(0, 10, (5000, 3))
    np.savetxt(folder / "p.xyz", points)
    for ending in ("las", "laz", "e57"):
        convert(folder / "p.xyz", folder / f"ours.{ending}", "--from", "m", "--to", "m")
    read = laspy.read(folder / "ours.las")
    same("las", np.abs(np.c_[read.x, read.y, read.z] - points).max() < 1e-6, True)
    packed = laspy.read(folder / "ours.laz")
    same("laz", np.abs(np.c_[packed.x - read.x, packed.y - read.y, packed.z - read.z]).max(), 0)
    same("laz is smaller", (folder / "ours.laz").stat().st_size < (folder / "ours.las").stat().st_size, True)
    read = pye57.E57(str(folder / "ours.e57")).read_scan_raw(0)
    same("e57", np.abs(np.c_[read["cartesianX"], read["cartesianY"], read["cartesianZ"]] - points).max(), 0)
    for version, form in (("1.2", 2), ("1.4", 7)):
        for ending in ("las", "laz"):
            made = laspy.LasData(laspy.LasHeader(point_format=form, version=version))
            made.x, made.y, made.z = points.T
            made.red = np.arange(5000) * 10
            made.write(folder / f"theirs.{ending}")
            ours = check(folder / f"theirs.{ending}")
            same(f"{ending} {version}", ours["points"], 5000)
            same(f"{ending} {version}: box", ours["bbox"]["max"][0], points[:, 0].max(), 1e-2)
            same(f"{ending} {version}: colours", ours["cloud"]["coloured"], True)


with tempfile.TemporaryDirectory() as made:
    folder = pathlib.Path(made)
    drawings(folder)
    surfaces(folder)
    packed(folder)
    solver_files(folder)
    clouds(folder)
print(f"{checks} figures of files agree with ezdxf, trimesh, meshio, vtk, h5py, netCDF4, laspy and pye57")
