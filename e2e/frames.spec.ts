// A frame: the demo's drawing in inches, on its side, becomes members that hold, are tried, and are handed over; a zip brings
// several files at once.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { bodyOf, drawn, expect, pixels, take, test } from "./pages";

const hull = join(process.env.HULL_BINARIES!, "hull");
const demo = (name: string) => readFileSync(join(dirname(process.env.HULL_DEMO_PART!), name));

test("a drawing becomes a frame with sections, supports and loads, and is handed over", async ({ page, request }) => {
  const body = await bodyOf(request, "sensor gantry", "sensor-gantry.dxf", demo("sensor-gantry.dxf"), "frame");
  await page.goto(`${body}?row=unit_known`);
  await drawn(page);
  await expect(page.locator("#figures")).toContainText("12 lines");
  const row = page.locator("#evidence");
  const met = (id: string) => expect(page.locator(`#row-${id} .w`)).toHaveText("met");
  await expect(row).toContainText("The file declares inch");
  await row.getByRole("button", { name: "in", exact: true }).click();
  await met("unit_known");

  await page.goto(`${body}?row=axes_chosen`);
  await row.locator("select[name=up]").first().selectOption("+y");
  await row.getByRole("button", { name: "Set axes" }).click();
  await met("axes_chosen");

  // The brace that misses its joint by 3 mm is seen, and the double line goes.
  await page.goto(`${body}?row=members_there`);
  await expect(row).toContainText("Joining within 4.5 mm closes them");
  await row.getByRole("button", { name: "Make members" }).click();
  await met("members_there");
  await expect(page.locator("#row-members_there .v")).toHaveText("18");
  await expect.poll(() => pixels(page, [0, 0, 0], [60, 80, 100])).toBeGreaterThan(1000);

  await page.goto(`${body}?row=all_made`);
  await row.locator("input[name=section]").fill("RHS 10x10x9");
  await row.getByRole("button", { name: "Set section" }).click();
  await expect(page.locator("body")).toContainText("makes no section");
  await page.goto(`${body}?row=all_made`);
  await row.locator("input[name=section]").fill("RHS 80x40x4");
  await row.getByRole("button", { name: "Set section" }).click();
  await met("all_made");
  // Members are drawn at full size, and as lines if wished.
  const steel = () => pixels(page, [80, 90, 95], [175, 190, 196]);
  await expect.poll(steel).toBeGreaterThan(3000);
  await page.keyboard.press("v");
  const fullSize = page.getByLabel("members at full size");
  await expect(fullSize).toBeChecked();
  // What is counted is counted with the list open.
  const full = await steel();
  const differs = async () => Math.abs((await steel()) - full) > 200;
  await fullSize.uncheck();
  await expect.poll(differs).toBe(true);
  await fullSize.check();
  await expect.poll(differs).toBe(false);
  await page.keyboard.press("v");
  await page.goto(`${body}?row=supported`);
  await row.locator("select[name=held]").selectOption("fixed");
  await row.getByRole("button", { name: "Support" }).first().click();
  await met("supported");
  await page.goto(`${body}?row=loaded&tab=frame`);
  await row.getByRole("button", { name: "Load members" }).click();
  await met("loaded");
  await met("stress");
  await expect(page.locator("#drawer, .drawer, body").first()).toContainText("Supports carry along z N");
  // Its trial in the view: the deflected shape goes to and fro, forces stand beside the members.
  const drawing = page.locator("[data-frame-drawing]");
  const pieces = async () => Number(await page.locator("#view").getAttribute("data-ways-drawn"));
  await drawing.locator("select[name=what]").selectOption("deflected");
  await expect(drawing.locator("output")).toContainText(
    /Largest movement under “.*”: [\d.]+ mm, drawn [\d.]+ times as large/,
  );
  await expect.poll(pieces).toBe(18 * 8);
  await drawing.locator("select[name=what]").selectOption("moment_z");
  await expect(drawing.locator("output")).toContainText(/Bending Mz under .*: largest [\d.]+ kN·m/);
  await expect.poll(pieces).toBeGreaterThan(18 * 8);
  await drawing.locator("select[name=what]").selectOption("");
  await expect.poll(pieces).toBe(0);

  await page.getByRole("button", { name: "Hand over" }).click();
  await expect(page.locator("h1")).toContainText("Handed over");
  const folder = mkdtempSync(join(tmpdir(), "hull-"));
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: /^Download/ }).click();
  await (await download).saveAs(join(folder, "handover.zip"));
  execFileSync("python3", ["-m", "zipfile", "-e", join(folder, "handover.zip"), folder], {});
  expect(readFileSync(join(folder, "sensor-gantry-members.csv"), "utf8")).toContain("RHS 80x40x4,S235,posts");
  // What was handed over is a drawing again, with a layer for each section.
  let out = "";
  try {
    execFileSync(hull, ["check", "sensor-gantry.dxf", "--json"], {
      cwd: folder,
    });
  } catch (e) {
    out = (e as { stdout: Buffer }).stdout.toString();
  }
  const told = JSON.parse(out);
  expect([told.lines, told.layers[0].name, told.declared_unit]).toEqual([18, "RHS 80x40x4", "metre"]);
});

