// Dirty bodies: the deeper findings visited, remedies previewed, applied and gone back from, a repair in one press.
import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { faulty, torus } from "./parts";
import { bodyOf, drawn, expect, firstBody, newProject, send, test } from "./pages";

const demo = (name: string) => readFileSync(join(dirname(process.env.HULL_DEMO_PART!), name));

test("a scan is repaired in one press, and the logbook says how far it moved", async ({ page, request }) => {
  const body = await bodyOf(request, "scan", "keel-fin-scan.stl", demo("keel-fin-scan.stl"));
  await page.goto(`${body}?row=unit_known`);
  await page.locator(".units button[value=in]").click();
  await drawn(page);
  // Each kind of finding has its places.
  for (const row of ["closed", "no_crossings", "no_spikes", "no_tiny_shells"]) {
    await page.goto(`${body}?row=${row}`);
    await expect(page.locator(`#row-${row}`)).toContainText("not met");
    await page.locator(".places").getByRole("button", { name: "Next" }).click();
    await expect(page.locator("#place-now")).toHaveText("1");
    await expect(page.locator("#place-text")).not.toBeEmpty();
  }
  await page.goto(`${body}?row=no_spikes`);
  await page.locator(".evidence").getByRole("button", { name: "Preview" }).click();
  await expect(page.locator(".preview-bar")).toContainText("3 spikes flattened");
  await page.locator(".preview-bar").getByRole("button", { name: "Cancel" }).click();
  await expect(page.locator(".preview-bar")).toHaveCount(0);
  await page.getByRole("button", { name: "Propose a repair" }).click();
  const plan = page.locator("#plan > section");
  await expect(plan).toContainText("Ends closed, facing outward, without crossings.", { timeout: 60_000 });
  await expect(plan.locator("li")).toContainText(["Flatten spikes", "Drop shells", "Stitch", "Fill holes"]);
  await expect(plan).toContainText("spikes 3 → 0");
  // Its values are changed before it runs; what cannot be is said, and what was typed stays. Each step has a preview.
  const within = plan.locator("li", { hasText: "Stitch" }).locator("input[name$='.tolerance']");
  await within.fill("nonsense");
  await plan.getByRole("button", { name: /^Run these/ }).click();
  await expect(page.locator("#notice")).toContainText("Tolerance must be a number");
  await expect(within).toHaveValue("nonsense");
  await within.fill("0.09");
  await plan.locator("li", { hasText: "Stitch" }).getByRole("button", { name: "Preview" }).click();
  await expect(page.locator(".preview-bar")).toContainText("open edges closed");
  await expect(within).toHaveValue("0.09");
  await page.locator(".preview-bar").getByRole("button", { name: "Cancel" }).click();
  await expect(page.locator(".preview-bar")).toHaveCount(0);
  await within.fill("0.09");
  await plan.getByRole("button", { name: /^Run these/ }).click();
  await page.locator(".tabs").getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator(".log")).toContainText("Stitch at 0.09 mm", { timeout: 60_000 });
  for (const row of ["closed", "no_crossings", "no_spikes", "no_tiny_shells", "outward"])
    await expect(page.locator(`#row-${row} .w`)).toHaveText("met", { timeout: 60_000 });
  await expect(plan).toHaveCount(0);
  await page.locator(".tabs").getByRole("link", { name: "Deviation" }).click();
  await page.getByLabel("The state to compare with").selectOption({ label: "1 Unit: inch" });
  const largest = page.locator(".moved tr", { hasText: "then to now" }).locator("td").nth(1);
  // A spike stands 6 % of the size off: 29 of 491 mm.
  await expect.poll(async () => Number(await largest.innerText())).toBeGreaterThan(25);
  await expect(page.locator(".histogram rect")).toHaveCount(20);
  await page.locator(".tabs").getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator(".log tr.here")).toContainText("here now");
  const closed = page.locator("#row-closed");
  await page.getByRole("button", { name: "Back a step" }).click();
  await expect(closed).toContainText("not met");
  await page.getByRole("button", { name: "Forward a step" }).click();
  await expect(closed.locator(".w")).toHaveText("met");
});

