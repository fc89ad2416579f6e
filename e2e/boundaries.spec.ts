// Boundaries in the list: ticked for one role, renamed, merged, taken apart and coloured; what the pointer is on, and what a
// preview changes, in the view.
import { bodyOf, drawn, expect, pixels, take, test } from "./pages";
import { boxes } from "./parts";

const highlights = (page: import("@playwright/test").Page) => page.locator("#view").getAttribute("data-highlights");

test("boundaries get a role together, and are renamed, merged, taken apart and coloured", async ({ page, request }) => {
  const part = boxes({ from: [0, 0, 0], size: [10, 10, 10] }, { from: [30, 0, 0], size: [5, 5, 5] });
  const body = await bodyOf(request, "sides", "two.stl", part);
  await take(request, body, { step: "set_unit", unit: "mm" });
  for (const [name, direction] of [
    ["ends", "1,0,0"],
    ["roof", "0,0,1"],
  ])
    // prettier-ignore
    await take(request, body, { step: "name_boundary", name, pick: `direction:${direction}@5` });
  await page.goto(`${body}?tab=boundaries`);
  await drawn(page);
  const rows = page.locator(".boundary");
  await expect(rows).toHaveCount(2);
  await page.getByLabel("all", { exact: true }).check();
  await page.locator("#ticked-boundaries select").selectOption("symmetry");
  await page.getByRole("button", { name: "Set their role" }).click();
  for (const name of ["ends", "roof"]) await expect(page.getByLabel(`Role of ${name}`)).toHaveValue("symmetry");
  const more = (name: string) => rows.filter({ hasText: name }).locator("summary");
  await more("roof").click();
  await page.getByRole("button", { name: "Take apart" }).click();
  await expect(rows).toHaveCount(3);
  await more("roof 2").click();
  await page.getByLabel("New name of roof 2").fill("lid");
  await page.getByRole("button", { name: "Rename" }).click();
  await expect(rows.filter({ hasText: "lid" })).toHaveCount(1);
  // The name of another merges the two.
  await more("lid").click();
  await page.getByLabel("New name of lid").fill("ends");
  await page.getByRole("button", { name: "Rename" }).click();
  await expect(rows).toHaveCount(2);
  await drawn(page);
  const mauve = () => pixels(page, [100, 60, 80], [200, 140, 160]);
  expect(await mauve()).toBeLessThan(50);
  await more("ends").click();
  await page.getByLabel("Colour of ends").selectOption("mauve");
  await page.getByRole("button", { name: "Colour it" }).click();
  await expect.poll(mauve).toBeGreaterThan(500);
});

test("the view shows what the pointer is on, and what a preview adds and takes away", async ({ page, request }) => {
  const part = boxes({ from: [0, 0, 0], size: [10, 10, 10] }, { from: [30, 0, 0], size: [0.05, 0.05, 0.05] });
  const body = await bodyOf(request, "pointed", "crumb.stl", part);
  await take(request, body, { step: "set_unit", unit: "mm" });
  await page.goto(`${body}?row=no_tiny_shells`);
  await drawn(page);
  await page.keyboard.press("p");
  await page.keyboard.press("1");
  await page.waitForTimeout(500);
  const box = (await page.locator("#view canvas").boundingBox())!;
  await page.mouse.move(box.x + box.width / 2 + 2, box.y + box.height / 2);
  await expect.poll(() => highlights(page)).toContain("pointed");
  await page.mouse.move(box.x + 20, box.y + box.height - 120);
  await expect.poll(() => highlights(page)).not.toContain("pointed");
  await page.getByRole("button", { name: "Preview" }).first().click();
  await expect.poll(() => highlights(page), { timeout: 30_000 }).toContain("gone");
  await expect(page.locator("#view svg.overlay")).toContainText("Preview: 12 facets gone");
  await page.getByRole("button", { name: "Cancel" }).click();
  await expect.poll(() => highlights(page)).not.toContain("gone");
});

test("steps of a proposed repair are left out, or all of it is put aside", async ({ page, request }) => {
  const { faulty } = await import("./parts");
  const body = await bodyOf(request, "left out", "faulty.obj", faulty());
  await take(request, body, { step: "set_unit", unit: "mm" });
  await page.goto(body);
  await page.getByRole("button", { name: "Propose a repair" }).click();
  const steps = page.locator("#plan li");
  await expect(steps.first()).toBeVisible({ timeout: 60_000 });
  const many = await steps.count();
  expect(many).toBeGreaterThan(1);
  await page.getByRole("button", { name: "Dismiss" }).click();
  await expect(steps).toHaveCount(0);
  await page.getByRole("button", { name: "Propose a repair" }).click();
  await expect(steps).toHaveCount(many, { timeout: 60_000 });
  for (let i = 1; i < many; i++) await steps.nth(i).getByRole("checkbox").uncheck();
  await page.getByRole("button", { name: /^Run these/ }).click();
  await expect(steps).toHaveCount(0, { timeout: 60_000 });
  await page.goto(`${body}?tab=logbook`);
  // As received, the unit, and the one step that was left ticked.
  await expect(page.locator(".log tbody tr")).toHaveCount(3);
});
