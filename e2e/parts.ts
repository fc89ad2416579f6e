// Parts made in the tests, so that what they are is known.

type Point = [number, number, number];

const QUADS = [
  [0, 2, 3, 1],
  [4, 5, 7, 6],
  [0, 1, 5, 4],
  [2, 6, 7, 3],
  [0, 4, 6, 2],
  [1, 3, 7, 5],
];

/** ASCII STL of a box in loose sides: `gap` apart, the side numbers in `left` out, those in `turned` inside out. */
export function looseBox(size: Point, gap: number, left: number[] = [], turned: number[] = []): Buffer {
  const corner = (i: number): Point => [i & 1 ? size[0] : 0, i & 2 ? size[1] : 0, i & 4 ? size[2] : 0];
  let text = "solid\n";
  QUADS.forEach((quad, side) => {
    if (left.includes(side)) return;
    const [a, b, c, d] = quad.map((i) => corner(i).map((x, k) => x + gap * Math.sin(side * 3 + k)) as Point);
    for (const t of [
      [a, b, c],
      [a, c, d],
    ]) {
      const facet = turned.includes(side) ? [t[0], t[2], t[1]] : t;
      const vertices = facet.map((p) => `vertex ${p.join(" ")}`).join("\n");
      text += `facet normal 0 0 0\nouter loop\n${vertices}\nendloop\nendfacet\n`;
    }
  });
  return Buffer.from(`${text}endsolid\n`);
}

/** Binary STL of a torus about z, two facets for each of `u` by `v` cells. */
export function torus(major: number, minor: number, u: number, v: number): Buffer {
  const place = (i: number, j: number): Point => {
    const [a, b] = [(2 * Math.PI * (i % u)) / u, (2 * Math.PI * (j % v)) / v];
    const r = major + minor * Math.cos(b);
    return [r * Math.cos(a), r * Math.sin(a), minor * Math.sin(b)];
  };
  const bytes = Buffer.alloc(84 + 50 * 2 * u * v);
  bytes.writeUInt32LE(2 * u * v, 80);
  let at = 84;
  for (let i = 0; i < u; i++)
    for (let j = 0; j < v; j++) {
      const [a, b, c, d] = [place(i, j), place(i + 1, j), place(i + 1, j + 1), place(i, j + 1)];
      for (const t of [
        [a, b, c],
        [a, c, d],
      ]) {
        t.flat().forEach((x, k) => bytes.writeFloatLE(x, at + 12 + 4 * k));
        at += 50;
      }
    }
  return bytes;
}
