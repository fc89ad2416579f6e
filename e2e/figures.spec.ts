// Figures that mean the same are the same, wherever they stand: the manifest, the sheet, the view, the tabs, the shell's words.
import { spawnSync } from "node:child_process";
import { readdirSync } from "node:fs";
import { dirname, join } from "node:path";
import type { Page } from "@playwright/test";
import { bodyOf, expect, take, test } from "./pages";
import { boxes } from "./parts";

/** The text of the first element, without thin spaces, each run of blanks one. */
async function textOf(page: Page, selector: string): Promise<string> {
  const text = (await page.locator(selector).first().textContent()) ?? "";
  return text
    .replace(/[\u2009\u202f]/g, "")
    .replace(/\s+/g, " ")
    .trim();
}

/** What a table of two columns says behind a name. */
async function figure(page: Page, name: string): Promise<string> {
  const cell = page.locator(".figure-columns td", { hasText: new RegExp(`^${name}`) }).first();
  return (await cell.locator("xpath=following-sibling::td[1]").innerText()).replace(/\u2009/g, "").trim();
}

/** How often each verdict stands on the sheet. */
async function verdicts(page: Page): Promise<Record<string, number>> {
  const words = await page.locator(".row .w").allTextContents();
  const out: Record<string, number> = {};
  for (const word of words) out[word.trim()] = (out[word.trim()] ?? 0) + 1;
  return out;
}

/** "15 met, 4 not met" as numbers. */
const numbers = (text: string) =>
  Object.fromEntries(text.split(", ").map((part) => [part.replace(/^\d+ /, ""), Number(part.split(" ")[0])]));

/** Rows of the sheet that say what a line of the figures says, by the row's name. */
const ROWS: [string, RegExp][] = [
  ["no_duplicates", /^duplicate facets/],
  ["no_zero_area", /^facets without area/],
  ["closed", /^open edges/],
  ["no_overshared", /^non-manifold edges/],
  ["no_pinched", /^non-manifold vertices/],
];

/** What the shell says of a file of the demo; nothing where it has none of that name. */
function inTheShell(name: string): Record<string, unknown> | null {
  const folder = dirname(process.env.HULL_DEMO_PART!);
  const stem = name.toLowerCase().replaceAll(" ", "-");
  const file = readdirSync(folder).find((f) => f.replace(/\.[^.]*$/, "") === stem);
  if (!file) return null;
  const { stdout } = spawnSync(join(process.env.HULL_BINARIES!, "hull"), ["check", "--json", join(folder, file)]);
  return JSON.parse(stdout.toString().split("\n")[0]) as Record<string, unknown>;
}

const PROJECTS = ["Pipit survey catamaran", "Pipit cooler", "Pipit winch robot"];

for (const project of PROJECTS)
  test(`every body of the demo says the same of itself on every page: ${project}`, ({ page }) => same(page, project));

