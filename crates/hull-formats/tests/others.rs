//! Files that other systems made: the test models of Debian's package `assimp-testmodels`, which `scripts/test` installs
//! and whose files are not copied here. Whoever has not installed it does not try them.

use hull_formats::{Content, FileFormat, open_beside};
use hull_geometry::Watch;
use std::path::{Path, PathBuf};

const MODELS: &str = "/usr/share/assimp/models";

/// Files that are refused, with a word of the sentence that says why.
const REFUSED: [(&str, &str); 31] = [
    ("Collada/cameras.dae", "holds no facets"),
    ("Collada/lights.dae", "holds no facets"),
    ("OBJ/number_formats.obj", "is not a finite coordinate"),
    ("OFF/invalid.off", "a face of 2 corners"),
    ("PLY/issue623.ply", "does not fit in the file"),
    ("PLY/pond.0.ply", "more than the"),
    ("glTF/BoxTextured-glTF-Binary/BoxTextured.glb", "of version 1"),
    ("glTF/BoxTextured-glTF-Embedded/BoxTextured.gltf", "of version “1"),
    ("glTF/BoxTextured-glTF-MaterialsCommon/BoxTextured.gltf", "of version “1"),
    ("glTF/BoxTextured-glTF/BoxTextured.gltf", "of version “1"),
    ("glTF/CesiumMilkTruck/CesiumMilkTruck.gltf", "of version “1"),
    ("glTF/IncorrectVertexArrays/Cube_v1.gltf", "of version “1"),
    ("glTF/TwoBoxes/TwoBoxes.gltf", "of version “1"),
    ("glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb", "place 0 of array 2 is not finite"),
    ("glTF2/IndexOutOfRange/AllIndicesOutOfRange.gltf", "names point 65535"),
    ("glTF2/IndexOutOfRange/IndexOutOfRange.gltf", "names point 255"),
    ("glTF2/MissingBin/BoxTextured.gltf", "“BoxTextured0.bin”, which is not there"),
    ("glTF2/RecursiveNodes/RecursiveNodes.gltf", "node 1 stands below itself"),
    ("glTF2/SchemaFailures/sceneWrongType.gltf", "which is not there"),
    ("glTF2/TestNoRootNode/NoScene.gltf", "holds no facets"),
    ("glTF2/TestNoRootNode/SceneWithoutNodes.gltf", "holds no facets"),
    ("glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_00.gltf", "holds no facets"),
    ("glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_07.gltf", "holds no facets"),
    ("glTF2/wrongTypes/badArray.gltf", "cannot be read"),
    ("glTF2/wrongTypes/badObject.gltf", "cannot be read"),
    ("invalid/OutOfMemory.off", "more than"),
    ("invalid/empty.obj", "empty"),
    ("invalid/empty.off", "empty"),
    ("invalid/empty.ply", "empty"),
    ("invalid/malformed.obj", "names point"),
    ("invalid/malformed2.obj", "it needs three"),
];

/// Facets and points of the same model in several formats.
const SAME: [(&str, usize, usize); 11] = [
    ("DXF/wuson.dxf", 3732, 2117),
    ("3MF/box.3mf", 12, 8),
    ("OBJ/WusonOBJ.obj", 3732, 2117),
    ("OFF/Wuson.off", 3732, 2117),
    ("STL/Wuson.stl", 3732, 2117),
    ("OBJ/spider.obj", 1368, 722),
    ("STL/Spider_ascii.stl", 1368, 722),
    ("STL/Spider_binary.stl", 1368, 722),
    ("OBJ/box.obj", 12, 8),
    ("OBJ/box_UTF16BE.obj", 12, 8),
    ("OFF/Cube.off", 12, 8),
];

fn files(folder: &Path, out: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            files(&path, out);
        } else if FileFormat::of_name(&path.to_string_lossy()).is_ok() {
            out.push(path);
        }
    }
}

#[test]
fn files_of_other_systems_are_read_or_refused_with_the_reason() {
    let root = Path::new(MODELS);
    let mut all = Vec::new();
    files(root, &mut all);
    if all.is_empty() {
        assert!(std::env::var_os("HULL_TEST_MODELS").is_none(), "{MODELS} is not installed");
        return;
    }
    all.sort();
    let (mut read, mut refused, mut wrong) = (0, 0, Vec::new());
    for path in &all {
        let name = path.strip_prefix(root).expect("found there").to_string_lossy().into_owned();
        let bytes = std::fs::read(path).expect("a file");
        let expected = REFUSED.iter().find(|(n, _)| *n == name);
        let beside = |other: &str| std::fs::read(path.parent()?.join(other)).ok();
        match (open_beside(&name, &bytes, &beside, &Watch::default()), expected) {
            (Ok(content), None) => {
                read += 1;
                if let (Content::Facets(got), Some((_, facets, points))) =
                    (&content, SAME.iter().find(|(n, ..)| *n == name))
                {
                    assert_eq!((got.mesh.triangles.len(), got.mesh.points.len()), (*facets, *points), "{name}");
                }
            }
            (Err(e), Some((_, why))) => {
                refused += 1;
                assert!(e.to_string().contains(why), "{e}");
            }
            (Ok(_), Some(_)) => wrong.push(format!("{name} was read")),
            (Err(e), None) => wrong.push(e.to_string()),
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(read >= 75 && refused == REFUSED.len(), "{read} read, {refused} refused of {}", all.len());
}
