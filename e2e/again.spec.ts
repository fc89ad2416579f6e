// The next revision of a part: its file comes again under its name.
import { bodyOf, expect, take, test } from "./pages";
import { boxes } from "./parts";

test("a file that comes again takes the steps of before, told one by one, and is accepted", async ({
  page,
  request,
}) => {
  const first = await bodyOf(request, "again", "bracket.stl", boxes({ from: [0, 0, 0], size: [10, 10, 10] }));
  const project = /\/projects\/\d+/.exec(await (await request.get(first)).text())![0];
  await take(request, first, { step: "set_unit", unit: "cm" });
  await take(request, first, { step: "name_boundary", name: "roof", pick: "direction:0,0,1@5" });
  await take(request, first, { step: "name_boundary", name: "foot", pick: "box:-1,-1,-1;101,101,1" });
  await take(request, first, { step: "drop_boundary", name: "foot" });
  // The next revision is twice as long.
  const data = boxes({ from: [0, 0, 0], size: [20, 10, 10] });
  await request.put(`${project}/files?name=bracket.stl&destination=fluid`, { data });
  await page.goto(project);
  const names = page.locator("#bodies > tbody[data-name] .strong");
  await expect(names).toHaveCount(2);
  await names.last().click();
  const plan = page.locator("#plan");
  await expect(plan).toContainText("This file came before");
  await plan.getByRole("button", { name: "Take it in: its 4 steps here" }).click();
  await expect(plan.locator("li")).toHaveCount(4, { timeout: 30_000 });
  await expect(plan).toContainText("held");
  const roof = plan.locator("tr", { hasText: "roof" });
  await expect(roof).toContainText("grown");
  await plan.getByRole("button", { name: /^Accept/ }).click();
  await expect(plan).not.toContainText("Taken in");
  await page.goto(project);
  await expect(names).toHaveText(["Bracket"]);
  await expect(page.locator("#arrivals")).toContainText("Deleted in the last day");
});
