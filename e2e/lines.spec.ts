// Lines in space: the demo's wireframe is drawn, named, dropped in part, gone back from, and handed over as a design file.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { bodyOf, drawn, expect, pixels, test } from "./pages";
import { gantry } from "./parts";

const hull = join(process.env.HULL_BINARIES!, "hull");
const pipit = () => readFileSync(join(dirname(process.env.HULL_DEMO_PART!), "stern-gantry.step"));

test("a wireframe is drawn, named and handed over as curves", async ({ page, request }) => {
  const body = await bodyOf(request, "gantry", "stern-gantry.step", pipit(), "lines");
  await page.goto(`${body}?row=axes_chosen&tab=lines`);
  await drawn(page);
  await expect(page.locator("#figures")).toContainText("18 lines");
  const kinds = page.locator(".of-lines table").first();
  await expect(kinds).toContainText("straight line15");
  await expect(kinds).toContainText("arc2");
  // The lines are what is drawn: dark on the ground, and gone where they are dropped.
  const ink = () => pixels(page, [0, 0, 0], [60, 80, 100]);
  await expect.poll(ink).toBeGreaterThan(1500);
  const whole = await ink();

  const rail = page.getByLabel("Name of the line").first();
  await expect(rail).toHaveValue("rail");
  await rail.fill("stern rail");
  await rail.press("Enter");
  // What stands in the field was typed; that it is a step now, the logbook says.
  await expect(page.locator("#step-back")).toBeEnabled();
  await expect(page.locator("#row-lines_there .v")).toHaveText("18");
  await expect(page.getByLabel("Name of the line").first()).toHaveValue("stern rail");

  await page.getByLabel("stern gantry / frame forward").check();
  await page.getByRole("button", { name: "Drop them" }).click();
  await expect(page.locator("#figures")).toContainText("12 lines");
  await drawn(page);
  await expect.poll(ink).toBeLessThan(whole);
  await page.getByRole("button", { name: "Back a step" }).click();
  await expect(page.locator("#figures")).toContainText("18 lines");

  // A kind is left out as a whole, and taken back.
  await kinds.getByRole("row", { name: /^arc/ }).getByRole("button", { name: "Leave out" }).click();
  await expect(page.locator("#figures")).toContainText("16 lines");
  await expect(kinds).not.toContainText("arc");
  await page.getByRole("button", { name: "Back a step" }).click();
  await expect(page.locator("#figures")).toContainText("18 lines");

  await page.getByRole("button", { name: "Set axes" }).click();
  await expect(page.locator("#row-axes_chosen .w")).toHaveText("met");
  await page.getByRole("button", { name: "Hand over" }).click();
  await expect(page.locator("h1")).toContainText("Handed over");
  await expect(page.locator("body")).toContainText("curves without faces");
  const folder = mkdtempSync(join(tmpdir(), "hull-"));
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: /^Download/ }).click();
  await (await download).saveAs(join(folder, "handover.zip"));
  execFileSync("python3", ["-m", "zipfile", "-e", join(folder, "handover.zip"), folder]);
  const written = readFileSync(join(folder, "stern-gantry.step"), "utf8");
  expect(written).toContain("'stern rail'");
  // Lines are no surface: the shell says so with its exit code, and measures them all the same.
  let out = "";
  try {
    out = execFileSync(hull, ["check", "stern-gantry.step", "--json"], { cwd: folder }).toString();
  } catch (e) {
    out = (e as { stdout: Buffer }).stdout.toString();
  }
  const figures = JSON.parse(out);
  expect(figures.wireframe).toMatchObject({ lines: 18 });
  // Two frames, five cross members and the rail, in millimetres: of the drawing, by its lengths.
  const frame = 2 * Math.hypot(150, 2100) + 2 * Math.hypot(600, 620) + 2100 + Math.PI * 1050;
  const cross = 900 + 2 * 900 + 2 * Math.hypot(150, 900, 2100);
  const rest = figures.wireframe.length - 2 * frame - cross;
  const curved = figures.wireframe.longest[0].length;
  expect(rest).toBeCloseTo(curved, 3);
});

test("a frame is never ready by lack of facets, and each line is written under its name", async ({ page, request }) => {
  const body = await bodyOf(request, "frame", "gantry.step", gantry());
  await page.goto(`${body}?row=closed&tab=lines`);
  await drawn(page);
  await expect(page.locator("#figures")).toContainText("4 lines");
  await expect(page.locator("#figures")).toContainText(
    "3 000 × 400 × 3 500 mm".replaceAll(/(?<=\d) (?=\d)/g, "\u2009"),
  );
  await expect(page.locator(".evidence")).toContainText("4 lines and no faces");
  await expect(page.locator("#row-closed")).toContainText("pending");
  // Lines of the frame's colour stand in the view, and the first picture has gone from behind them.
  await expect(page.locator("#first-picture")).toBeHidden();
  const dark = await pixels(page, [0, 0, 0], [60, 255, 255]);
  expect(dark).toBeGreaterThan(500);
  const longest = page.locator(".of-lines form", { has: page.getByLabel("Name of the line") }).first();
  await expect(longest.getByLabel("Name of the line")).toHaveValue("arch");
  await longest.getByLabel("Name of the line").fill("crown");
  await longest.getByRole("button", { name: "Name" }).click();
  // What stands in the field was typed; that it is a step now, the logbook says.
  await expect(page.locator("#step-back")).toBeEnabled();
  await expect(page.getByLabel("Name of the line").first()).toHaveValue("crown");
  for (const [label, title, kind] of [
    ["STEP AP214", "STEP AP214", "TRIMMED_CURVE('crown'"],
    ["IGES names", "IGES", "5Hcrown"],
  ]) {
    await page.getByLabel(label).check();
    await page.getByRole("button", { name: "Write the file" }).click();
    await expect(page.locator("#written")).toContainText(title);
    const download = page.waitForEvent("download");
    await page.getByRole("link", { name: /^Download/ }).click();
    expect(readFileSync(await (await download).path(), "utf8")).toContain(kind);
  }
});
