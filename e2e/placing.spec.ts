// Moving by hand and by pairs: two blocks, 70 apart along y, seen from the front, where y runs to the right.
import { drawn, expect, lookFrom, middleOf, projectOf, test } from "./pages";
import { boxes } from "./parts";
import type { Page } from "@playwright/test";

const SIZE: [number, number, number] = [40, 30, 20];

async function blocks(page: Page): Promise<(y: number, z: number) => [number, number]> {
  const one = boxes({ from: [0, 0, 0], size: SIZE });
  const other = boxes({ from: [0, 100, 0], size: SIZE });
  const project = await projectOf(page.request, "Placing", { "a.stl": one, "b.stl": other }, {});
  await page.goto(project);
  await page.locator("#bodies a.strong", { hasText: /^A$/ }).click();
  await drawn(page);
  await page.keyboard.press("v");
  await page.locator("#shown-list [data-beside-all=shown]").click();
  await expect(page.locator("#view")).toHaveAttribute("data-beside", /^\d+$/);
  await page.keyboard.press("v");
  await lookFrom(page, "front");
  await page.keyboard.press("o");
  // A bar of the handles is dragged by known pixels: what it says gives the length of one.
  const [x, y] = await middleOf(page.locator("#view svg rect.grip").first());
  await page.keyboard.down("Alt");
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 60, y, { steps: 3 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  const moved = (await page.locator("#view").getAttribute("data-carried"))!.split(" ").map(Number);
  expect(moved[0]).toBe(0);
  expect(moved[1]).toBeGreaterThan(5);
  expect(moved[2]).toBe(0);
  const clearance = async () => Number(/[\d.]+/.exec((await page.locator("#move-clearance").textContent())!)?.[0]);
  await expect.poll(async () => Math.abs((await clearance()) - (70 - moved[1]))).toBeLessThan(0.05);
  await page.locator("#move-reset").click();
  const pixel = moved[1] / 60;
  const box = (await page.locator("#view canvas").boundingBox())!;
  return (y, z) => [box.x + box.width / 2 + (y - 65) / pixel, box.y + box.height / 2 - (z - 10) / pixel];
}

test("a body is moved by typed values and by carrying it, in one step", async ({ page }) => {
  const at = await blocks(page);
  await page.locator("#move-by-y").fill("50");
  await expect(page.locator("#move-clearance")).toContainText("Clearance 20 units");
  await page.locator("#move-turn-x").fill("90");
  await page.locator("#move-by-y").fill("90");
  await expect(page.locator("#move-clearance")).toContainText("crosses “B”");
  await page.locator("#move-reset").click();
  await expect(page.locator("#move-turn-x")).toHaveValue("0");
  await expect(page.locator("#move-apply")).toBeDisabled();
  // Carried by a corner onto a corner: both attract from a few pixels away.
  const [from, to] = [at(29.5, 0.5), at(100.5, 0.5)];
  await page.mouse.move(...from);
  await page.mouse.down();
  await page.mouse.move(...to, { steps: 5 });
  await page.mouse.up();
  await expect(page.locator("#view")).toHaveAttribute("data-carried", /0.000 70.000 0.000/);
  // Another tab of the page is no other state: what is being done stays.
  await page.getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator("table.log")).toBeVisible();
  await expect(page.locator("#view")).toHaveAttribute("data-carried", /0.000 70.000 0.000/);
  await page.locator("#move-apply").click();
  await drawn(page);
  // The tool goes on from where the body is now.
  await expect(page.locator("#view")).toHaveAttribute("data-carried", "");
  await expect(page.locator("#move-by-y")).toHaveValue("0");
  await expect(page.locator("#view svg rect.grip").first()).toBeVisible();
  await expect(page.locator("#step-back")).toBeEnabled();
  await expect(page.locator("table.log .here")).toContainText("Turn and move");
  await expect(page.locator("table.log .here")).toContainText("70");
});

test("a body is brought to another by three pairs of corners", async ({ page }) => {
  const at = await blocks(page);
  await page.locator("#move-pairs").check();
  await expect(page.locator("#move-bring")).toBeDisabled();
  await page.mouse.click(...at(100.5, 0.5));
  await expect(page.locator("#move-pairs-told")).toContainText("this body first");
  // The lower left corner goes to the lower right one, as if it were turned by a half turn.
  for (const [[y, z], [v, w]] of [
    [
      [0.5, 0.5],
      [129.5, 19.5],
    ],
    [
      [29.5, 0.5],
      [100.5, 19.5],
    ],
    [
      [0.5, 19.5],
      [129.5, 0.5],
    ],
  ]) {
    await page.mouse.click(...at(y, z));
    await page.mouse.click(...at(v, w));
  }
  await expect(page.locator("#move-pairs-told")).toContainText("3 of 3");
  await page.locator("#move-bring").click();
  await drawn(page);
  await page.getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator("table.log .here")).toContainText("Align by 3 pairs");
  await expect(page.locator("table.log .here")).toContainText("180°");
});
