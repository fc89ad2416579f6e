// The tools of the view on a box whose size is known: 40 by 30 by 20 mm.
import type { Page } from "@playwright/test";
import { bodyOf, clickView, demoBody, drawn, expect, lookFrom, nameIt, pickFrom, pixels, take, test } from "./pages";
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
    // Alt: where it was clicked, not the corner or edge beside it.
    await page.keyboard.down("Alt");
    await clickView(page, -apart / 2, 0);
    await clickView(page, apart / 2, 0);
    await page.keyboard.up("Alt");
    await expect(page.locator(".overlay")).toContainText(/[\d.]+ mm/);
    return Number(await page.locator("#measured").inputValue());
  };
  const [near, far] = [await measured(60), await measured(120)];
  expect(near).toBeGreaterThan(0);
  // The field is in file units, centimetres here, and the box is 4 of them long.
  expect(far).toBeLessThan(4);
  expect(far / near).toBeCloseTo(2, 1);
});

/** Pixels a millimetre from the top, where 40 mm stand upright and 30 mm across. */
async function scaleFromTop(page: Page): Promise<number> {
  const { width, height } = (await page.locator("#view canvas").boundingBox())!;
  return height / (2 * Math.max(40, (30 * height) / width) * 0.66);
}

test("corners attract: the diagonal of a side is exact, with its parts along the axes", async ({ page }) => {
  await lookFrom(page, "top");
  await tool(page, "Measure");
  await expect(page.locator("#measure-told")).toContainText("Click the first place");
  const scale = await scaleFromTop(page);
  await clickView(page, 15 * scale - 4, -20 * scale + 4);
  await expect(page.locator("#measure-told")).toContainText("From a corner");
  await clickView(page, -15 * scale + 4, 20 * scale - 4);
  // 40 and 30: 3, 4, 5.
  await expect(page.locator("#measure-told")).toContainText("50 mm");
  await expect(page.locator("#measure-told")).toContainText(/dx −40.*dy 30.*dz 0/);
});

test("an outline picks what is seen in it, or through the body; rings and all but it", async ({ page }) => {
  const drag = async () => {
    const box = (await page.locator("#view canvas").boundingBox())!;
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    // From below on the left, where no buttons stand.
    await page.mouse.move(x - 330, y + 225);
    await page.mouse.down();
    await page.mouse.move(x, y, { steps: 4 });
    await page.mouse.move(x + 330, y - 225, { steps: 4 });
    await page.mouse.up();
  };
  const picked = page.locator("#picked");
  await tool(page, "Outline");
  await lookFrom(page, "front");
  await drag();
  await expect(picked).toContainText("Picked: 2 facets, 600 mm²");
  await page.getByRole("button", { name: "All but these" }).click();
  await expect(picked).toContainText("Picked: 10 facets");
  await page.getByRole("button", { name: "All but these" }).click();
  await page.getByRole("button", { name: "Larger" }).click();
  // Whatever shares a corner with the side: all but the opposite one.
  await expect(picked).toContainText("Picked: 10 facets");
  await page.getByLabel("through the body").check();
  await drag();
  await expect(picked).toContainText("Picked: 12 facets");
  await page.getByLabel("freehand").check();
  await page.getByLabel("through the body").uncheck();
  await drag();
  // A line there and back encloses nothing.
  await expect(picked).not.toContainText("Picked: 12 facets");
  await page.keyboard.press("Escape");
  await expect(page.locator("#mark-options")).toBeHidden();
});

