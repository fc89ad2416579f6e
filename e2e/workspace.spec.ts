import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { bodyOf, drawn, expect, lookFrom, nameIt, newProject, opened, pickFrom, send, take, test } from "./pages";
import { boxes, looseBox } from "./parts";

const hull = join(process.env.HULL_BINARIES!, "hull");

test("the demo manifold goes to a handover, and its logbook replays in the shell", async ({ page }) => {
  await page.goto("/");
  await page.getByText("Pipit survey catamaran").click();
  await page.getByRole("link", { name: "Raw water manifold" }).first().click();
  await expect(opened(page)).toHaveText("Unit is known");
  await expect(page.locator("#to-handover")).toContainText("not met");
  await page.getByRole("button", { name: "in", exact: true }).click();
  await expect(opened(page)).toHaveText("Axes are chosen");
  await page.locator("#sheet select[name=up]").first().selectOption("+y");
  await page.getByRole("button", { name: "Set axes" }).click();

  await expect(opened(page)).toHaveText("Closed: no open edges");
  await expect(page.locator(".evidence")).toContainText("Stitching at");
  await expect(page.locator(".plot polyline")).toHaveCount(3);
  await page.keyboard.press("j");
  await expect(page.locator("#place-now")).toHaveText("1");
  await expect(page.locator(".overlay circle").first()).toBeVisible();
  await page.keyboard.press("j");
  await expect(page.locator("#place-now")).toHaveText("2");
  await page.locator(".evidence").getByRole("button", { name: "Preview" }).first().click();
  await expect(page.locator(".preview-bar")).toContainText("open edges closed");
  await expect(page.locator(".row.opened .v")).toHaveText("775");
  // The row's own figure stands first, before and after; what is shown is kept with one press.
  await expect(page.locator(".preview-bar tr.own")).toHaveText(/Closed: no open edges\s*775\s*11/);
  await page.locator(".preview-bar").getByRole("button", { name: "Apply" }).click();
  await expect(page.locator(".row.opened .v")).toHaveText("11");
  await page.getByRole("button", { name: "Fill the ticked" }).click();
  await expect(opened(page)).toHaveText("All facets face outward");
  await page.locator(".evidence").getByRole("button", { name: "Turn facets outward" }).click();

  await expect(opened(page)).toHaveText("Every facet is in a boundary");
  await drawn(page);
  await pickFrom(page, "front", 70, 90);
  await nameIt(page, "inlet");
  await pickFrom(page, "back", -70, 90);
  await nameIt(page, "outlet");
  await nameIt(page, "wall");
  await expect(page.locator(".sheet-head span")).toHaveText("21 met, 7 for information");

  await page.getByRole("link", { name: "Boundaries" }).click();
  await expect(page.locator(".drawer .boundary")).toHaveCount(3);
  await page.getByRole("button", { name: "Hand over" }).click();
  await expect(page.locator("h1")).toContainText("Handed over");
  await expect(page.locator("td.xm")).toHaveCount(11);

  const folder = mkdtempSync(join(tmpdir(), "hull-"));
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: /^Download/ }).click();
  await (await download).saveAs(join(folder, "handover.zip"));
  execFileSync("python3", ["-m", "zipfile", "-e", join(folder, "handover.zip"), folder]);
  const manifest = JSON.parse(readFileSync(join(folder, "manifest.json"), "utf8"));
  expect(manifest.boundaries.map((b: { name: string }) => b.name)).toEqual(["inlet", "outlet", "wall"]);
  const figures = JSON.parse(
    execFileSync(hull, ["check", join(folder, "raw-water-manifold.stl"), "--json"]).toString(),
  );
  expect(figures).toMatchObject({ closed: true, open_edges: 0, misdirected_edges: 0, shells: 1 });
  expect(figures.volume).toBeGreaterThan(0.0015);

  const routine = join(folder, "routine.toml");
  const database = process.env.HULL_DATABASE_URL!;
  execFileSync(hull, [
    "routine",
    "export",
    "--project",
    "Pipit survey catamaran",
    "--body",
    "Raw water manifold",
    "--database",
    database,
    "-o",
    routine,
  ]);
  const part = process.env.HULL_DEMO_PART!;
  execFileSync(hull, ["prepare", part, "--routine", routine, "--destination", "fluid", "--out", join(folder, "shell")]);
  const again = JSON.parse(readFileSync(join(folder, "shell", "manifest.json"), "utf8"));
  expect(again.files[0].sha256).toBe(manifest.files[0].sha256);
});

