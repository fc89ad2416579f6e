// Every address that a page of the demo leads to: it answers, its HTML keeps the rules of the standard as html-validate has them,
// it asks nothing of the network, and no number came out as none.
import { type APIRequestContext, expect, test } from "@playwright/test";
import { HtmlValidate } from "html-validate";

const rules = new HtmlValidate({
  extends: ["html-validate:standard"],
  // The numbers of a place stand behind one word, and each has a name of its own.
  rules: { "multiple-labeled-controls": "off" },
});

/** Words that a number or a text becomes when nobody looked: not those of what people wrote. */
const UNSAID = /\b(NaN|undefined|infinity|inf|null)\b|Some\(|\[object |\{\{|\}\}/i;

/** What stands between the tags, without scripts, styles and code. */
function read(html: string): string {
  return html.replace(/<(script|style|code|pre)\b[\s\S]*?<\/\1>/g, "").replace(/<[^>]*>/g, "\n");
}

/** Addresses that a page leads to, as a browser or htmx would ask for them. */
function leads(html: string): string[] {
  return [...html.matchAll(/\s(?:href|src|hx-get)="([^"]+)"/g)]
    .map((found) => found[1].replaceAll("&amp;", "&").replaceAll("&#38;", "&"))
    .filter((address) => !/^(#|data:|mailto:)/.test(address));
}

/** Rows of a sheet lead to the same page with another one open: one of them stands for all. */
const kind = (address: string) => address.replace(/row=[^&]*/, "row");

/** What is wrong with an address, and where it leads to. */
async function visit(request: APIRequestContext, address: string): Promise<[string[], string[]]> {
  const answer = await request.get(address);
  if (!answer.ok()) return [[`${answer.status()}`], []];
  if (!answer.headers()["content-type"]?.includes("html")) return [[], []];
  const html = await answer.text();
  const { results } = await rules.validateString(html);
  const broken = results.flatMap((result) => result.messages).map((m) => `${m.ruleId} at line ${m.line}: ${m.message}`);
  const unsaid = read(html)
    .split("\n")
    .filter((line) => UNSAID.test(line));
  return [[...broken, ...unsaid.map((line) => `reads "${line.trim()}"`)], leads(html)];
}

test("every address that pages lead to answers, is sound HTML and says its numbers", async ({ request }) => {
  const wrong: string[] = [];
  const known = new Map([["/", "outside"]]);
  const waiting = ["/"];
  // Of the projects, those of the demo: what other tests make comes and goes, and bears names that try the pages.
  const front = await (await request.get("/")).text();
  const demo = new Set([...front.matchAll(/href="(\/projects\/\d+)">(?:(?!<\/a>)[\s\S])*<b>Pipit/g)].map((m) => m[1]));
  expect(demo.size).toBeGreaterThan(2);
  for (let address = waiting.shift(); address; address = waiting.shift()) {
    const [broken, further] = await visit(request, address);
    wrong.push(...broken.map((what) => `${address} (from ${known.get(kind(address))}): ${what}`));
    for (const next of further) {
      if (/^[a-z]+:|^\/\//.test(next)) {
        wrong.push(`${address} leads out of the house: ${next}`);
        continue;
      }
      const url = new URL(next, `http://here${address}`);
      const place = url.pathname + url.search;
      const other = address === "/" && place.startsWith("/projects/") && !demo.has(place);
      if (other || known.has(kind(place)) || url.pathname.endsWith("/events")) continue;
      known.set(kind(place), address);
      waiting.push(place);
    }
  }
  expect(wrong).toEqual([]);
  // All kinds of pages were among them: projects, bodies, robots, parts, targets and the guide.
  for (const part of ["/projects/", "/bodies/", "/robot", "/stock", "/destinations/", "/guide?q=", "tab=logbook"]) {
    expect(
      [...known.keys()].some((address) => address.includes(part)),
      part,
    ).toBe(true);
  }
});