test("castings that run through each other become one, and pieces again", async ({ page, request }) => {
  await newProject(page, "winch");
  await send(page, "winch-arm.obj", demo("winch-arm.obj"));
  const project = new URL(page.url()).pathname;
  const body = await firstBody(request, project);
  await page.goto(`${body}?row=no_crossings&tab=bodies`);
  await expect(page.locator("#row-no_crossings")).toContainText("584");
  await page.getByLabel("by the names of its file").check();
  await page.getByRole("button", { name: "Take apart", exact: true }).click();
  await expect(page.locator("#bodies .strong")).toHaveText(["Winch arm", "arm", "rib", "hub", "eye"], {
    timeout: 60_000,
  });
  await page.getByRole("link", { name: "hub", exact: true }).click();
  await page.locator(".tabs").getByRole("link", { name: "Bodies" }).click();
  for (const name of ["arm", "rib", "eye"]) await page.getByLabel(name, { exact: true }).check();
  await page.getByRole("button", { name: "Unite", exact: true }).click();
  await page.getByRole("link", { name: "hub and arm and rib and eye, united" }).click({ timeout: 60_000 });
  await drawn(page);
  await expect(page.locator("#figures")).toContainText("1 shell");
  for (const row of ["closed", "no_crossings", "no_overlaps", "no_overshared"])
    await expect(page.locator(`#row-${row} .w`)).toHaveText("met");
  await page.locator(".tabs").getByRole("link", { name: "Bodies" }).click();
  await expect(page.locator(".columns")).toContainText("hub × arm × rib × eye");
  await page.locator(".tabs").getByRole("link", { name: "Boundaries" }).click();
  for (const name of ["arm", "rib", "hub", "eye"])
    await expect(page.locator("tr.boundary", { hasText: name }).first()).toBeVisible();
});

test("the sheet fills in while the survey goes on; a cancelled survey says so and is taken up again", async ({
  page,
  request,
}) => {
  // 800 000 facets: long enough to be cancelled in.
  const body = await bodyOf(request, "large", "ring.stl", torus(300, 100, 1000, 400));
  // The picture waits, as drawing so much without a graphics card leaves no time to press anything.
  let draw = () => {};
  const held = new Promise<void>((go) => (draw = go));
  await page.route("**/geometry/**", async (route) => {
    await held;
    await route.continue();
  });
  await page.goto(`${body}?row=thin_walls`);
  const surveying = page.locator("#surveying");
  const [closed, tunnels] = [page.locator("#row-closed"), page.locator("#row-handles")];
  await expect(surveying).toContainText("Surveying");
  await expect(closed.locator(".w")).toHaveText("met");
  await expect(tunnels).toContainText("not looked at");
  // Without waiting for the button to stand still: the bar is new every half second.
  await surveying.getByRole("button", { name: "Cancel" }).dispatchEvent("click");
  await expect(surveying).toContainText("not finished");
  await expect(tunnels).toContainText("not looked at");
  await expect(page.locator("#to-handover")).toContainText("not met");
  await surveying.getByRole("button", { name: "Survey the rest" }).click();
  await expect(surveying).toContainText("Surveying");
  draw();
  // A ring has one tunnel, which the sheet tells without being asked again.
  await expect(tunnels.locator(".v")).toHaveText("1", { timeout: 90_000 });
  await expect(surveying).toHaveCount(0, { timeout: 30_000 });
  await expect(page.locator(".row .v", { hasText: "not looked at" })).toHaveCount(0);
});

test("every kind of finding is visited; its remedy is previewed, applied and gone back from", async ({
  page,
  request,
}) => {
  const body = await bodyOf(request, "faulty", "faulty.obj", faulty());
  // What was built in: see the part.
  const told: [string, string, RegExp][] = [
    ["no_duplicates", "1", /repeats another/],
    ["no_zero_area", "1", /without area/],
    ["closed", "8", /open edges/],
    ["no_overshared", "4", /non-manifold edge/],
    ["no_pinched", "1", /touch in this point/],
    ["no_lost_shells", "1, 10.39 units", /bounds no cavity/],
    ["folds", "1", /folded back/],
    ["thin_walls", "4, 0.2 units", /wall 0.2/],
    ["narrow_gaps", "4, 0.2 units", /gap 0.2/],
    ["handles", "1, 24.14 units", /24.14 file units around/],
    ["bad_shapes", "9, 40 units", /needle|cap/],
    ["isolated_points", "2", /no facet uses/],
  ];
  await page.goto(`${body}?row=none`);
  await expect(page.locator("#surveying")).toHaveCount(0, { timeout: 30_000 });
  for (const [row, measured, text] of told) {
    await page.goto(`${body}?row=${row}`);
    await expect(page.locator(`#row-${row} .v`)).toHaveText(measured);
    await drawn(page);
    await page.keyboard.press("j");
    await expect(page.locator("#place-now")).toHaveText("1");
    await expect(page.locator("#place-text")).toHaveText(text);
  }
  const remedies: [string, string, string][] = [
    ["no_duplicates", "Remove duplicate facets", "0"],
    ["no_zero_area", "Remove facets without area", "0"],
    ["no_lost_shells", "Drop shells", "0"],
    ["handles", "Close tunnels", "0"],
    ["bad_shapes", "Mend thin facets", "8, 40 units"],
  ];
  for (const [row, button, left] of remedies) {
    await page.goto(`${body}?row=${row}`);
    const before = await page.locator(`#row-${row} .v`).innerText();
    const form = page.locator(".evidence form", { has: page.getByRole("button", { name: button }) });
    await form.getByRole("button", { name: "Preview" }).click();
    await expect(page.locator(".preview-bar")).toContainText("Preview");
    await page.locator(".preview-bar").getByRole("button", { name: "Cancel" }).click();
    await expect(page.locator(".preview-bar")).toHaveCount(0);
    await form.getByRole("button", { name: button }).click();
    await expect(page.locator(`#row-${row} .v`)).toHaveText(left);
    await page.getByRole("button", { name: "Back a step" }).click();
    await expect(page.locator(`#row-${row} .v`)).toHaveText(before);
  }
});