test("a box of loose sides, one missing and one inside out, is sized by a measured distance and prepared", async ({
  page,
}) => {
  await newProject(page, "box");
  await send(page, "loose-box.stl", looseBox([4, 3, 2], 0.002, [3], [1]));
  await page.getByRole("link", { name: "Loose box" }).first().click();
  await expect(page.locator("#figures")).toContainText("not closed");
  await page.locator("input[name=measured]").fill("4");
  await page.locator("input[name=should_be]").fill("nonsense");
  await page.getByRole("button", { name: "Set the size" }).click();
  await expect(page.locator("#notice")).toContainText("“nonsense” is not");
  await page.locator("input[name=measured]").fill("4");
  await page.locator("input[name=should_be]").fill("400");
  await page.getByRole("button", { name: "Set the size" }).click();
  await expect(page.locator("#figures")).toContainText("400");
  await page.locator(".evidence summary", { hasText: "Move" }).click();
  await page.locator("select[name=anchor]").selectOption("centre");
  await page.locator(".evidence").getByRole("button", { name: "Move" }).click();
  await page.getByRole("button", { name: "Set axes" }).click();
  await page.getByRole("button", { name: "Stitch", exact: true }).click();
  await expect(page.locator(".holes tbody tr")).toHaveCount(1);
  await page.getByRole("button", { name: "Fill the ticked" }).click();
  await page.locator(".evidence").getByRole("button", { name: "Turn facets outward" }).click();
  await expect(opened(page)).toHaveText("Every facet is in a boundary");

  // The logbook: back, forward, and a reload in between.
  await page.getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator("tr.here td").first()).toHaveText("6");
  await page.getByRole("button", { name: "Back a step" }).click();
  await expect(page.locator("tr.here td").first()).toHaveText("5");
  await page.reload();
  await expect(page.locator("tr.here td").first()).toHaveText("5");
  await page.getByRole("button", { name: "Forward a step" }).click();
  await expect(page.locator("tr.here td").first()).toHaveText("6");

  await drawn(page);
  await page.keyboard.press("c");
  await expect(page.locator("#compare-slider")).toBeVisible();
  await page.keyboard.press("c");
  await page.keyboard.press("s");
  await expect(page.locator("#section-slider")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.locator("#section-slider")).toBeHidden();
  // No single letter goes back in the logbook, and the usual keys do.
  await page.keyboard.press("b");
  await page.keyboard.press("Control+z");
  await expect(page.locator("tr.here td").first()).toHaveText("5");
  await page.keyboard.press("Control+Shift+z");
  await expect(page.locator("tr.here td").first()).toHaveText("6");
  await page.keyboard.press("?");
  await expect(page.locator(".keys")).toContainText("measure a distance");
  await page.keyboard.press("?");

  await pickFrom(page, "front");
  await nameIt(page, "inlet");
  await pickFrom(page, "back");
  await nameIt(page, "outlet");
  await nameIt(page, "wall");
  await page.getByLabel("Binary STL").check();
  await page.getByRole("button", { name: "Hand over" }).click();
  await expect(page.locator("h1")).toContainText("Handed over");
  await expect(page.getByText("loose-box-inlet.stl")).toBeVisible();
});

