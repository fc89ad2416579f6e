// Measures the pages and the view, and prints table rows for docs/performance.md.
import { readFileSync } from "node:fs";
import { type APIRequestContext, expect, type Page, test } from "@playwright/test";
import { torus } from "./parts";

const row = (what: string, figure: string) => console.log(`| ${what} | ${figure} |`);
const median = (times: number[]) => times.sort((a, b) => a - b)[times.length >> 1];

async function repeated(times: number, work: () => Promise<number>): Promise<number> {
  const all: number[] = [];
  for (let i = 0; i < times; i++) all.push(await work());
  return median(all);
}

async function bodyFrom(page: Page, request: APIRequestContext, name: string, bytes: Buffer): Promise<string> {
  await page.goto("/");
  await page.getByLabel("Name").fill(`bench ${Date.now()}`);
  await page.getByRole("button", { name: "Make the project" }).click();
  await page.waitForURL(/projects\/\d+/);
  const project = new URL(page.url()).pathname;
  expect((await request.put(`${project}/files?name=${name}&destination=fluid`, { data: bytes })).status()).toBe(202);
  const link = page.locator('#bodies tbody a[href^="/bodies/"]').first();
  await expect
    .poll(async () => (await page.reload(), link.count()), { timeout: 300_000, intervals: [2000] })
    .toBeGreaterThan(0);
  return (await link.getAttribute("href"))!;
}

const revisionOf = async (page: Page): Promise<number> =>
  JSON.parse((await page.locator("#scene").textContent())!).revision;

/** Turns what is shown with the mouse: how long each frame takes, and how many facets are drawn meanwhile. */
async function turned(page: Page): Promise<{ frames: number[]; drawn: number }> {
  const box = (await page.locator("#view canvas").boundingBox())!;
  await page.mouse.move(box.x + 300, box.y + 300);
  await page.mouse.down();
  // Frames between two waits of the page for the next frame, while the mouse turns the body.
  const frames: number[] = [];
  let drawn = 0;
  for (let i = 1; i <= 20; i++) {
    await page.mouse.move(box.x + 300 + 8 * i, box.y + 300 + 3 * i);
    frames.push(
      await page.evaluate(
        () =>
          new Promise<number>((resolve) => {
            const t = performance.now();
            requestAnimationFrame(() => requestAnimationFrame(() => resolve((performance.now() - t) / 2)));
          }),
      ),
    );
    drawn = Number(await page.locator("#view").getAttribute("data-facets"));
  }
  await page.mouse.up();
  return { frames, drawn };
}

test("a million facets", async ({ page, request }) => {
  const [u, v] = [1000, 500];
  const body = await bodyFrom(page, request, "million.stl", torus(500, 200, u, v));
  const began = Date.now();
  await page.goto(body);
  await expect(page.locator("#view")).toHaveAttribute("data-drawn", /\d/, { timeout: 120_000 });
  row(
    "1 M facets: from the address to the first picture, software rendering",
    `${((Date.now() - began) / 1000).toFixed(1)} s`,
  );
  const payload = await (await request.get(`/geometry/${await revisionOf(page)}/view`)).body();
  row("1 M facets: geometry sent", `${(payload.length / (2 * u * v)).toFixed(1)} bytes a facet`);

  const { frames, drawn } = await turned(page);
  row("1 M facets: facets drawn while the camera moves", String(drawn));
  row("1 M facets: median frame while the camera moves", `${median(frames).toFixed(0)} ms`);
  await expect(page.locator("#view")).toHaveAttribute("data-facets", String(2 * u * v), { timeout: 30_000 });
});

