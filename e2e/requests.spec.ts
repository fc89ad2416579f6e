// What the server says to requests that a page would not make.
import { execFileSync } from "node:child_process";
import { connect } from "node:net";
import { join } from "node:path";
import { bodyOf, expect, expectTold, take, test } from "./pages";
import { looseBox } from "./parts";

const hull = join(process.env.HULL_BINARIES!, "hull");

test("a step that cannot be is refused with a sentence, and the body stays as it was", async ({ request }) => {
  const body = await bodyOf(request, "refusals", "box.stl", looseBox([4, 3, 2], 0.01));
  const scene = async () => /"revision":(\d+)/.exec(await (await request.get(body)).text())![1];
  const before = await scene();
  const cases: [Record<string, string>, string][] = [
    [{ step: "bend" }, "bend"],
    [{ step: "set_unit", unit: "furlong" }, "furlong"],
    [{ step: "set_size", measured: "0", should_be: "5" }, "the measured distance must be a number"],
    [{ step: "set_size", measured: "1", should_be: "five" }, "“five” is not"],
    [{ step: "orient", up: "+x", forward: "-x" }, "axes"],
    [{ step: "orient", up: "up", forward: "+x" }, "one of +x, -x, +y, -y, +z, -z; “up” is not"],
    [{ step: "stitch", tolerance: "-1" }, "tolerance must be a number"],
    [{ step: "stitch", tolerance: "NaN" }, "must be a number"],
    [{ step: "place", anchor: "centre", at: "1e999 0 0" }, "at must be three numbers"],
    [{ step: "name_boundary", name: "", pick: "" }, "name"],
    [{ step: "name_boundary", name: "a", pick: "{" }, "pick"],
    [{ step: "set_role", name: "nobody", role: "inlet" }, "nobody"],
    [{ step: "waive", requirement: "no_such_row", reason: "x", by: "y" }, "no_such_row"],
  ];
  for (const [form, words] of cases) {
    await expectTold(request, body, await request.post(`${body}/steps`, { form }), words);
  }
  expect(await scene()).toBe(before);
});

test("what a page asks of a state that the body has left is not done, and said", async ({ request }) => {
  const body = await bodyOf(request, "twice", "box.stl", looseBox([4, 3, 2], 0.001));
  const page = await (await request.get(body)).text();
  const state = (text: string) => /"revision":(\d+)/.exec(text)![1];
  const on = state(page);
  expect(page).toMatch(new RegExp(`hx-post="[^"]*/steps[^"]*on=${on}"`));
  const size = { step: "set_size", measured: "1", should_be: "2" };
  await take(request, body, size, `?on=${on}`);
  const once = await (await request.get(body)).text();
  const twice = await (await request.post(`${body}/steps?on=${on}`, { form: size })).text();
  expect(twice).toContain("moved on");
  expect(state(once)).not.toBe(on);
  expect(state(await (await request.get(body)).text())).toBe(state(once));
  const handover = await request.post(`${body}/handovers?on=${on}`, { form: { form: "ascii" } });
  expect(await handover.text()).toContain("moved on");
});

test("addresses of what is not there are 404, of another body's state refused", async ({ request }) => {
  const [one, other] = [
    await bodyOf(request, "one", "a.stl", looseBox([1, 1, 1], 0)),
    await bodyOf(request, "other", "b.stl", looseBox([2, 2, 2], 0)),
  ];
  for (const address of [
    "/nowhere",
    "/bodies/999999",
    "/projects/999999",
    "/handovers/999999",
    "/geometry/999999/view",
    "/pictures/999999.png",
    "/revisions/999999/regions?angle=20",
    "/destinations/none",
    "/assets/none.js",
    "/jobs/999999/file",
    // The job that read the first body wrote no file.
    "/jobs/1/file",
  ])
    expect((await request.get(address)).status(), address).toBe(404);
  const revision = /"revision":(\d+)/.exec(await (await request.get(other)).text())![1];
  expect((await request.post(`${one}/goto/${revision}`)).status(), "a state of another body").toBe(404);
  expect((await request.put("/projects/999999/files?name=a.stl&destination=fluid", { data: "x" })).status()).toBe(404);
});