test("a fine surface gets larger facets within a tolerance", async ({ page, request }) => {
  const body = await bodyOf(request, "fine", "ring.stl", torus(300, 100, 96, 48));
  await page.goto(`${body}?row=bad_shapes`);
  await drawn(page);
  const facets = async () => Number(await page.locator("#view").getAttribute("data-facets"));
  const before = await facets();
  await page.locator(".evidence summary", { hasText: "Make facets larger" }).click();
  const form = page.locator(".evidence form", { has: page.getByRole("button", { name: "Make facets larger" }) });
  await form.getByLabel("Tolerance of larger facets").fill("4");
  await form.getByRole("button", { name: "Make facets larger" }).click();
  await expect.poll(facets).toBeLessThan(before / 3);
  await page.getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator(".log")).toContainText(
    "neither surface is anywhere further than 4 file units from the other",
  );
});

test("a skin is found, dropped and brought back; whatever is left is wrapped", async ({ page, request }) => {
  const body = await bodyOf(request, "tray", "instrument-tray.obj", demo("instrument-tray.obj"));
  await page.goto(`${body}?row=no_doubles`);
  await expect(page.locator("#row-no_doubles")).toContainText("not met");
  await expect(page.locator(".doubles tbody tr")).toHaveText(/^skin\s*40\s*88.512$/);
  await page.locator(".evidence").getByRole("button", { name: "Preview" }).click();
  await expect(page.locator("#figures")).toContainText("1 shell");
  await page.locator(".preview-bar").getByRole("button", { name: "Cancel" }).click();
  await expect(page.locator("#figures")).toContainText("2 shells");
  await page.locator(".evidence").getByRole("button", { name: "Remove coincident facets" }).click();
  await expect(page.locator("#row-no_doubles .w")).toHaveText("met");
  await expect(page.locator("#figures")).toContainText("1 shell");
  await page.getByRole("button", { name: "Back a step" }).click();
  await expect(page.locator("#figures")).toContainText("2 shells");
  await page.goto(`${body}?row=no_crossings`);
  await page.locator(".evidence summary", { hasText: "Wrap" }).click();
  await page.locator(".evidence").getByLabel("Offset").fill("1.5");
  await page.locator(".evidence").getByRole("button", { name: "Wrap", exact: true }).click();
  await expect(page.locator("#row-no_crossings .w")).toHaveText("met", { timeout: 60_000 });
  await expect(page.locator("#row-closed .w")).toHaveText("met");
  await expect(page.locator("#figures")).toContainText("1 shell");
});

test("a step that fails says why until that is put aside, also after a reload and on the manifest", async ({
  page,
  request,
}) => {
  const body = await bodyOf(request, "failure", "instrument-tray.obj", demo("instrument-tray.obj"));
  await page.goto(`${body}?row=no_crossings`);
  await page.locator(".evidence summary", { hasText: "Wrap" }).click();
  await page.locator(".evidence").getByLabel("Offset").fill("0.0001");
  await page.locator(".evidence").getByRole("button", { name: "Wrap", exact: true }).click();
  const notice = page.locator("#notice");
  await expect(notice).toContainText("too small for a body of this size", { timeout: 20_000 });
  await page.reload();
  await expect(notice).toContainText("too small for a body of this size");
  await page.locator(".band a", { hasText: "failure" }).first().click();
  await expect(page.locator(".told")).toContainText("The last step was refused: The offset is too small");
  await page.goBack();
  await notice.getByRole("button", { name: "Put aside" }).click();
  await expect(notice).toBeEmpty();
  await page.reload();
  await drawn(page);
  await expect(notice).toBeEmpty();
});
