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

/** ASCII STL of closed boxes, each from a corner with a size. */
export function boxes(...all: { from: Point; size: Point }[]): Buffer {
  let text = "solid\n";
  for (const { from, size } of all) {
    const corner = (i: number) => [0, 1, 2].map((k) => from[k] + (i & (1 << k) ? size[k] : 0)).join(" ");
    for (const [a, b, c, d] of QUADS)
      for (const t of [
        [a, b, c],
        [a, c, d],
      ])
        text += `facet normal 0 0 0\nouter loop\n${t.map((i) => `vertex ${corner(i)}`).join("\n")}\nendloop\nendfacet\n`;
  }
  return Buffer.from(`${text}endsolid\n`);
}

/** OBJ of pieces that stand apart, each with one thing wrong with it: what, and how often, is in the test that uses it. */
export function faulty(): Buffer {
  const points: Point[] = [];
  const faces: number[][] = [];
  const point = (p: Point) => points.push(p);
  const box = (
    from: Point,
    to: Point,
    corner = (i: number) => point([0, 1, 2].map((k) => (i & (1 << k) ? to : from)[k]) as Point),
  ) => {
    const number = [0, 1, 2, 3, 4, 5, 6, 7].map(corner);
    for (const [a, b, c, d] of QUADS)
      for (const t of [
        [a, b, c],
        [a, c, d],
      ])
        faces.push(t.map((i) => number[i]));
    return number;
  };
  // Two blocks that share an edge, and two that share a point.
  const shared = (dx: number, dy: number, dz: number, at: Point) => {
    const first = box(at, [at[0] + 10, at[1] + 10, at[2] + 10]);
    const from: Point = [at[0] + dx * 10, at[1] + dy * 10, at[2] + dz * 10];
    const place = (i: number): Point => [0, 1, 2].map((k) => from[k] + (i & (1 << k) ? 10 : 0)) as Point;
    const known = (p: Point) => first.find((n) => points[n - 1].every((x, k) => x === p[k]));
    box(from, from, (i) => known(place(i)) ?? point(place(i)));
  };
  shared(1, 1, 0, [0, 0, 0]);
  shared(1, 1, 1, [50, 0, 0]);
  // A plate 0.2 thick; two blocks 0.2 apart; a block lost in another.
  box([0, 50, 0], [40, 90, 0.2]);
  box([50, 50, 0], [60, 60, 10]);
  box([60.2, 50, 0], [70, 60, 10]);
  const outer = box([0, 100, 0], [30, 130, 30]);
  box([10, 110, 10], [16, 116, 16]);
  // A facet twice, one without area, a cap beside a facet, a lid folded back, a point of no facet.
  faces.push([...faces[faces.length - 13]]);
  const middle = point([15, 100, 0]);
  faces.push([outer[0], middle, outer[1]]);
  const flap = [point([100, 0, 0]), point([110, 0, 0]), point([105, 10, 0]), point([105, 9, 0.2])];
  faces.push([flap[0], flap[1], flap[2]], [flap[1], flap[0], flap[3]]);
  const cap = [point([100, 20, 0]), point([110, 20, 0]), point([105, 20.01, 0])];
  faces.push(cap, [cap[1], cap[0], point([105, 12, 0])]);
  point([120, 0, 0]);
  // A square ring: one tunnel.
  const ring = [0, 1, 2, 3].map((k) => {
    const [x, y] = [
      [0, 0],
      [20, 0],
      [20, 20],
      [0, 20],
    ][k];
    const [u, v] = [x === 0 ? 5 : 15, y === 0 ? 5 : 15];
    const at = (p: number, q: number, z: number) => point([100 + p, 100 + q, z]);
    return [at(x, y, 0), at(u, v, 0), at(u, v, 5), at(x, y, 5)];
  });
  for (let k = 0; k < 4; k++) {
    const [a, b] = [ring[k], ring[(k + 1) % 4]];
    for (let j = 0; j < 4; j++) {
      const i = (j + 1) % 4;
      faces.push([a[j], a[i], b[i]], [a[j], b[i], b[j]]);
    }
  }
  const text = [...points.map((p) => `v ${p.join(" ")}`), ...faces.map((f) => `f ${f.join(" ")}`)];
  return Buffer.from(text.join("\n") + "\n");
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

/** STEP of a gantry as its axes, in millimetres: two legs of 2000, a beam of 3000, and an arch over it, half a circle. */
export function gantry(): Buffer {
  const lines: string[] = [];
  const add = (text: string) => `#${lines.push(text)}`;
  const triple = (p: Point) => p.map((x) => x.toFixed(1)).join(",");
  const point = (p: Point) => add(`CARTESIAN_POINT('',(${triple(p)}))`);
  const direction = (p: Point) => add(`DIRECTION('',(${triple(p)}))`);
  const member = (name: string, a: Point, b: Point) => add(`POLYLINE('${name}',(${point(a)},${point(b)}))`);
  const curves = [
    member("left leg", [0, 0, 0], [0, 400, 2000]),
    member("right leg", [3000, 0, 0], [3000, 400, 2000]),
    member("beam", [0, 400, 2000], [3000, 400, 2000]),
  ];
  const middle = `${point([1500, 400, 2000])},${direction([0, -1, 0])},${direction([1, 0, 0])}`;
  const circle = add(`CIRCLE('',${add(`AXIS2_PLACEMENT_3D('',${middle})`)},1500.0)`);
  curves.push(
    add(`TRIMMED_CURVE('arch',${circle},(PARAMETER_VALUE(0.0)),(PARAMETER_VALUE(3.141592653589793)),.T.,.PARAMETER.)`),
  );
  const length = add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))");
  const angle = add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))");
  const units = `GLOBAL_UNIT_ASSIGNED_CONTEXT((${length},${angle}))`;
  const context = add(`(GEOMETRIC_REPRESENTATION_CONTEXT(3)${units}REPRESENTATION_CONTEXT('',''))`);
  const set = add(`GEOMETRIC_CURVE_SET('',(${curves.join(",")}))`);
  add(`GEOMETRICALLY_BOUNDED_WIREFRAME_SHAPE_REPRESENTATION('gantry',(${set}),${context})`);
  const head = `HEADER;FILE_DESCRIPTION((''),'2;1');FILE_NAME('','',(''),(''),'','','');FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));ENDSEC;`;
  const data = lines.map((text, i) => `#${i + 1}=${text};`).join("\n");
  return Buffer.from(`ISO-10303-21;\n${head}\nDATA;\n${data}\nENDSEC;\nEND-ISO-10303-21;\n`);
}

