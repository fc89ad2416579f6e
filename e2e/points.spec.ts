// Points without facets: a demo capture that is drawn, sized, cropped, gone back from and handed over.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { bodyOf, drawn, expect, pixels, test } from "./pages";

const hull = join(process.env.HULL_BINARIES!, "hull");
const capture = () => readFileSync(join(dirname(process.env.HULL_DEMO_PART!), "quay-wall.ply"));

test("a capture is drawn in its colours, cropped to the wall and handed over as points", async ({ page, request }) => {
  const body = await bodyOf(request, "quay", "quay-wall.ply", capture(), "points");
  await page.goto(`${body}?row=unit_known`);
  await drawn(page);
  await expect(page.locator("#figures")).toContainText("33\u2009000 points");
  // The crane stands apart in its own colour, to the right and above.
  const orange = () => pixels(page, [160, 0, 0], [255, 255, 90]);
  await expect.poll(orange).toBeGreaterThan(300);
  await page.locator(".units button[value=m]").click();
  await expect(page.locator("#figures")).toContainText("mm");
  await page.goto(`${body}?row=axes_chosen`);
  await page.getByRole("button", { name: "Set axes" }).click();
  await expect(page.locator("#row-axes_chosen .w")).toHaveText("met");
  await page.goto(`${body}?row=points_there`);
  const crop = page.locator(".evidence form", { has: page.getByRole("button", { name: "Crop" }) });
  const corner = crop.locator('input[name="to"]').nth(1);
  await corner.fill("4000");
  await crop.locator('input[name="from"]').nth(1).fill("-1000");
  await crop.getByRole("button", { name: "Preview" }).click();
  await expect(page.locator(".preview-bar")).toContainText("31\u2009000 left");
  await crop.getByRole("button", { name: "Crop" }).click();
  await expect(page.locator("#figures")).toContainText("31\u2009000 points");
  await drawn(page);
  expect(await orange()).toBeLessThan(100);
  await page.getByRole("button", { name: "Back a step" }).click();
  await expect(page.locator("#figures")).toContainText("33\u2009000 points");
  await page.getByRole("button", { name: "Forward a step" }).click();
  await page.getByRole("button", { name: "Hand over" }).click();
  await expect(page.locator("h1")).toContainText("Handed over");

  const folder = mkdtempSync(join(tmpdir(), "hull-"));
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: /^Download/ }).click();
  await (await download).saveAs(join(folder, "handover.zip"));
  execFileSync("python3", ["-m", "zipfile", "-e", join(folder, "handover.zip"), folder]);
  // Points are no surface: the shell says so with its exit code, and measures them all the same.
  const check = (file: string) => {
    try {
      return execFileSync(hull, ["check", file, "--json"], { cwd: folder }).toString();
    } catch (e) {
      return (e as { stdout: Buffer }).stdout.toString();
    }
  };
  const figures = JSON.parse(check("quay-wall.ply"));
  expect(figures.cloud).toMatchObject({ points: 31_000, coloured: true, facing: true });
  expect(figures.bbox.max[0]).toBeCloseTo(24, 1);
  execFileSync(hull, ["convert", "quay-wall.ply", "wall.xyz", "--from", "m", "--to", "mm"], { cwd: folder });
  expect(JSON.parse(check("wall.xyz")).bbox.max[0]).toBeCloseTo(24_000, -2);
});