test("the view shows other bodies, hides boundaries, and gives a picture of any size", async ({ page }) => {
  await page.goto(await demoBody(page, "Pump bed"));
  await drawn(page);
  await page.keyboard.press("v");
  const list = page.locator("#shown-list");
  await list.getByLabel("Raw water manifold").selectOption("through");
  await expect(page.locator("#view")).toHaveAttribute("data-beside", /^\d+$/);
  await list.getByRole("button", { name: "Show all" }).click();
  await expect
    .poll(async () => (await page.locator("#view").getAttribute("data-beside"))!.split(" ").length)
    .toBeGreaterThan(5);
  await page.reload();
  // What is shown beside a body stays when the page is opened again.
  await expect
    .poll(async () => (await page.locator("#view").getAttribute("data-beside"))?.split(" ").length)
    .toBeGreaterThan(5);
  await page.keyboard.press("v");
  await list.getByRole("button", { name: "This one alone" }).click();
  await expect(page.locator("#view")).toHaveAttribute("data-beside", "");
  await lookFrom(page, "top");
  const paper = () => pixels(page, [225, 220, 200], [255, 255, 250]);
  const before = await paper();
  for (const box of await list.locator("[data-boundary-shown]").all()) await box.uncheck();
  await expect.poll(paper).toBeGreaterThan(before * 1.05);
  await page.keyboard.press("Escape");
  await expect(list).toBeHidden();

  await page.keyboard.press("i");
  await page.getByLabel("Width in pixels").fill("700");
  await page.getByLabel("Height in pixels").fill("900");
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: "Save" }).click();
  const file = await (await download).createReadStream();
  const chunks: Buffer[] = [];
  for await (const chunk of file) chunks.push(chunk as Buffer);
  const png = Buffer.concat(chunks);
  // Of the PNG's first chunk (ISO/IEC 15948): width, then height.
  expect([png.toString("latin1", 12, 16), png.readUInt32BE(16), png.readUInt32BE(20)]).toEqual(["IHDR", 700, 900]);
  await page.getByLabel("Width in pixels").fill("9");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.locator("#notice")).toContainText("16 to 8192 pixels");
});

test("a clicked face becomes the floor, and what faces the eye the front", async ({ page }) => {
  await lookFrom(page, "left");
  await tool(page, "Stand");
  await clickView(page, 0, 0);
  // The box of 40 × 30 × 20 mm lies on its left side now.
  await expect(page.locator("#figures")).toContainText("40 × 20 × 30 mm");
  await drawn(page);
  await lookFrom(page, "right");
  await page.getByRole("button", { name: "this view is the front" }).click();
  await expect(page.locator("#figures")).toContainText("20 × 40 × 30 mm");
  await page.getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator("tr.here")).toContainText("Axes");
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

test("a section goes through a face that is clicked, and is moved along its direction", async ({ page }) => {
  await page.keyboard.press("s");
  const row = page.locator('[data-plane="3"]');
  // The first plane would cut away what is to be clicked.
  await page.locator('[data-plane="0"] [data-on]').uncheck();
  await row.locator("[data-on]").check();
  await expect(page.locator("#section-told")).toHaveText("Click the face.");
  await lookFrom(page, "front");
  await clickView(page, 0, 60);
  await expect(page.locator("#section-told")).toHaveText("across 1, 0, 0");
  await expect(row.locator("[data-on]")).toBeChecked();
  // Half way through, what is picked from the front is behind the plane.
  await row.locator("[data-at]").fill("0");
  await pickFrom(page, "front");
  await nameIt(page, "cut open");
  await expect(page.locator("tr.boundary", { hasText: "cut open" })).toContainText("−1.00");
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

test("stations of a scan stand in the view, and are dragged to other places", async ({ page }) => {
  await page.goto(`${box}?row=none&tab=bodies`);
  await drawn(page);
  await lookFrom(page, "front");
  const field = page.getByLabel("Stations");
  const places = async () =>
    (await field.inputValue())
      .replaceAll("−", "-")
      .split(";")
      .map((place) => place.split(",").map(Number));
  const before = await places();
  await page.getByRole("button", { name: "Show and drag them" }).click();
  const heads = page.locator(".overlay circle.grip");
  await expect(heads).toHaveCount(before.length);
  // The view flies to where all of them are seen.
  await page.waitForTimeout(600);
  // The drawing is made anew at each frame: its numbers are asked for, not its elements.
  const centre = async (axis: "cx" | "cy") => Number(await heads.first().getAttribute(axis));
  // Until the view stands still.
  await expect.poll(async () => (await centre("cx")) - (await page.waitForTimeout(300), await centre("cx"))).toBe(0);
  const overlay = (await page.locator("svg.overlay").first().boundingBox())!;
  const from = await centre("cx");
  const [x, y] = [overlay.x + from, overlay.y + (await centre("cy"))];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x - 60, y, { steps: 4 });
  await page.mouse.up();
  // The front is seen from x: a drag to the left changes y alone, of this station alone.
  const after = await places();
  expect(after[0][1]).toBeLessThan(before[0][1]);
  expect([after[0][0], after[0][2], after[1]]).toEqual([before[0][0], before[0][2], before[1]]);
  await expect.poll(() => centre("cx")).toBeCloseTo(from - 60, 0);
  await expect(page.getByRole("radio", { name: /as a scanner sees it/ })).toBeChecked();
});