test("five million points", async ({ page, request }) => {
  const n = 5_000_000;
  const head = `ply\nformat binary_little_endian 1.0\nelement vertex ${n}\nproperty float x\nproperty float y\nproperty float z\nend_header\n`;
  const places = new Float32Array(3 * n);
  // A hilly square: neighbours lie beside each other, as scanners give them.
  for (let i = 0; i < n; i++) {
    const [x, y] = [(i % 2500) / 25, Math.floor(i / 2500) / 25];
    places.set([x, y, 3 * Math.sin(x / 7) * Math.cos(y / 9)], 3 * i);
  }
  const bytes = Buffer.concat([Buffer.from(head), Buffer.from(places.buffer)]);
  const began = Date.now();
  const body = await bodyFrom(page, request, "quay.ply", bytes);
  row("5 M points: from sending to the row of the project", `${((Date.now() - began) / 1000).toFixed(1)} s`);
  const asked = Date.now();
  await page.goto(body);
  await expect(page.locator("#view")).toHaveAttribute("data-drawn", /\d/, { timeout: 120_000 });
  row("5 M points: from the address to the first picture", `${((Date.now() - asked) / 1000).toFixed(1)} s`);
  const { frames } = await turned(page);
  row("5 M points: median frame while the camera moves", `${median(frames).toFixed(0)} ms`);
});

test("the demo's page, geometry and first picture", async ({ page, request, browser }) => {
  await page.goto("/");
  await page.getByText("Pipit survey catamaran").click();
  const link = page.getByRole("link", { name: "Raw water manifold" }).first();
  const body = (await link.getAttribute("href"))!;
  await page.goto(body);
  const revision = await revisionOf(page);
  const fetched = (address: string) =>
    repeated(15, async () => {
      const t = performance.now();
      await (await request.get(address)).body();
      return performance.now() - t;
    });
  row("demo: page of the workspace, server and transfer, median of 15", `${(await fetched(body)).toFixed(0)} ms`);
  row("demo: its geometry, median of 15", `${(await fetched(`/geometry/${revision}/view`)).toFixed(0)} ms`);

  const drawn: number[] = [];
  const first = async (address: string, prepare?: (page: Page) => Promise<void>) =>
    repeated(5, async () => {
      const fresh = await browser.newPage();
      await prepare?.(fresh);
      await fresh.goto(address);
      await fresh.waitForFunction(
        (name) => performance.getEntriesByName(name).length > 0,
        fresh.url().endsWith("/empty") ? "first picture" : "view drawn",
      );
      // The browser says itself when the image stood on the screen (Element Timing).
      const value = await fresh.evaluate(
        () =>
          new Promise<number>((resolve) => {
            const mark = performance.getEntriesByName("first picture")[0];
            if (mark) resolve(mark.startTime);
            new PerformanceObserver((list) => resolve(list.getEntries()[0].startTime)).observe({
              type: "element",
              buffered: true,
            });
          }),
      );
      drawn.push(await fresh.evaluate(() => performance.getEntriesByName("view drawn")[0]?.startTime ?? 0));
      await fresh.close();
      return value;
    });
  const empty = await first("/empty", async (fresh) => {
    const three = readFileSync("../web/node_modules/three/build/three.module.js");
    const core = readFileSync("../web/node_modules/three/build/three.core.js");
    await fresh.route("**/three.module.js", (r) => r.fulfill({ body: three, contentType: "text/javascript" }));
    await fresh.route("**/three.core.js", (r) => r.fulfill({ body: core, contentType: "text/javascript" }));
    await fresh.route("**/empty", (r) => r.fulfill({ body: EMPTY, contentType: "text/html" }));
  });
  drawn.length = 0;
  const ours = await first(body);
  row("demo: first picture, from navigation", `${ours.toFixed(0)} ms`);
  row("demo: the view that can be turned has replaced it", `${median(drawn).toFixed(0)} ms`);
  row("an empty three.js scene in the same browser", `${empty.toFixed(0)} ms; ratio ${(ours / empty).toFixed(2)}`);
});

const EMPTY = `<!doctype html><body style="margin:0"><script type="module">
import { Scene, OrthographicCamera, WebGLRenderer } from "./three.module.js";
const renderer = new WebGLRenderer();
renderer.setSize(920, 620);
document.body.append(renderer.domElement);
requestAnimationFrame(() => { renderer.render(new Scene(), new OrthographicCamera()); performance.mark("first picture"); });
</script></body>`;