/** ASCII STL of half a ring with a round bore, its ends named inlet and outlet. */
export function bend(radius = 60, bore = 20, along = 32, around = 24): Buffer {
  const at = (i: number, j: number): Point => {
    const [a, b] = [(Math.PI * i) / along, (2 * Math.PI * (j % around)) / around];
    const r = radius + bore * Math.cos(b);
    return [r * Math.cos(a), r * Math.sin(a), bore * Math.sin(b)];
  };
  const middle = (i: number): Point => {
    const a = (Math.PI * i) / along;
    return [radius * Math.cos(a), radius * Math.sin(a), 0];
  };
  const parts: Record<string, Point[][]> = { wall: [], inlet: [], outlet: [] };
  for (let j = 0; j < around; j++) {
    for (let i = 0; i < along; i++) {
      const [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
      parts.wall.push([a, b, c], [a, c, d]);
    }
    parts.inlet.push([middle(0), at(0, j), at(0, j + 1)]);
    parts.outlet.push([middle(along), at(along, j + 1), at(along, j)]);
  }
  const facet = (t: Point[]) =>
    `facet normal 0 0 0\nouter loop\n${t.map((p) => `vertex ${p.join(" ")}`).join("\n")}\nendloop\nendfacet\n`;
  const solid = ([name, facets]: [string, Point[][]]) =>
    `solid ${name}\n${facets.map(facet).join("")}endsolid ${name}\n`;
  return Buffer.from(Object.entries(parts).map(solid).join(""));
}
