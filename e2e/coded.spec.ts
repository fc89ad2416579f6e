import { expect, test } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { MeshoptEncoder } from "meshoptimizer";

// glTF whose arrays are coded by the encoder of those who wrote the extension's text, read by the shell.

type Mode = "ATTRIBUTES" | "TRIANGLES" | "INDICES";

/** A ring of 60 by 30 points around z, in metres: places and corners of facets, outward. */
function ring(): { places: Float32Array; corners: Uint32Array } {
  const [n, m, large, small] = [60, 30, 0.5, 0.2];
  const places = new Float32Array(3 * n * m);
  const corners: number[] = [];
  for (let i = 0; i < n; i++)
    for (let k = 0; k < m; k++) {
      const [u, v] = [(2 * Math.PI * i) / n, (2 * Math.PI * k) / m];
      const r = large + small * Math.cos(v);
      places.set([r * Math.cos(u), r * Math.sin(u), small * Math.sin(v)], 3 * (i * m + k));
      const at = (a: number, b: number) => (a % n) * m + (b % m);
      const [p, q, s, t] = [at(i, k), at(i + 1, k), at(i + 1, k + 1), at(i, k + 1)];
      corners.push(p, q, s, p, s, t);
    }
  return { places, corners: Uint32Array.from(corners) };
}

/** A binary file of one mesh, its two arrays coded in some way. */
function file(places: [Uint8Array, number, string], corners: [Uint8Array, number, Mode], points: number): Buffer {
  const coded = [places[0], corners[0]];
  const offsets = [0, Math.ceil(coded[0].length / 4) * 4];
  const bin = Buffer.alloc(Math.ceil((offsets[1] + coded[1].length) / 4) * 4);
  coded.forEach((bytes, i) => bin.set(bytes, offsets[i]));
  const count = [points, corners[1]];
  const stride = [12, 4];
  const mode = ["ATTRIBUTES", corners[2]];
  const view = (i: number) => ({
    buffer: 1,
    byteLength: count[i] * stride[i],
    extensions: {
      EXT_meshopt_compression: {
        buffer: 0,
        byteOffset: offsets[i],
        byteLength: coded[i].length,
        byteStride: stride[i],
        count: count[i],
        mode: mode[i],
        ...(i === 0 ? { filter: places[2] } : {}),
      },
    },
  });
  const text = JSON.stringify({
    asset: { version: "2.0" },
    extensionsRequired: ["EXT_meshopt_compression"],
    scenes: [{ nodes: [0] }],
    nodes: [{ mesh: 0, name: "ring" }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1 }] }],
    accessors: [
      { bufferView: 0, componentType: 5126, count: points, type: "VEC3" },
      { bufferView: 1, componentType: 5125, count: corners[1], type: "SCALAR" },
    ],
    bufferViews: [view(0), view(1)],
    buffers: [
      { byteLength: bin.length },
      { byteLength: 12 * points + 4 * corners[1], extensions: { EXT_meshopt_compression: { fallback: true } } },
    ],
  });
  const json = Buffer.from(text.padEnd(Math.ceil(text.length / 4) * 4));
  const head = Buffer.alloc(20);
  head.write("glTF");
  head.writeUInt32LE(2, 4);
  head.writeUInt32LE(28 + json.length + bin.length, 8);
  head.writeUInt32LE(json.length, 12);
  head.write("JSON", 16);
  const second = Buffer.alloc(8);
  second.writeUInt32LE(bin.length, 0);
  second.write("BIN\0", 4);
  return Buffer.concat([head, json, second, bin]);
}

test("coded glTF is the ring that was coded, in every mode", async () => {
  await MeshoptEncoder.ready;
  const { places, corners } = ring();
  const points = places.length / 3;
  const bytes = (a: Float32Array | Uint32Array) => new Uint8Array(a.buffer, a.byteOffset, a.byteLength);
  const code = (a: Uint8Array, count: number, size: number, mode: Mode) =>
    MeshoptEncoder.encodeGltfBuffer(a, count, size, mode, 0);
  const plain = code(bytes(places), points, 12, "ATTRIBUTES");
  const powers = MeshoptEncoder.encodeFilterExp(places, points, 12, 18);
  const shuffled = Uint32Array.from({ length: corners.length / 3 }, (_, i) => (i * 1009) % (corners.length / 3)).reduce(
    (out, from, to) => (out.set(corners.subarray(3 * from, 3 * from + 3), 3 * to), out),
    new Uint32Array(corners.length),
  );
  const cases: [string, [Uint8Array, number, string], [Uint8Array, number, Mode]][] = [
    [
      "facets",
      [plain, 12, "NONE"],
      [code(bytes(corners), corners.length, 4, "TRIANGLES"), corners.length, "TRIANGLES"],
    ],
    [
      "shuffled",
      [plain, 12, "NONE"],
      [code(bytes(shuffled), corners.length, 4, "TRIANGLES"), corners.length, "TRIANGLES"],
    ],
    ["numbers", [plain, 12, "NONE"], [code(bytes(shuffled), corners.length, 4, "INDICES"), corners.length, "INDICES"]],
    [
      "powers",
      [code(powers, points, 12, "ATTRIBUTES"), 12, "EXPONENTIAL"],
      [code(bytes(corners), corners.length, 4, "TRIANGLES"), corners.length, "TRIANGLES"],
    ],
  ];
  const folder = mkdtempSync(join(tmpdir(), "coded-"));
  try {
    for (const [name, one, other] of cases) {
      const path = join(folder, `${name}.glb`);
      const whole = file(one, other, points);
      writeFileSync(path, whole);
      const hull = (...words: string[]) => {
        try {
          return execFileSync(join(process.env.HULL_BINARIES!, "hull"), words, { encoding: "utf8" });
        } catch (e) {
          // 1 says that something is not met, which a file without a purpose may be.
          const { status, stdout, stderr } = e as { status: number; stdout: string; stderr: string };
          if (status === 1) return stdout;
          return stderr;
        }
      };
      const told = JSON.parse(hull("check", "--json", path));
      expect(told.triangles, name).toBe(corners.length / 3);
      expect(told.open_edges, name).toBe(0);
      // A ring of 60 by 30 sides has this part of 2 π² R r².
      const sides = (n: number) => (n / (2 * Math.PI)) * Math.sin((2 * Math.PI) / n);
      const expected = 2 * Math.PI ** 2 * 0.5 * 0.2 ** 2 * sides(60) * sides(30) * 1e9;
      expect(Math.abs(told.volume / expected - 1), `${name}: ${told.volume} for ${expected}`).toBeLessThan(2e-3);
      // Told to be shorter than its codes are, it says so, and nothing is made of it.
      const text = whole.toString("latin1").replace(`"byteLength":${other[0].length},`, (found) => {
        const shorter = `"byteLength":${other[0].length - 7},`;
        return shorter.padEnd(found.length, " ");
      });
      writeFileSync(path, Buffer.from(text, "latin1"));
      expect(hull("check", "--json", path), name).toMatch(
        /stretch 1 of the buffers: its coded arrays cannot be decoded/,
      );
    }
  } finally {
    rmSync(folder, { recursive: true });
  }
});
