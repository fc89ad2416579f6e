// A project's page: bodies found, sorted, ticked, and something done with several at once.
import { bodyOf, expect, test } from "./pages";
import { boxes, looseBox } from "./parts";

test("bodies are found and sorted, and steps, destinations and deleting go for all that are ticked", async ({
  page,
  request,
}) => {
  const first = await bodyOf(request, "several", "large.stl", looseBox([40, 30, 20], 0.001));
  const project = /\/projects\/\d+/.exec(await (await request.get(first)).text())![0];
  for (const [name, size] of [
    ["small.stl", 4],
    ["middle.stl", 12],
  ] as const) {
    const data = looseBox([size, size, size], 0.001);
    await request.put(`${project}/files?name=${name}&destination=fluid`, { data });
  }
  await page.goto(project);
  const names = page.locator("#bodies > tbody:not([hidden]) .strong");
  await expect(names).toHaveCount(3);
  await page.getByRole("button", { name: "Size", exact: true }).click();
  await expect(names).toHaveText(["Small", "Middle", "Large"]);
  await page.getByRole("button", { name: "Size", exact: true }).click();
  await expect(names).toHaveText(["Large", "Middle", "Small"]);
  const bar = page.locator("#together");
  await expect(bar).toBeHidden();
  await page.getByLabel("Find a body").fill("l.stl");
  await expect(names).toHaveText(["Small"]);
  await page.getByLabel("Tick every body that is shown").check();
  await page.getByLabel("Find a body").fill("");
  await page.getByLabel("Tick Large").check();
  await expect(bar).toContainText("2 ticked");

  await bar.getByLabel("Unit").selectOption("cm");
  await bar.getByRole("button", { name: "Set the unit" }).click();
  await expect(page.locator("#said")).toContainText("2 bodies");
  const unit = (name: string) => page.locator("#bodies > tbody", { hasText: name }).locator("td").nth(3);
  await expect(unit("Large")).toHaveText("mm");
  await expect(unit("Small")).toHaveText("mm");
  await expect(unit("Middle")).toContainText("none yet");
  // What is found, sorted and ticked stands after the list has been drawn again, and after a reload.
  await page.reload();
  await expect(bar).toContainText("2 ticked");
  await expect(names).toHaveText(["Large", "Small", "Middle"]);

  await bar.getByRole("button", { name: "Hand over" }).click();
  await expect(page.locator("#said")).toContainText("Left alone: “Large” (it is not ready");
  await bar.getByLabel("Destination").selectOption("print");
  await bar.getByRole("button", { name: "Change the destination" }).click();
  await expect(page.locator("#bodies > tbody", { hasText: "Large" })).toContainText("Print");
  await bar.getByRole("button", { name: "Repair" }).click();
  await expect(page.locator("#said")).toContainText("A repair was asked for on 2 bodies");
  await expect(page.locator("#bodies > tbody", { hasText: "Small" }).locator("td").nth(8)).toHaveText("0");
  await bar.getByRole("button", { name: "Delete" }).click();
  await expect(names).toHaveText(["Middle"]);
  await expect(bar).toBeHidden();
  await expect(page.locator("#arrivals")).toContainText("Deleted in the last day");
});

test("bodies stand in groups that fold, are duplicated, split and hidden", async ({ page, request }) => {
  const part = boxes({ from: [0, 0, 0], size: [10, 10, 10] }, { from: [30, 0, 0], size: [5, 5, 5] });
  const body = await bodyOf(request, "grouped", "two.stl", part);
  const project = /\/projects\/\d+/.exec(await (await request.get(body)).text())![0];
  await page.goto(project);
  const names = page.locator("#bodies > tbody[data-name]:not([hidden]) .strong");
  const bar = page.locator("#together");
  await page.getByLabel("Tick Two").check();
  await bar.getByRole("button", { name: "Duplicate" }).click();
  await expect(names).toHaveCount(2);
  await bar.getByRole("button", { name: "Split by shells" }).click();
  await expect(names).toHaveCount(4);
  await bar.getByLabel("Name of the group").fill("Skids");
  await bar.getByRole("button", { name: "Group", exact: true }).click();
  await expect(page.locator("#said")).toContainText("In the group “Skids” now: 1 body");
  const head = page.getByRole("button", { name: "Skids (1)" });
  await expect(head).toHaveAttribute("aria-expanded", "true");
  // A folded group shows what is ticked alone: that is what something would be done with.
  await page.getByLabel("Tick Two", { exact: true }).last().uncheck();
  await head.click();
  await expect(names).toHaveCount(3);
  await page.reload();
  await expect(names).toHaveCount(3);
  await head.click();
  await expect(names).toHaveCount(4);
  const first = page.locator("#bodies > tbody[data-name]").first();
  await first.locator("[data-tick]").check();
  await bar.getByRole("button", { name: "Hide" }).click();
  await expect(page.locator("#said")).toContainText("1 body hidden");
  await first.locator("[data-tick]").uncheck();
  await expect(names).toHaveCount(3);
  await page.getByLabel("Show hidden bodies (1)").check();
  await expect(names).toHaveCount(4);
});

test("what is typed into a line of the manifest stays, however often the list is drawn again", async ({
  page,
  request,
}) => {
  const first = await bodyOf(request, "typing", "lid.stl", looseBox([40, 30, 20], 0.001));
  await page.goto(/\/projects\/\d+/.exec(await (await request.get(first)).text())![0]);
  await page.getByLabel("Rename or delete Lid").click();
  const name = page.getByLabel("Name of the body");
  await name.fill("Lid of the ");
  // Draws the list again while it is typed into, as the work on other bodies does.
  const again = page.evaluate(async () => {
    for (let k = 0; k < 12; k++) {
      document.querySelector("#arrivals")!.dispatchEvent(new CustomEvent("changed"));
      await new Promise((done) => setTimeout(done, 45));
    }
  });
  await name.pressSequentially("strainer", { delay: 60 });
  await again;
  await expect(name).toHaveValue("Lid of the strainer");
  await expect(name).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(page.locator("#bodies .strong")).toHaveText("Lid of the strainer");
});