test("a zip becomes a body for each geometry file in it, and one that leads out is refused", async ({ request }) => {
  const made = await request.post("/projects", { form: { name: `zip ${Date.now()}` } });
  const project = new URL(made.url()).pathname;
  const folder = mkdtempSync(join(tmpdir(), "hull-"));
  const script = [
    "import zipfile, sys",
    "z = zipfile.ZipFile('good.zip', 'w')",
    "z.write(sys.argv[1], 'parts/tray.obj'); z.write(sys.argv[2], 'parts/frame.dxf'); z.writestr('notes.txt', 'x'); z.close()",
    "z = zipfile.ZipFile('bad.zip', 'w'); z.writestr('../up.obj', 'v 0 0 0'); z.close()",
  ].join("\n");
  const parts = dirname(process.env.HULL_DEMO_PART!);
  execFileSync("python3", ["-c", script, join(parts, "instrument-tray.obj"), join(parts, "sensor-gantry.dxf")], {
    cwd: folder,
  });
  const send = (name: string) =>
    request.put(`${project}/files?name=${name}&destination=surface`, {
      data: readFileSync(join(folder, name)),
    });
  const good = await (await send("good.zip")).json();
  expect([good.jobs.length, good.left]).toEqual([2, ["notes.txt"]]);
  const bad = await send("bad.zip");
  expect(bad.status()).toBe(422);
  expect(await bad.text()).toContain("leads out of the zip");
  await expect.poll(async () => (await (await request.get(project)).text()).match(/class="strong"/g)?.length).toBe(2);
});

