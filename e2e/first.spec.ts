// Who comes for the first time: the way through the demo, and what is kept of how they like to see things.
import { demoBody, drawn, expect, test } from "./pages";

test("the first way says what to do next, and goes on when that is done", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("button", { name: /Three minutes through the demo/ }).click();
  const note = page.locator("#tour");
  await expect(note).toContainText("1 of 8");
  await page.getByText("Pipit survey catamaran").click();
  await expect(note).toContainText("2 of 8");
  await page.locator("#bodies .strong", { hasText: "Raw water manifold" }).click();
  await expect(note).toContainText("3 of 8");
  await note.getByRole("button", { name: "Go on" }).click();
  await expect(note).toContainText("4 of 8");
  await page.reload();
  await expect(note).toContainText("4 of 8");
  await note.getByRole("button", { name: "End" }).click();
  await expect(note).toHaveCount(0);
  await page.reload();
  await expect(page.locator("#sheet")).toBeVisible();
  await expect(note).toHaveCount(0);
});

test("the width of the sheet, the unit of the view and perspective are kept", async ({ page }) => {
  const body = await demoBody(page, "Pump bed");
  await page.goto(body);
  await drawn(page);
  const wide = async () => (await page.locator("#sheet").boundingBox())!.width;
  const before = await wide();
  await page.locator("#splitter").focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowRight");
  await expect.poll(wide).toBeCloseTo(before + 48, 0);
  const figures = page.locator("#figures [data-size-in]");
  const sides = async () => (await figures.textContent())!.split(" × ").map((x) => parseFloat(x.replace(/\s/g, "")));
  const inMillimetres = await sides();
  await page.keyboard.press("v");
  await page.getByLabel("What lengths are shown in").selectOption("m");
  await page.getByLabel("in perspective").check();
  await expect(figures).toContainText(" m");
  for (const [i, x] of (await sides()).entries()) expect(x * 1000).toBeCloseTo(inMillimetres[i], 0);
  await page.reload();
  await drawn(page);
  await expect.poll(wide).toBeCloseTo(before + 48, 0);
  await expect(figures).toContainText(" m");
  await page.keyboard.press("v");
  await expect(page.getByLabel("in perspective")).toBeChecked();
});
