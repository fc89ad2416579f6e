// Every page and state of the demo against the rules of WCAG as axe-core has them: names, contrast, order of headings, keyboard.
import AxeBuilder from "@axe-core/playwright";
import type { Page } from "@playwright/test";
import { expect, test } from "./pages";

/** Places of the demo's bodies that show something of every kind: their tabs, and how many rows of their sheets go by. */
const PLACES: [string, string[], number][] = [
  ["Raw water manifold", ["boundaries", "datums", "figures", "findings", "logbook", "moved", "operations"], 8],
  ["Pump bed", ["bodies", "exact"], 99],
  ["Sensor gantry", ["frame"], 8],
  ["Stern gantry", ["lines"], 99],
  ["Quay wall", ["figures"], 99],
];

/** What breaks a rule: the rule, where, and why. */
async function broken(page: Page): Promise<string[]> {
  // What is folded is read too.
  await page.evaluate(() => document.querySelectorAll("details").forEach((part) => (part.open = true)));
  const { violations } = await new AxeBuilder({ page }).analyze();
  return violations.flatMap((rule) =>
    rule.nodes.map(
      (node) => `${rule.id}: ${node.target.join(" ")}: ${node.any.concat(node.all)[0]?.message ?? rule.help}`,
    ),
  );
}

async function demo(page: Page): Promise<string> {
  await page.goto("/");
  await page.getByText("Pipit survey catamaran").click();
  await expect(page.locator("#bodies .strong").first()).toBeVisible();
  return new URL(page.url()).pathname;
}

test("every page around the bodies can be read, named and reached by everybody", async ({ page }) => {
  const project = await demo(page);
  const around = ["", "/stock", "/robot"].map((part) => project + part);
  for (const address of [...around, "/", "/destinations", "/destinations/fluid", "/guide", "/nowhere"]) {
    await page.goto(address);
    expect(await broken(page), address).toEqual([]);
  }
});

for (const [name, tabs, every] of PLACES)
  test(`tabs and open rows of the demo's bodies can be read, named and reached by everybody: ${name}`, async ({
    page,
  }) => {
    await page.goto(await demo(page));
    const body = await page.locator("#bodies .strong", { hasText: name }).getAttribute("href");
    for (const tab of tabs) {
      await page.goto(`${body}?row=none&tab=${tab}`);
      expect(await broken(page), tab).toEqual([]);
    }
    const rows = await page.locator(".row").evaluateAll((all) => all.map((row) => row.id.replace("row-", "")));
    for (const row of rows.filter((_, i) => i % every === 0)) {
      await page.goto(`${body}?row=${row}&tab=none`);
      expect(await broken(page), row).toEqual([]);
    }
  });

test("by night the pages can be read too", async ({ page }) => {
  const project = await demo(page);
  const bodies = page.locator("#bodies .strong");
  const body = (await bodies.filter({ hasText: "Raw water manifold" }).getAttribute("href"))!;
  await page.getByRole("button", { name: "Dark" }).click();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "dark");
  for (const address of ["/", project, `${project}/robot`, "/guide", body, `${body}?row=closed&tab=boundaries`]) {
    await page.goto(address);
    await expect(page.locator("html")).toHaveAttribute("data-theme", "dark");
    expect(await broken(page), address).toEqual([]);
  }
});