test("members are ticked in the view and the table, drawn, divided, merged and combined", async ({ page, request }) => {
  const body = await bodyOf(request, "edited gantry", "sensor-gantry.dxf", demo("sensor-gantry.dxf"), "frame");
  await take(request, body, { step: "set_unit", unit: "in" });
  await take(request, body, { step: "orient", up: "+y", forward: "+x" });
  await take(request, body, { step: "make_members", tolerance: "5", chord: "20" });
  await page.goto(`${body}?row=none&tab=frame`);
  await drawn(page);
  const rows = page.locator("#members tbody tr");
  const many = await rows.count();
  const ticked = page.locator("#members-ticked");
  await page.keyboard.press("p");
  await page.keyboard.press("1");
  await page.waitForTimeout(500);
  const figures = page.locator("#figures");
  await expect(ticked).toHaveText("none ticked: all");
  // From the front the lowest ends are at the foot of the posts: a click on a post ticks it.
  const box = (await page.locator("#view canvas").boundingBox())!;
  for (let dx = -200; dx <= 200 && (await ticked.textContent())!.startsWith("none"); dx += 8)
    await page.mouse.click(box.x + box.width / 2 + dx, box.y + box.height / 2 + 60);
  await expect(ticked).toContainText("ticked");
  await expect(ticked).not.toContainText("none");
  // A box around the lower half of the view holds joints, but not every member; around all of it, everything.
  await page.keyboard.press("b");
  const around = async (top: number) => {
    await page.mouse.move(box.x + box.width - 20, box.y + box.height - 10);
    await page.mouse.down();
    await page.mouse.move(box.x + 20, box.y + top, { steps: 4 });
    await page.mouse.up();
  };
  const outlined = page.locator("#joints-outlined");
  await around(box.height / 2);
  await expect(outlined).toHaveText(/^[1-9]\d* joints inside$/);
  const below = parseInt((await outlined.textContent())!);
  await around(20);
  await expect(ticked).toHaveText(`${many} ticked`);
  expect(parseInt((await outlined.textContent())!)).toBeGreaterThan(below);
  await around(box.height / 2);
  await page.getByRole("button", { name: "Hold joints" }).click();
  await expect(page.locator("#joints tbody tr").filter({ hasText: "pinned" })).toHaveCount(below);
  const members = page.locator("section.members");
  await members.getByLabel("Section", { exact: true }).fill("CHS 60.3x4");
  await members.getByRole("button", { name: "Set section" }).click();
  await expect(rows.filter({ hasText: "CHS 60.3x4" })).not.toHaveCount(0);
  // One of them gets another section where it stands; the material stays. What is no number is told.
  const first = rows.filter({ hasText: "CHS" }).first();
  await first.getByRole("button", { name: "CHS" }).click();
  await page.locator("input.in-cell").fill("UPE 80");
  await page.keyboard.press("Enter");
  await expect(rows.filter({ hasText: "UPE 80 of S235" })).toHaveCount(1);
  const top = page
    .locator("#joints tbody tr")
    .first()
    .getByTitle(/^z of joint/);
  const height = async () => parseFloat((await top.textContent())!.replace(/[\s\u2009]/g, ""));
  await top.click();
  await page.locator("input.in-cell").fill("far");
  await page.keyboard.press("Enter");
  await expect(page.locator("#notice")).toContainText("“far” is no number");
  const before = await height();
  await members.getByLabel("Move members by").fill("0, 0, 10");
  await members.getByRole("button", { name: "Move members" }).click();
  await expect.poll(height).toBe(before + 10);
  for (const to of [before + 12, before + 10]) {
    await top.click();
    await page.locator("input.in-cell").fill(String(to));
    await page.keyboard.press("Enter");
    await expect.poll(height).toBe(to);
  }
  await page.getByLabel("Find members").fill("CHS");
  await expect(page.locator("#members tbody tr:not([hidden])")).toHaveCount(
    await rows.filter({ hasText: "CHS" }).count(),
  );
  await page.getByLabel("Find members").fill("");
  await page.getByRole("button", { name: "Length mm" }).click();
  const lengths = await rows.locator("td:nth-child(6)").allTextContents();
  const numbers = lengths.map((text) => Number(text.replace(/[^\d.]/g, "")));
  expect(numbers).toEqual([...numbers].sort((a, b) => a - b));

  await members.getByRole("button", { name: "Divide" }).click();
  await expect(figures).toContainText(`${2 * many} members`);
  await take(request, body, { step: "merge_members", angle: "0.1" });
  await page.reload();
  await expect(figures).toContainText(`${many} members`);
  await page.getByLabel("Members to paste").fill("0, 0, 0, 0, 0, 5000\n0; 0; 5000; 1000; 0; 5000");
  await members.getByRole("button", { name: "Add members" }).click();
  await expect(rows).toHaveCount(many + 2);

  // The tool that draws says what to click.
  await drawn(page);
  await page.keyboard.press("n");
  await expect(page.locator("#draw-told")).toContainText("Click where the member begins");

  await take(request, body, { step: "set_section", section: "RHS 80x40x4", material: "S235", turn: "0" });
  await take(request, body, { step: "support_joints", joints: "lowest", within: "1", held: "fixed" });
  await take(request, body, { step: "load_members", case: "use", force: "0, 0, -500", weight: "yes" });
  await take(request, body, { step: "load_members", case: "wind", force: "200, 0, 0" });
  await take(request, body, { step: "combine_cases", name: "both", parts: "1.35*use + 1.5*wind" });
  await page.reload();
  await expect(page.locator("#drawer th", { hasText: "both" })).toBeVisible({ timeout: 30_000 });
});
