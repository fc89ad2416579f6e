// A server that is killed in the middle of its work loses nothing: it has a database and a port of its own.
import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, firstBody, take, test } from "./pages";
import { looseBox } from "./parts";

const address = `127.0.0.1:${process.env.HULL_RESTART_PORT}`;
const cache = mkdtempSync(join(tmpdir(), "hull-restart-"));
let server: ChildProcess;

async function start(...more: string[]): Promise<void> {
  server = spawn(join(process.env.HULL_BINARIES!, "ready-hull"), ["serve", "--listen", address, ...more], {
    env: { ...process.env, HULL_DATABASE_URL: process.env.HULL_RESTART_DATABASE_URL, HULL_CACHE: cache },
    stdio: "ignore",
  });
  await expect
    .poll(() =>
      fetch(`http://${address}/`).then(
        (r) => r.ok,
        () => false,
      ),
    )
    .toBe(true);
}

async function kill(): Promise<void> {
  if (server.exitCode !== null || server.signalCode !== null) return;
  const gone = new Promise((resolve) => server.once("exit", resolve));
  server.kill("SIGKILL");
  await gone;
}

test.use({ baseURL: `http://${address}` });
test.afterAll(kill);

/** A closed torus of 2·u·v facets as ASCII STL: slow enough to read that it can be interrupted. */
function ring(u: number, v: number): Buffer {
  const corner = (i: number, j: number) => {
    const [a, b] = [((i % u) * 2 * Math.PI) / u, ((j % v) * 2 * Math.PI) / v];
    const r = 50 + 20 * Math.cos(b);
    return `vertex ${r * Math.cos(a)} ${r * Math.sin(a)} ${20 * Math.sin(b)}`;
  };
  const facets: string[] = [];
  for (let i = 0; i < u; i++)
    for (let j = 0; j < v; j++) {
      const [p, q, s, t] = [corner(i, j), corner(i + 1, j), corner(i + 1, j + 1), corner(i, j + 1)];
      for (const f of [
        [p, q, s],
        [p, s, t],
      ])
        facets.push(`facet normal 0 0 0\nouter loop\n${f.join("\n")}\nendloop\nendfacet`);
    }
  return Buffer.from(`solid ring\n${facets.join("\n")}\nendsolid ring\n`);
}

test("a body being read when the server is killed is read after its restart, once", async ({ request }) => {
  await start();
  const made = await request.post("/projects", { form: { name: "killed while reading" } });
  const project = new URL(made.url()).pathname;
  const facets = 2 * 500 * 300;
  expect(
    (await request.put(`${project}/files?name=ring.stl&destination=fluid`, { data: ring(500, 300) })).status(),
  ).toBe(202);
  await expect.poll(async () => (await request.get(project)).text(), { intervals: [20] }).toMatch(/class="job"/);
  await kill();
  await start();
  const body = await firstBody(request, project);
  const page = await (await request.get(project)).text();
  expect(page.match(/class="strong" href="\/bodies\//g)).toHaveLength(1);
  expect(await (await request.get(body)).text()).toContain(`${facets / 1000}\u2009000 facets`);
});

test("steps that were answered are there after a kill, and can be gone back over", async ({ request }) => {
  const made = await request.post("/projects", { form: { name: "killed after steps" } });
  const project = new URL(made.url()).pathname;
  await request.put(`${project}/files?name=box.stl&destination=fluid`, { data: looseBox([4, 3, 2], 0) });
  const body = await firstBody(request, project);
  await take(request, body, { step: "set_unit", unit: "cm" });
  await take(request, body, { step: "orient", up: "+y", forward: "+x" });
  // All of the page but when it was drawn.
  const logbook = async () => (await (await request.get(`${body}?tab=logbook`)).text()).replace(/data-at="\d+"/, "");
  const before = await logbook();
  await kill();
  await start();
  const after = await logbook();
  expect(after).toBe(before);
  expect(after).toContain("40 × 20 × 30");
  const states = [...after.matchAll(/\/goto\/(\d+)/g)].map((m) => Number(m[1]));
  await request.post(`${body}/goto/${Math.min(...states)}`);
  expect(await logbook()).toContain("4 × 3 × 2");
});

test("a job that needs more memory than it may have is told, and takes nothing with it", async ({ request }) => {
  await kill();
  await start("--memory", "0.1", "--workers", "1");
  const made = await request.post("/projects", { form: { name: "short of memory" } });
  const project = new URL(made.url()).pathname;
  await request.put(`${project}/files?name=ring.stl&destination=fluid`, { data: ring(500, 300) });
  await request.put(`${project}/files?name=box.stl&destination=fluid`, { data: looseBox([4, 3, 2], 0) });
  await expect
    .poll(async () => (await request.get(project)).text())
    .toContain("needs more memory than a job may use here");
  await firstBody(request, project);
});
