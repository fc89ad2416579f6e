// A captured place: splats that are drawn, levelled, cleared of what floats, cropped by a line, and gone out with a robot that stands
// on them and sees them.
import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { boxes } from "./parts";
import { drawn, expect, pixels, projectOf, test } from "./pages";

const capture = () => readFileSync(join(dirname(process.env.HULL_DEMO_PART!), "quay-deck.ply"));

test("a capture is levelled and cropped, and a robot goes out with it in one stage", async ({ page, request }) => {
  const files = { "quay-deck.ply": capture(), "rover.stl": boxes({ from: [0, 0, 0], size: [400, 300, 200] }) };
  const project = await projectOf(request, "capture", files, { "quay-deck.ply": "points" });
  const body = async (name: string) => {
    await page.goto(project);
    return (await page.locator("#bodies .strong", { hasText: name }).getAttribute("href"))!;
  };
  const deck = await body("Quay deck");
  await page.goto(`${deck}?row=unit_known`);
  await drawn(page);
  await expect(page.locator("#figures")).toContainText("25\u2009720 splats");
  // The deck's planks in their own colour.
  expect(await pixels(page, [100, 80, 60], [190, 150, 130])).toBeGreaterThan(500);
  await page.locator(".units button[value=m]").click();
  await expect(page.locator("#figures")).toContainText("mm");
  await page.goto(`${deck}?row=axes_chosen`);
  const level = page.locator("details.remedy", { hasText: "Level on the floor" }).first();
  await level.locator("summary").click();
  await level.getByRole("button", { name: "Level on the floor" }).click();
  await expect(page.locator("#row-axes_chosen .w")).toHaveText("met");
  await page.goto(`${deck}?row=points_there`);
  await expect(page.locator(".evidence")).toContainText("stand alone");
  const lone = page.locator("details.remedy", { hasText: "Drop outliers" }).first();
  await lone.locator("summary").click();
  await lone.getByRole("button", { name: "Preview" }).click();
  await expect(page.locator(".preview-bar")).toContainText("left");
  await page.locator(".preview-bar").getByRole("button", { name: "Apply" }).click();
  await expect(page.locator("#figures")).not.toContainText("25\u2009720");
  await drawn(page);
  // A box around the left half of the view, taken away.
  const before = await page.locator("#figures").innerText();
  await page.keyboard.press("b");
  const frame = (await page.locator("#view").boundingBox())!;
  await page.mouse.move(frame.x + 60, frame.y + 160);
  await page.mouse.down();
  await page.mouse.move(frame.x + frame.width / 2, frame.y + frame.height - 40, { steps: 4 });
  await page.mouse.up();
  await expect(page.locator("#figures")).not.toHaveText(before);

  const rover = await body("Rover");
  await page.goto(`${rover}?row=unit_known`);
  await page.locator(".units button[value=mm]").click();
  await expect(page.locator("#figures")).toContainText("mm");
  await page.goto(`${project}/robot`);
  await page.getByRole("button", { name: "Make a link of each body that has a unit" }).click();
  await page.getByRole("button", { name: "Add a camera" }).click();
  await page.locator("label", { hasText: "Quay deck" }).locator("input").check();
  await page.getByRole("button", { name: "Keep" }).last().click();
  const seen = page.locator("figure.camera img");
  await expect(seen).toHaveCount(3);
  for (const picture of await seen.all())
    await expect.poll(() => picture.evaluate((i: HTMLImageElement) => i.naturalWidth)).toBe(640);
  const zip = await request.get(`${project}/robot.zip`);
  const names = [...(await zip.body()).toString("latin1").matchAll(/PK\u0001\u0002[^]{42}([\w./-]+)/g)].map(
    (m) => m[1],
  );
  const all = names.join(" ");
  for (const part of ["scene.usdz", "quay_deck.usdc", "cameras/camera_1-depth.png", "cameras/cameras.json"])
    expect(all).toContain(part);
});