test("a design file is of a state of that body, in a form there is, in a unit that is known", async ({ request }) => {
  const [one, other] = [
    await bodyOf(request, "one", "a.stl", looseBox([1, 1, 1], 0)),
    await bodyOf(request, "other", "b.stl", looseBox([2, 2, 2], 0)),
  ];
  const state = async (body: string) => /"revision":(\d+)/.exec(await (await request.get(body)).text())![1];
  const write = (on: string, as: string) => request.post(`${one}/designs?tab=exact`, { form: { on, as, unit: "mm" } });
  await expectTold(request, one, await write(await state(other), "ap242"), "another body");
  expect((await write(await state(one), "ap999")).status()).toBe(422);
  await expectTold(request, one, await write(await state(one), "ap242"), "unit first");
  await take(request, one, { step: "set_unit", unit: "mm" });
  await expectTold(request, one, await write(await state(one), "iges"), "IGES has no place for facets");
});

test("a change that another site asks for is not made", async ({ request }) => {
  const foreign = { "Sec-Fetch-Site": "cross-site" };
  const name = `from elsewhere ${Date.now()}`;
  const answer = await request.post("/projects", { form: { name }, headers: foreign });
  expect(answer.status()).toBe(403);
  expect(await (await request.get("/")).text()).not.toContain(name);
});

test("a handover is refused while requirements are not met", async ({ request }) => {
  const body = await bodyOf(request, "too early", "box.stl", looseBox([1, 1, 1], 0));
  const answer = await request.post(`${body}/handovers`, { form: { form: "ascii" } });
  await expectTold(request, body, answer, "not ready");
  expect(await (await request.get(body)).text()).not.toContain("/handovers/");
});

test("the routine that the page offers is the one that the shell exports", async ({ request }) => {
  const body = await bodyOf(request, "routine", "box.stl", looseBox([4, 3, 2], 0.001));
  const steps: Record<string, string>[] = [
    { step: "set_unit", unit: "in" },
    { step: "stitch", tolerance: "0.5" },
    { step: "turn_outward" },
  ];
  for (const form of steps) await take(request, body, form);
  const page = await (await request.get(`${body}/routine.toml`)).text();
  const project = /<b>(routine \d+)<\/b>/.exec(await (await request.get(body)).text())![1];
  const database = process.env.HULL_DATABASE_URL!;
  const shell = execFileSync(hull, ["routine", "export", "--project", project, "--database", database]).toString();
  expect(page).toBe(shell);
  expect(page.match(/\[\[steps\]\]/g)).toHaveLength(3);
});

/** What the server answers to bytes, until it closes the connection or is silent for a while. */
function answerTo(address: string, bytes: string): Promise<string> {
  const { hostname, port } = new URL(address);
  return new Promise((resolve, reject) => {
    let said = "";
    const socket = connect(Number(port), hostname, () => socket.write(bytes));
    socket.setTimeout(2000, () => socket.destroy());
    socket.on("data", (data) => (said += data.toString("latin1")));
    socket.on("close", () => resolve(said));
    socket.on("error", reject);
  });
}

test("a head with a bare line feed is refused, and only that", async ({ baseURL }) => {
  const host = `Host: ${new URL(baseURL!).host}`;
  const good = `GET /destinations HTTP/1.1\r\n${host}\r\n\r\n`;
  const chunked = `POST /projects HTTP/1.1\r\n${host}\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nna\nme\r\n0\r\n\r\n`;
  const statuses = async (bytes: string) =>
    [...(await answerTo(baseURL!, bytes)).matchAll(/HTTP\/1\.1 (\d+)/g)].map((m) => m[1]);
  expect(await statuses(good + good)).toEqual(["200", "200"]);
  expect(await statuses(good.replaceAll("\r\n", "\n"))).toEqual(["400"]);
  expect(await statuses(good + good.replace("\r\n\r\n", "\n\r\n"))).toEqual(["200", "400"]);
  // Line feeds of bodies are the body's own.
  const [posted, after] = await statuses(chunked + good);
  expect([posted === "400", after]).toEqual([false, "200"]);
  // Nothing behind a bad chunk is taken for a request.
  expect(await statuses(chunked.replace("5\r\n", "5\n") + good)).toEqual([posted]);
});
