// Pages that change by themselves: another tab, a step that takes its time, an answer that comes too late.
import { bodyOf, drawn, expect, opened, take, test } from "./pages";
import { looseBox } from "./parts";

test("another tab shows what was done, and keeps what is typed and opened in it", async ({ page, request }) => {
  const body = await bodyOf(request, "two tabs", "box.stl", looseBox([4, 3, 2], 0.001));
  await page.goto(`${body}?row=none&tab=operations`);
  await drawn(page);
  await expect(page.locator("#figures")).not.toContainText("mm");
  await page.locator("summary", { hasText: /^Move$/ }).click();
  const at = page.locator("#drawer form", { hasText: "Put the" }).locator("input[name=at]").first();
  await at.fill("17.5");
  await take(request, body, { step: "set_unit", unit: "mm" });
  await expect(page.locator("#figures")).toContainText("mm");
  await expect(at).toHaveValue("17.5");
  await expect(at).toBeVisible();
});

test("what was pressed last stands there, whenever answers come", async ({ page, request }) => {
  const body = await bodyOf(request, "late answers", "box.stl", looseBox([4, 3, 2], 0.001));
  await page.goto(`${body}?row=none&tab=operations`);
  await drawn(page);
  // What the page asks for by itself is answered late.
  let asked: () => void;
  const begun = new Promise<void>((resolve) => (asked = resolve));
  let late = 0;
  await page.route(/\/bodies\/\d+\?/, async (route) => {
    if (route.request().headers()["hx-trigger"] !== "live") return route.continue();
    const response = await route.fetch();
    asked();
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await route.fulfill({ response }).then(
      () => late++,
      () => late++,
    );
  });
  await take(request, body, { step: "set_unit", unit: "mm" });
  await begun;
  await page.locator(".tabs").getByRole("link", { name: "Boundaries" }).click();
  await expect(page.locator(".tabs a.on")).toContainText("Boundaries");
  await expect.poll(() => late).toBeGreaterThan(0);
  await page.waitForTimeout(300);
  await expect(page.locator(".tabs a.on")).toContainText("Boundaries");
  await expect(page.locator("#figures")).toContainText("mm");
});

test("a press before the scripts are there is not lost", async ({ page, request }) => {
  const body = await bodyOf(request, "early press", "box.stl", looseBox([4, 3, 2], 0.001));
  let pressed: () => void;
  const press = new Promise<void>((resolve) => (pressed = resolve));
  await page.route("**/assets/htmx.js", async (route) => {
    await press;
    await route.continue();
  });
  await page.goto(`${body}?row=unit`, { waitUntil: "commit" });
  await page.getByRole("button", { name: "mm", exact: true }).click();
  pressed!();
  await expect(page.locator("#figures")).toContainText("mm");
  expect(page.url()).not.toContain("unit=mm");
});

test("what is under a held mouse button stays until it is released", async ({ page, request }) => {
  const body = await bodyOf(request, "held press", "box.stl", looseBox([4, 3, 2], 0.001));
  await page.goto(`${body}?row=unit`);
  await drawn(page);
  await page.getByRole("button", { name: "mm", exact: true }).hover();
  await page.mouse.down();
  const answer = page.waitForResponse((r) => r.request().headers()["hx-trigger"] === "live");
  await page.locator("#live").dispatchEvent("changed");
  await answer;
  await page.waitForTimeout(300);
  await page.mouse.up();
  await expect(page.locator("#figures")).toContainText("mm");
});

test("work under way says what it is at and how long, and ends by itself", async ({ page, request }) => {
  const body = await bodyOf(request, "at work", "box.stl", looseBox([4, 3, 2], 0.001));
  await take(request, body, { step: "set_unit", unit: "mm" });
  await page.goto(`${body}?row=none&tab=logbook`);
  await drawn(page);
  const working = page.locator(".job", { hasText: "Working" });
  // As from another tab: this one learns of it, follows it and shows what came of it.
  const step = request.post(`${body}/steps`, { form: { step: "wrap", offset: "0.012", gap: "0.03" } });
  await expect(working.locator("[data-time]")).toContainText(/\d:\d\d elapsed/);
  await expect(working.locator("[data-phrase]")).not.toBeEmpty();
  await working.getByRole("button", { name: "Cancel" }).dispatchEvent("click");
  await expect(working).toHaveCount(0);
  await step;
});

test("a step that takes longer than its answer leads on to the next row when it has ended", async ({
  page,
  request,
}) => {
  const body = await bodyOf(request, "led on", "box.stl", looseBox([4, 3, 2], 0.001));
  await take(request, body, { step: "set_unit", unit: "mm" });
  await take(request, body, { step: "orient", up: "+z", forward: "+x" });
  await page.goto(`${body}?row=closed`);
  await expect(opened(page)).toHaveText("Closed: no open edges");
  const evidence = page.locator(".evidence");
  await evidence.locator("summary", { hasText: "Wrap" }).click();
  await evidence.getByLabel("Offset").fill("0.04");
  await evidence.getByLabel("Gap").fill("0.1");
  await evidence.getByRole("button", { name: "Wrap", exact: true }).click();
  await expect(page.locator(".job", { hasText: "Working" })).toBeVisible();
  await expect(page).toHaveURL(/after=/);
  await expect(opened(page)).not.toHaveText("Closed: no open edges", { timeout: 60_000 });
  await expect(page).not.toHaveURL(/after=/);
});

test("another body of the project is found by its name, with the keyboard alone", async ({ page, request }) => {
  const made = await request.post("/projects", { form: { name: `switch ${Date.now()}` } });
  const project = new URL(made.url()).pathname;
  for (const name of ["port-chest.stl", "starboard-chest.stl", "pump.stl"])
    await request.put(`${project}/files?name=${name}&destination=fluid`, { data: looseBox([4, 3, 2], 0.001) });
  await expect
    .poll(async () => (await (await request.get(project)).text()).match(/class="strong" href="\/bodies/g)?.length)
    .toBe(3);
  await page.goto(project);
  await page.getByRole("link", { name: "Pump" }).last().click();
  const list = page.locator(".switch");
  // Once surveys are over: whoever is at the list keeps it, but a page drawn again just before takes the place of what was found.
  await expect(page.locator("#live")).toHaveAttribute("data-surveyed", "", { timeout: 60_000 });
  await list.locator("summary").focus();
  await page.keyboard.press("Enter");
  await expect(list.locator("li")).toHaveCount(3);
  await expect(page.getByLabel("Find a body by name")).toBeFocused();
  await page.keyboard.type("star");
  await expect(list.locator("li:visible")).toHaveCount(1);
  await expect(list.locator("li:visible")).toHaveText(/Starboard chest.*not met/s);
  await page.keyboard.press("Enter");
  await expect(list.locator("summary")).toContainText("Starboard chest");
  await list.locator("summary").click();
  await page.keyboard.press("Escape");
  await expect(list.locator("li:visible")).toHaveCount(0);
});
