// Fits, places, rules, regions and a robot, each from files to what it is for, through the page.
import { type APIRequestContext, type Page } from "@playwright/test";
import { expect, newProject, projectOf, send, test } from "./pages";
import { boxes } from "./parts";

/** Opens the page of a body of a name; its address. */
async function open(page: Page, project: string, name: string, query = ""): Promise<string> {
  await page.goto(project);
  const href = await page.getByRole("link", { name, exact: true }).last().getAttribute("href");
  expect(href).toBeTruthy();
  await page.goto(href + query);
  return href!;
}

async function millimetres(page: Page, project: string, ...names: string[]): Promise<void> {
  for (const name of names) {
    await open(page, project, name, "?row=unit_known");
    await page.locator("#evidence").getByRole("button", { name: "mm", exact: true }).click();
    await expect(page.locator("#figures")).toContainText(" mm");
  }
}

test("a scan is brought onto the part, a face becomes a datum, and the whole is written down", async ({
  page,
  request,
}) => {
  const project = await projectOf(request, "places", {
    "part.stl": boxes({ from: [0, 0, 0], size: [60, 30, 10] }, { from: [0, 0, 10], size: [10, 8, 14] }),
    "scan.stl": boxes({ from: [4, 3, 2], size: [60, 30, 10] }, { from: [4, 3, 12], size: [10, 8, 14] }),
  });
  await millimetres(page, project, "Part", "Scan");
  await open(page, project, "Scan", "?row=none&tab=datums");
  await page.locator("#drawer select[name=to]").selectOption({ label: "Part" });
  await page.getByRole("button", { name: "Best fit" }).click();
  await page.locator(".tabs").getByRole("link", { name: "Logbook" }).click();
  await expect(page.locator("#drawer")).toContainText("Brought onto “Part”");
  await page.locator(".tabs").getByRole("link", { name: "Place" }).click();
  await page.getByText("Fit a shape", { exact: true }).first().click();
  await page.locator("#drawer input[name=name]").first().fill("floor");
  await page.locator("#drawer").getByRole("button", { name: "Fit a shape" }).click();
  await expect(page.locator("#drawer")).toContainText("floor");
});

test("a rule is typed, runs on the next revision, and says what it found there", async ({ page, request }) => {
  const project = await projectOf(request, "rules", {
    "first.stl": boxes({ from: [0, 0, 0], size: [40, 20, 10] }),
    "second.stl": boxes({ from: [0, 0, 0], size: [50, 20, 10] }),
  });
  await millimetres(page, project, "First", "Second");
  await open(page, project, "First", "?row=none&tab=boundaries");
  await page.locator(".rules summary").click();
  const typed = page.locator(".rules form", { has: page.locator("input[name=pick]") });
  await typed.locator("input[name=name]").fill("top");
  await typed.locator("input[name=pick]").fill("direction:0,0,1@5");
  await typed.getByRole("button", { name: "Add the rule" }).click();
  await expect(page.locator(".rules table")).toContainText("facing 0, 0, 1 within 5°");
  await open(page, project, "Second", "?row=none&tab=boundaries");
  await page.locator(".rules summary").click();
  await page.getByRole("button", { name: "Take over the rules of First" }).click();
  await expect(page.locator(".rules table")).toContainText("grown");
  await expect(page.locator(".rules table")).toContainText("1\u2009000.0");
});

test("bodies part into regions with one interface, and a domain is put around one of them", async ({
  page,
  request,
}) => {
  const project = await projectOf(request, "regions", {
    "water.stl": boxes({ from: [0, 0, 0], size: [100, 40, 30] }),
    "heater.stl": boxes({ from: [20, 10, -2], size: [40, 20, 6] }),
  });
  await millimetres(page, project, "Water", "Heater");
  await open(page, project, "Water", "?row=none&tab=bodies");
  await page.locator("#drawer").getByRole("checkbox", { name: "Heater" }).check();
  await page.getByRole("button", { name: "Part into regions" }).click();
  await expect(page.getByRole("link", { name: "Heater, region" })).toBeVisible({ timeout: 30_000 });
  await open(page, project, "Water, region", "?row=none&tab=boundaries");
  await expect(page.locator("#drawer")).toContainText("Water-Heater");
  await open(page, project, "Heater", "?row=none&tab=operations");
  await page.locator("summary", { hasText: "Make the region around it" }).click();
  await page.locator("#drawer").getByRole("button", { name: "Make the region around it" }).click();
  await expect(page.locator("#figures")).toContainText("mm");
  await page.locator(".tabs").getByRole("link", { name: "Boundaries" }).click();
  for (const side of ["inflow", "outflow", "far field", "body"])
    await expect(page.locator("#drawer")).toContainText(side);
});