test("files that cannot be read say why and leave the project as it was", async ({ page }) => {
  await newProject(page, "bad files");
  await send(page, "cut.stl", looseBox([1, 1, 1], 0).subarray(0, 700));
  await expect(page.locator(".job.failed")).toContainText("cut off");
  await send(page, "drawing.pdf", Buffer.from("x"));
  await expect(page.locator("#sending .failed")).toContainText(".ply, .off, .xyz");
  await send(page, "good.stl", looseBox([1, 1, 1], 0));
  await expect(page.locator("#bodies tbody tr")).toHaveCount(1);
  await expect(page.locator(".arrivals tbody tr")).toContainText(["12"]);
});

test("a requirement that is not met can be waived with a reason, and the waiver withdrawn", async ({ page }) => {
  await newProject(page, "waiver");
  await send(page, "box.stl", looseBox([1, 1, 1], 0));
  await page.getByRole("link", { name: "Box" }).first().click();
  await page.goto(`${page.url()}?row=outlet_present`);
  await page.getByText("Waive this requirement").click();
  await page.getByLabel("Reason").fill("a vessel without an outlet");
  await page.getByLabel("Your name").fill("R. Teal");
  await page.getByRole("button", { name: "Waive", exact: true }).click();
  await expect(page.locator("#row-outlet_present .w")).toHaveText("waived");
  await page.locator("#row-outlet_present").click();
  await expect(page.locator(".evidence")).toContainText("a vessel without an outlet (R. Teal)");
  await page.getByRole("button", { name: "Withdraw the waiver" }).click();
  await expect(page.locator("#row-outlet_present .w")).toHaveText("not met");
});

test("the pages hold within their addresses, and unknown ones say so", async ({ page, request }) => {
  expect((await request.get("/nowhere")).status()).toBe(404);
  expect((await request.get("/bodies/999999")).status()).toBe(404);
  await page.goto("/destinations/fluid");
  await expect(page.locator("tbody tr")).toHaveCount(28);
});

test("a measured distance is kept, follows the body and stands on the sheet once something is asked of it", async ({
  page,
  request,
}) => {
  const body = await bodyOf(request, "kept", "block.stl", boxes({ from: [0, 0, 0], size: [40, 30, 20] }), "solid");
  await take(request, body, { step: "set_unit", unit: "mm" });
  await page.goto(body);
  await drawn(page);
  await lookFrom(page, "top");
  await page.keyboard.press("m");
  // Corners attract: two of them along the top.
  const corner = async (x: number, y: number) => {
    const at = await page.evaluate(([x, y]) => {
      const view = document.querySelector("#view canvas")!.getBoundingClientRect();
      return [view.left + view.width / 2 + x, view.top + view.height / 2 + y];
    }, [x, y]); // prettier-ignore
    await page.mouse.click(at[0], at[1]);
  };
  await corner(-60, 0);
  await corner(60, 0);
  await expect(page.locator("#measure-told")).toContainText("mm");
  const far = Number(/^[\d.]+/.exec((await page.locator("#measure-told").textContent())!)![0]);
  await page.getByLabel("Keep it as").fill("across");
  await page.locator("#measure-keep-it").click();
  await page
    .locator(".tabs")
    .getByRole("link", { name: /^Measures/ })
    .click();
  const line = page.locator("#drawer tr", { hasText: "across" });
  await expect(line).toContainText("for information");
  expect(Math.abs(parseFloat(await line.locator("td.n").first().innerText()) - far)).toBeLessThan(0.01 * far);
  await take(request, body, {
    step: "keep_measure",
    what: "thickness",
    name: "wall",
    places: "20, 15, 20",
    at_most: "19",
  });
  await page.goto(`${body}?tab=measures`);
  const row = page.locator("#row-measure-wall");
  await expect(row).toContainText("20 mm");
  await expect(row).toContainText("not met");
  await take(request, body, { step: "scale_axes", factors: "1, 1, 0.9" });
  await page.goto(`${body}?tab=measures`);
  await expect(row).toContainText("18 mm");
  await page.locator("#drawer tr", { hasText: "wall" }).getByRole("button", { name: "Forget" }).click();
  await expect(row).toHaveCount(0);
});
