// A trial of the flow through a bend, and its handover in another unit under another name.
import { bodyOf, drawn, expect, expectTold, take, test } from "./pages";
import { bend } from "./parts";

test("the flow through a bend is tried, drawn and taken along; what cannot be is refused", async ({
  page,
  request,
}) => {
  const body = await bodyOf(request, "flow", "bend.stl", bend());
  await take(request, body, { step: "set_unit", unit: "mm" });
  await page.goto(`${body}?row=none&tab=flow`);
  await drawn(page);
  await page.locator("#drawer input[name=cells]").fill("20 000");
  await page.getByRole("button", { name: "Try the flow" }).click();
  const found = page.locator("#drawer [data-ways]");
  await expect(found).toContainText("narrowest place", { timeout: 90_000 });
  const row = (name: string) => found.locator("tr", { hasText: name });
  await expect(row("inlet").first()).toContainText("100");
  // The bore is 40 across, less what 24 sides take.
  await expect(row("narrowest place")).toContainText(/3[89]\.\d/);
  // Friction in a pipe by Hagen and Poiseuille: 8 µ L v / r², here 8 · 0.0010016 · 0.1885 · 1 / 0.02² = 3.78 Pa.
  const pressure = await row("pressure between").locator("td.n").textContent();
  expect(Number(pressure)).toBeGreaterThan(3.6);
  expect(Number(pressure)).toBeLessThan(4.1);
  await expect
    .poll(async () => Number(await page.locator("#view").getAttribute("data-ways-drawn")))
    .toBeGreaterThan(100);
  const csv = await (await request.get((await found.getByRole("link", { name: "CSV" }).getAttribute("href"))!)).text();
  expect(csv.split("\n")[1]).toContain('"inlet",inlet,');
  const svg = await request.get((await found.getByRole("link", { name: "SVG" }).getAttribute("href"))!);
  expect(svg.headers()["content-type"]).toContain("image/svg+xml");
  await page.getByRole("link", { name: "Figures" }).click();
  await expect(page.locator("#view")).toHaveAttribute("data-ways-drawn", "");

  const on = /"revision":(\d+)/.exec(await (await request.get(body)).text())![1];
  const few = await request.post(`${body}/trials`, { form: { on, how: "creeping", cells: "7" } });
  await expectTold(request, body, few, "a whole number from 1000");
});

test("a handover is in the unit and under the names that are asked for, and held against the one before", async ({
  page,
  request,
}) => {
  const body = await bodyOf(request, "handed over", "bend.stl", bend(), "surface");
  await take(request, body, { step: "set_unit", unit: "mm" });
  await take(request, body, { step: "orient", up: "+z", forward: "+x" });
  await page.goto(body);
  await page.locator("#hand-over").getByText("Unit and names of files").click();
  await page.getByLabel("Unit of the files").selectOption("in");
  await page.getByLabel("File names").fill("{body} rev B {unit}");
  await page.getByRole("button", { name: "Hand over" }).last().click();
  await expect(page.locator(".lead")).toContainText("in inches, written");
  await expect(page.locator("table", { hasText: "SHA-256" })).toContainText("bend-rev-b-in.stl");
  await expect(page.locator("#changes")).toHaveCount(0);

  await page.goto(body);
  await page.locator("#hand-over").getByText("Unit and names of files").click();
  await page.getByLabel("File names").fill("{part}");
  await page.getByRole("button", { name: "Hand over" }).last().click();
  await expect(page.locator("#notice")).toContainText("“{part}” stands for nothing");
  await page.goto(body);
  await page.locator("#hand-over").getByText("Other forms").click();
  await page.getByLabel(/3MF: one file/).check();
  await page.getByRole("button", { name: "Hand over" }).last().click();
  const changes = page.locator("#changes ~ table").first();
  await expect(changes.locator("tr", { hasText: "unit of the files" })).toContainText("changed");
  await expect(changes.locator("tr", { hasText: "bend.3mf" })).toContainText("–");
  // The same side in another unit is the same side.
  await expect(changes.locator("tr", { hasText: "inlet" }).first()).toContainText("same");
});