test("two bodies become a robot that is handed over", async ({ page, request }) => {
  const project = await projectOf(request, "robot", {
    "foot.stl": boxes({ from: [0, 0, 0], size: [100, 100, 20] }),
    "arm.stl": boxes({ from: [40, 40, 30], size: [200, 20, 20] }),
  });
  await millimetres(page, project, "Foot", "Arm");
  await page.goto(`${project}/robot`);
  await page.getByRole("button", { name: "Make a link of each body that has a unit" }).click();
  await expect(page.getByRole("alert")).toContainText("2 roots");
  await page.getByRole("button", { name: "Add a joint" }).click();
  await page.locator("select[name=j0_kind]").selectOption("revolute");
  await page.locator("input[name=j0_az]").fill("30");
  await page.getByRole("button", { name: "Keep" }).first().click();
  await expect(page.getByRole("alert")).toContainText("needs limits");
  await page.locator("input[name=j0_from]").fill("-90");
  await page.locator("input[name=j0_to]").fill("90");
  await page.getByRole("button", { name: "Keep" }).first().click();
  await expect(page.locator(".sum")).toContainText("2 links, 1 joint, mass 2.198 kg");
  const drawn = page.waitForResponse((r) => r.url().includes("robot.png?j0=") && r.ok());
  await page.locator("[data-joint=j0]").fill("45");
  await drawn;
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Hand over" }).click(),
  ]);
  expect(download.suggestedFilename()).toMatch(/^robot_\d+\.zip$/);

  // Where its masses are is drawn within it; a planar joint has sliders of its own.
  const weighed = page.waitForResponse((r) => r.url().includes("masses=1") && r.ok());
  await page.locator("[data-masses]").check();
  await weighed;
  await page.locator("select[name=j0_kind]").selectOption("planar");
  await page.getByRole("button", { name: "Keep" }).first().click();
  const slid = page.waitForResponse((r) => r.url().includes("j0.yaw=30") && r.ok());
  await page.locator('[data-joint="j0.yaw"]').fill("30");
  await slid;

  // Dragged onto a link that hangs below it, a link stays where it is, and that is said; the other way round it hangs there.
  const link = (name: string) => page.locator("[data-link]", { hasText: name });
  const drag = async (from: string, to: string) => {
    const [a, b] = [await link(from).boundingBox(), await link(to).boundingBox()];
    await page.mouse.move(a!.x + 20, a!.y + 12);
    await page.mouse.down();
    await page.mouse.move(b!.x + 30, b!.y + 12, { steps: 4 });
    await page.mouse.up();
  };
  const root = (await page.locator(".sum").textContent())!.trim().endsWith("foot") ? ["Foot", "Arm"] : ["Arm", "Foot"];
  await link("Foot").scrollIntoViewIfNeeded();
  await drag(root[0], root[1]);
  await expect(page.getByRole("alert")).toContainText(`“${root[1]}” hangs below “${root[0]}”`);
  await page.goto(`${project}/robot`);
  await page.getByRole("button", { name: "Delete" }).last().click();
  await expect(page.getByRole("alert")).toContainText("2 roots");
  await link("Foot").scrollIntoViewIfNeeded();
  await drag("Foot", "Arm");
  await expect(page.locator("select[name=j0_child]")).toHaveValue("Foot");
  await expect(page.locator("select[name=j0_parent]")).toHaveValue("Arm");
});

test("a robot's description with its meshes becomes bodies and a robot", async ({ page }) => {
  await newProject(page, "described");
  await send(page, "lamp.urdf", Buffer.from(LAMP));
  await expect(page.locator("#sending")).toContainText("Send a zip of the folder");
  await page.locator("#sending button").click();
  const boxed = LAMP.replace('<mesh filename="shade.stl"/>', '<cylinder radius="0.1" length="0.2"/>');
  await send(page, "lamp.urdf", Buffer.from(boxed));
  await expect(page.locator("#sending")).toContainText("its mass is kept, its moments follow from its body");
  await expect(page.locator("#bodies .strong")).toHaveCount(1, { timeout: 60_000 });
  await page.getByRole("link", { name: "Robot", exact: true }).click();
  await expect(page.locator(".sum")).toContainText("2 links, 1 joint, mass 1.5 kg");
  await expect(page.locator("input[name=f0_name]")).toHaveValue("hook");
  // A project has one robot: a second one goes elsewhere, and that is said.
  await page.goBack();
  await send(page, "lamp.urdf", Buffer.from(boxed));
  await expect(page.locator("#sending")).toContainText("has a robot already");
});

const LAMP = `<robot name="lamp"><link name="shade"><inertial><mass value="1.5"/></inertial>
<visual><geometry><mesh filename="shade.stl"/></geometry></visual></link><link name="hook"/>
<joint name="hangs" type="fixed"><parent link="shade"/><child link="hook"/><origin xyz="0 0 0.3"/></joint></robot>`;
