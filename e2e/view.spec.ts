// The tools of the view on a box whose size is known: 40 by 30 by 20 mm.
import type { Page } from "@playwright/test";
import { bodyOf, clickView, demoBody, drawn, expect, lookFrom, nameIt, pickFrom, take, test } from "./pages";
import { looseBox } from "./parts";

let box: string;

test.beforeEach(async ({ page, request }) => {
  box = await bodyOf(request, "view", "box.stl", looseBox([4, 3, 2], 0));
  await take(request, box, { step: "set_unit", unit: "cm" });
  await page.goto(`${box}?row=all_named&tab=boundaries`);
  await drawn(page);
});

const tool = (page: Page, name: string) => page.getByRole("toolbar").getByRole("button", { name }).click();

test("two clicks measure a distance, in proportion to what lies between them", async ({ page }) => {
  await page.goto(`${box}?row=unit_known`);
  await drawn(page);
  await lookFrom(page, "top");
  await tool(page, "Measure");
  const measured = async (apart: number) => {
    await clickView(page, -apart / 2, 0);
    await clickView(page, apart / 2, 0);
    await expect(page.locator(".overlay")).toContainText(/[\d.]+ mm/);
    return Number(await page.locator("#measured").inputValue());
  };
  const [near, far] = [await measured(60), await measured(120)];
  expect(near).toBeGreaterThan(0);
  // The field is in file units, centimetres here, and the box is 4 of them long.
  expect(far).toBeLessThan(4);
  expect(far / near).toBeCloseTo(2, 1);
});

test("labels end on a facet of what they name that can be seen", async ({ page }) => {
  await page.goto(`${await demoBody(page, "Pump bed")}?row=all_named&tab=boundaries`);
  await drawn(page);
  const ends = page.locator(".overlay circle.anchor");
  await expect(ends).toHaveCount(3);
  // Of two feet and eight pins: not in the air between them.
  const places = await ends.evaluateAll((all) =>
    all.map((end) => ["cx", "cy"].map((k) => Number(end.getAttribute(k)))),
  );
  for (const [x, y] of places) {
    await page.reload();
    await drawn(page);
    await page.locator('[data-tool="pick"]').click();
    const box = (await page.locator("#view canvas").boundingBox())!;
    await page.mouse.click(box.x + x, box.y + y);
    await expect(page.locator("#picked")).toContainText("Picked:");
  }
});

test("the section opens the body, and a click goes through to the far side", async ({ page }) => {
  await page.keyboard.press("s");
  await pickFrom(page, "front");
  await nameIt(page, "far side");
  await page.keyboard.press("s");
  await pickFrom(page, "front");
  await nameIt(page, "near side");
  const row = (name: string) => page.locator("tr.boundary", { hasText: name });
  await expect(row("far side")).toContainText("−1.00");
  await expect(row("near side")).toContainText("1.00");
  await expect(row("near side")).toContainText("600.0");
});

test("regions of the whole surface follow the angle; Shift adds to a pick and Alt takes away", async ({ page }) => {
  await page.getByLabel("Show regions").check();
  await expect(page.locator("#regions-count")).toHaveText("6 regions");
  await page.locator("#angle").fill("91");
  await page.locator("#angle").press("Tab");
  await expect(page.locator("#regions-count")).toHaveText("1 region");
  await page.locator("#angle").fill("20");
  await page.locator("#angle").press("Tab");
  await pickFrom(page, "front");
  await expect(page.locator("#picked")).toContainText("Picked: 2 facets, 600 mm²");
  await lookFrom(page, "top");
  await page.keyboard.down("Shift");
  await clickView(page, 0, 0);
  await page.keyboard.up("Shift");
  await expect(page.locator("#picked")).toContainText("Picked: 4 facets, 1 800 mm²".replace(" 8", "\u20098"));
  await page.keyboard.down("Alt");
  await clickView(page, 0, 0);
  await page.keyboard.up("Alt");
  await expect(page.locator("#picked")).toContainText("Picked: 2 facets, 600 mm²");
});

test("the drawer stays folded over a reload, and the open row and tab are in the address", async ({ page }) => {
  const body = page.locator(".drawer-body");
  await expect(body).toBeVisible();
  await page.keyboard.press("d");
  await expect(body).toBeHidden();
  await page.getByRole("link", { name: "Logbook" }).click();
  await expect(page).toHaveURL(/tab=logbook/);
  await page.reload();
  await expect(body).toBeHidden();
  await page.keyboard.press("d");
  await expect(page.locator("tr.here")).toContainText("Unit");
  // Its group is folded, as nothing in it is left to do.
  await page.locator("summary.group", { hasText: "Size" }).click();
  await page.locator("#row-unit_known").click();
  await expect(page).toHaveURL(/row=unit_known/);
});
