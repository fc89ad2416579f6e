// Destinations: asked for at each drop, copied, edited by version, taken over by a body, exported and taken in.
import { execFileSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { bodyOf, expect, newProject, send, take, test } from "./pages";
import { looseBox } from "./parts";

const hull = join(process.env.HULL_BINARIES!, "hull");

test("what files are bound for is asked once a drop, and the last answer is offered first", async ({
  page,
  request,
}) => {
  await newProject(page, "asked");
  await send(page, "one.stl", looseBox([4, 3, 2], 0), "Print");
  const row = page.locator("#bodies tbody tr", { hasText: "one.stl" });
  await expect(row).toContainText("Print");
  const two = ["two.stl", "three.stl"].map((name) => ({ name, mimeType: "model/stl", buffer: looseBox([1, 1, 1], 0) }));
  await page.locator("input[type=file]:not(#folder)").setInputFiles(two);
  await expect(page.locator("#ask")).toContainText("these 2 files");
  await expect(page.locator("#ask .ink")).toHaveText("Print");
  await page.locator("#ask").getByRole("button", { name: "Do not send" }).click();
  await expect(page.locator("#ask")).toBeHidden();
  await expect(page.locator("#sending li")).toHaveCount(0);
  // Without an answer nothing is taken.
  const project = new URL(page.url()).pathname;
  const unasked = await request.put(`${project}/files?name=a.stl`, { data: looseBox([1, 1, 1], 0) });
  expect(unasked.status()).toBe(422);
  expect(await unasked.text()).toContain("bound for");
});

test("a copy is edited by version; a body keeps its own until it takes the newer one over", async ({
  page,
  request,
}) => {
  const title = `Yard print ${Date.now()}`;
  await page.goto("/destinations");
  await expect(page.locator("tbody tr").first()).toContainText("Fluid, inside");
  const print = page.locator("tbody tr", { hasText: "ships with Ready Hull" }).filter({ hasText: "layers" });
  await print.getByLabel(/^Title of the copy/).fill(title);
  await print.getByRole("button", { name: "Copy" }).click();
  await expect(page.locator("h1")).toHaveText(title);
  const name = new URL(page.url()).pathname.split("/").pop()!;

  const body = await bodyOf(request, "bound", "box.stl", looseBox([40, 30, 20], 0), name);
  await take(request, body, { step: "set_unit", unit: "mm" });
  await page.goto(`${body}?row=fits_x`);
  await expect(page.locator("#row-fits_x .w")).toHaveText("met");
  await expect(page.locator(".binding")).not.toHaveAttribute("open");

  await page.goto(`/destinations/${name}`);
  await page.getByLabel("At most, Fits the build space along x").fill("thirty");
  await page.getByRole("button", { name: "Save version 2" }).click();
  await expect(page.locator("body")).toContainText("“thirty” is not");
  await page.goto(`/destinations/${name}`);
  await page.getByLabel("At most, Fits the build space along x").fill("30");
  await page.getByLabel("Ask for Fits the build space along z").uncheck();
  await page.locator("select[name=add]").selectOption("cavities");
  await page.getByRole("button", { name: "Save version 2" }).click();
  await expect(page.getByText("Version 2;")).toBeVisible();

  // The sheet stays what it was made with until somebody takes the new version.
  await page.goto(`${body}?row=fits_x`);
  await expect(page.locator("#row-fits_x .w")).toHaveText("met");
  await expect(page.locator(".binding")).toContainText("Version 2 is there; this sheet is made with 1");
  await page.getByRole("button", { name: "Take version 2" }).click();
  await expect(page.locator("#row-fits_x .w")).toHaveText("not met");
  await expect(page.locator("#row-fits_z")).toHaveCount(0);
  await expect(page.locator("#row-cavities")).toHaveCount(1);
  await page.locator(".binding summary").click();
  await page.getByLabel("Destination").selectOption("surface");
  await page.locator(".binding").getByRole("button", { name: "Change" }).click();
  await expect(page.locator(".band .bound")).toContainText("surface to keep");

  // The exported file is what the shell takes, and comes back as the next version.
  const toml = await (await request.get(`/destinations/${name}/2.toml`)).text();
  const folder = mkdtempSync(join(tmpdir(), "hull-"));
  writeFileSync(join(folder, "yard.toml"), toml);
  writeFileSync(join(folder, "box.stl"), looseBox([40, 30, 20], 0));
  writeFileSync(join(folder, "r.toml"), 'name = "r"\n[[steps]]\nstep = "set_unit"\nunit = "mm"\n');
  let said = "";
  try {
    execFileSync(hull, ["prepare", "box.stl", "--routine", "r.toml", "--destination", "yard.toml", "--out", "out"], {
      cwd: folder,
      stdio: "pipe",
    });
  } catch (e) {
    said = String((e as { stderr: Buffer }).stderr);
  }
  expect(said).toContain("Fits the build space along x (40 mm, limit 30 mm)");
  const taken = await request.post("/destinations", {
    form: { toml: toml.replace("at_most = 30.0", "at_most = 50.0") },
  });
  expect(await taken.text()).toContain("Version 3");
});

test("a destination that cannot be is refused with a sentence, and those that ship stay as they are", async ({
  request,
}) => {
  const add = async (toml: string) => {
    const answer = await request.post("/destinations", { form: { toml } });
    expect(answer.status(), toml).toBe(422);
    return answer.text();
  };
  const shipped = await (await request.get("/destinations/fluid/1.toml")).text();
  expect(await add(shipped)).toContain("ships with Ready Hull");
  expect(await add(shipped.replace('name = "fluid"', 'name = "Not a name"'))).toContain("small letters");
  expect(await add(shipped.replace('measure = "open_edges"', 'measure = "magic"'))).toContain(
    "“magic” is not a measure",
  );
  expect(await add(shipped.replace("at_most = 5000.0", "at_most = nan").replace('"fluid"', '"own"'))).toContain(
    "not a number",
  );
  expect(await add("nonsense")).toContain("not a destination");
  expect((await request.get("/destinations/none")).status()).toBe(404);
  expect((await request.get("/destinations/fluid?version=99")).status()).toBe(404);
  expect((await request.get("/destinations/fluid/99.toml")).status()).toBe(404);
});