async function same(page: Page, project: string): Promise<void> {
  await page.goto("/");
  await page.getByText(project).first().click();
  const lines = page.locator("#bodies > tbody");
  // Surveys end by themselves.
  await expect(page.locator("#bodies")).not.toContainText("being surveyed", { timeout: 60_000 });
  const listed = await lines.evaluateAll((all) =>
    all.map((line) => {
      const cells = [...line.querySelectorAll("tr:first-child > td")].map((cell) => cell as HTMLElement);
      const text = (i: number) =>
        cells[i].innerText
          .replace(/\u2009/g, "")
          .replace(/\s+/g, " ")
          .trim();
      const address = line.querySelector(".strong")!.getAttribute("href")!;
      const name = line.querySelector<HTMLElement>(".strong")!.innerText;
      return {
        address,
        name,
        size: text(2),
        faces: text(5),
        facets: text(6),
        shells: text(7),
        open: text(8),
        ready: text(10),
      };
    }),
  );
  expect(listed.length).toBeGreaterThan(project === PROJECTS[0] ? 8 : 0);
  for (const line of listed) {
    await page.goto(`${line.address}?row=none&tab=figures`);
    const said = await textOf(page, "#figures");
    expect(said.startsWith(line.size), `${line.name}: ${said} against ${line.size}`).toBe(true);
    const summary = await textOf(page, "#sheet-head span");
    expect(numbers(summary), line.name).toEqual(await verdicts(page));
    expect(line.ready, line.name).toBe(summary);
    const { "not met": notMet = 0, pending = 0 } = numbers(summary);
    const button = numbers((await textOf(page, "#to-handover")).replace("Hand over ", ""));
    expect([button["not met"] ?? 0, button.pending ?? 0], line.name).toEqual([notMet, pending]);
    const own = await textOf(page, ".switch summary");
    expect(own, line.name).toContain(line.name);
    const open = page.locator("#row-closed .v");
    if ((await open.count()) > 0) expect(await textOf(page, "#row-closed .v"), line.name).toBe(line.open);
    if (line.facets !== "0") {
      expect(said, line.name).toContain(`${line.facets} facets`);
      expect(said, line.name).toContain(`${line.shells} shell`);
      expect(await figure(page, "facets$"), line.name).toBe(line.facets);
      expect(await figure(page, "open edges"), line.name).toBe(line.open);
      for (const [row, name] of ROWS) {
        const cell = page.locator(`#row-${row} .v`);
        if ((await cell.count()) > 0) expect(await textOf(page, `#row-${row} .v`), `${line.name}: ${row}`).toBe(await figure(page, name.source.slice(1))); // prettier-ignore
      }
      // The shells of the table are all there are, and their facets all the facets.
      const shells = page.locator(".figure-columns table").nth(2).locator("tbody tr");
      if ((await shells.count()) === Number(line.shells)) {
        const facets = await shells.evaluateAll((all) =>
          all.map((row) => Number((row as HTMLTableRowElement).cells[1].innerText.replace(/\D/g, ""))),
        );
        expect(
          facets.reduce((sum, n) => sum + n, 0),
          line.name,
        ).toBe(Number(line.facets));
      }
      const shell = inTheShell(line.name);
      if (shell) expect(String(shell.triangles), `${line.name} in the shell`).toBe(line.facets);
      const closed = line.open === "0";
      expect(said.includes("not closed"), line.name).toBe(!closed);
    }
    // The number on a tab is how many rows stand behind it.
    await page.goto(`${line.address}?row=none&tab=findings`);
    const tab = Number((await textOf(page, ".tabs a.on")).replace(/\D/g, "") || 0);
    expect(await page.locator("tr.finding").count(), line.name).toBe(tab);
  }
}

test("lengths are said in the unit that was chosen, on the sheet and in every panel", async ({ page, request }) => {
  const body = await bodyOf(
    request,
    "inches",
    "block.stl",
    boxes({ from: [0, 0, 0], size: [254, 50.8, 25.4] }),
    "print",
  );
  await take(request, body, { step: "set_unit", unit: "mm" });
  await page.goto(`${body}?row=none&tab=figures`);
  const sheet = () => page.locator("#sheet").innerText();
  await expect.poll(sheet).toContain("254 mm");
  await page.getByRole("button", { name: "Shown", exact: true }).click();
  await page.getByLabel("What lengths are shown in").selectOption("in");
  await expect.poll(sheet).toContain("10 in");
  await expect.poll(sheet).not.toContain("254");
  // A count stays a count: only lengths have a unit to be said in.
  await expect(page.locator("#row-closed .l")).toHaveText("0");
  const own = async (name: string) => Number((await figure(page, name)).replace(/[^\d.]/g, ""));
  // Two faces each of 10 × 2, 10 × 1 and 2 × 1.
  expect([await own("area"), await own("enclosed volume")]).toEqual([64, 20]);
  await expect(page.locator("#figures")).toContainText("10 × 2 × 1 in");
  // Kept on the next page; what is typed is in millimetres, and says so.
  await page.goto(`${body}?row=none&tab=operations`);
  await expect.poll(sheet).toContain("10 in");
  await expect(page.locator("#drawer")).toContainText("mm");
});
