// The pages as tests use them.
import {
  type APIRequestContext,
  type APIResponse,
  type Locator,
  test as base,
  expect,
  type Page,
} from "@playwright/test";

export { expect };

/** A new project with a body a file, each bound for `solid` but those that are named. */
export async function projectOf(
  request: APIRequestContext,
  name: string,
  files: Record<string, Buffer>,
  bound: Record<string, string> = {},
): Promise<string> {
  const made = await request.post("/projects", { form: { name: `${name} ${Date.now()}` } });
  const project = new URL(made.url()).pathname;
  for (const [file, data] of Object.entries(files)) {
    const sent = await request.put(`${project}/files?name=${file}&destination=${bound[file] ?? "solid"}`, { data });
    expect(sent.status()).toBe(202);
  }
  const bodies = async () => (await (await request.get(project)).text()).match(/class="strong"/g)?.length;
  await expect.poll(bodies, { timeout: 60_000 }).toBe(Object.keys(files).length);
  return project;
}

/** A page on whose console any error is a defect, but for refusals, which tests ask for. */
export const test = base.extend({
  // A connection that nobody used for a while may be closed just as it is used again; browsers ask once more then.
  request: async ({ request }, use) => {
    for (const method of ["get", "post", "put"] as const) {
      const plain = request[method].bind(request);
      request[method] = (url, options) => plain(url, { maxRetries: 2, ...options });
    }
    await use(request);
  },
  page: async ({ page }, use) => {
    page.on("console", (m) => {
      if (m.type() === "error" && !/422|404/.test(m.text())) throw new Error(m.text());
    });
    page.on("pageerror", (e) => {
      throw e;
    });
    await use(page);
  },
});

/** The middle of what may be drawn anew just now. */
export async function middleOf(what: Locator): Promise<[number, number]> {
  let at: [number, number] = [0, 0];
  const found = async () => {
    const box = await what.boundingBox();
    if (box) at = [box.x + box.width / 2, box.y + box.height / 2];
    return box !== null;
  };
  await expect.poll(found).toBe(true);
  return at;
}

export const opened = (page: Page) => page.locator(".row.opened .phrase");

export async function newProject(page: Page, name: string): Promise<void> {
  await page.goto("/");
  await page.getByLabel("Name").fill(`${name} ${Date.now()}`);
  await page.getByRole("button", { name: "Make the project" }).click();
  await expect(page.locator(".empty")).toContainText("No body yet");
}

export async function send(page: Page, name: string, bytes: Buffer, destination = "Fluid, inside"): Promise<void> {
  // The script that sends files comes after the page.
  await page.locator("#drop[data-ready]").waitFor();
  await page.locator("input[type=file]:not(#folder)").setInputFiles({ name, mimeType: "model/stl", buffer: bytes });
  await page.locator("#ask").getByRole("button", { name: destination, exact: true }).click();
}

/** Makes a project and a body in it without the page; the body's address. */
export async function bodyOf(
  request: APIRequestContext,
  name: string,
  file: string,
  bytes: Buffer,
  destination = "fluid",
): Promise<string> {
  const made = await request.post("/projects", { form: { name: `${name} ${Date.now()}` } });
  const project = new URL(made.url()).pathname;
  expect(
    (await request.put(`${project}/files?name=${file}&destination=${destination}`, { data: bytes })).status(),
  ).toBe(202);
  return firstBody(request, project);
}

/** Takes a step without the page, and waits until it has been done: an answer comes before long ones have. */
export async function take(
  request: APIRequestContext,
  body: string,
  form: Record<string, string>,
  query = "",
): Promise<void> {
  expect((await request.post(`${body}/steps${query}`, { form })).status()).toBe(200);
  const page = async () => (await request.get(body)).text();
  await expect.poll(page, { timeout: 60_000 }).not.toContain("<b>Working</b>");
}

/** Expects that an answer says something, or the body's page a little later: what only the work finds out comes after it. */
export async function expectTold(
  request: APIRequestContext,
  body: string,
  answer: APIResponse,
  words: string,
): Promise<void> {
  const notice = (text: string) => (/id="notice"[^>]*>(?:<div>)?([^<]*)</.exec(text)?.[1] ?? "").toLowerCase();
  if (notice(await answer.text()).includes(words.toLowerCase())) return;
  const later = async () => notice(await (await request.get(body)).text());
  await expect.poll(later, words).toContain(words.toLowerCase());
}

/** The address of a project's first body, once it has been read. */
export async function firstBody(request: APIRequestContext, project: string): Promise<string> {
  let found: string | undefined;
  await expect
    .poll(async () => (found = /\/bodies\/\d+/.exec(await (await request.get(project)).text())?.[0]), {
      timeout: 120_000,
    })
    .toBeTruthy();
  return found!;
}

/** The address of a body of the demo. */
export async function demoBody(page: Page, name: string): Promise<string> {
  await page.goto("/");
  await page.getByText("Pipit survey catamaran").click();
  return (await page.locator("#bodies .strong", { hasText: name }).getAttribute("href"))!;
}

/** Waits until the view has drawn the state that the page is at. */
export async function drawn(page: Page): Promise<void> {
  await expect
    .poll(async () => {
      const state = stateOf(await page.locator("#scene").textContent());
      return (await page.locator("#view").getAttribute("data-drawn")) === String(state);
    })
    .toBe(true);
  await page.waitForTimeout(400);
}

/** Clicks in the view, at so many pixels from its middle. */
export async function clickView(page: Page, dx: number, dy: number): Promise<void> {
  const box = (await page.locator("#view canvas").boundingBox())!;
  await page.mouse.click(box.x + box.width / 2 + dx, box.y + box.height / 2 + dy);
}

export async function lookFrom(page: Page, from: string): Promise<void> {
  await page.locator(`[data-look="${from}"]`).click();
  await page.waitForTimeout(500);
}

/** Clicks faces from a standard view: the middle of the view is the middle of the body. */
export async function pickFrom(page: Page, from: string, dx = 0, dy = 0): Promise<void> {
  await page.getByRole("toolbar").getByRole("button", { name: "Pick faces" }).click();
  await lookFrom(page, from);
  await clickView(page, dx, dy);
  await expect(page.locator("#picked")).toContainText("Picked:");
}

/** The state that the page is at. */
export const stateOf = (text: string | null): number => (JSON.parse(text ?? "{}") as { revision: number }).revision;

export async function nameIt(page: Page, name: string): Promise<void> {
  const state = async () => stateOf(await page.locator("#scene").textContent());
  const before = await state();
  await page.locator("#naming input[name=name]").fill(name);
  await page.locator("#name-it").click();
  // The form stays while anything is unnamed: only another state says that the name was given.
  await expect.poll(state).not.toBe(before);
  await drawn(page);
}

type Colour = [number, number, number];

/** How many pixels of the view have a colour from `least` to `most`, below the buttons and above the scale. */
export async function pixels(page: Page, least: Colour, most: Colour): Promise<number> {
  const picture = (await page.locator("#view canvas").screenshot()).toString("base64");
  return page.evaluate(
    async ({ picture, least, most }) => {
      const image = await createImageBitmap(await (await fetch(`data:image/png;base64,${picture}`)).blob());
      const pen = new OffscreenCanvas(image.width, image.height).getContext("2d")!;
      pen.drawImage(image, 0, 0);
      const { data } = pen.getImageData(0, 80, image.width, image.height - 140);
      let found = 0;
      for (let i = 0; i < data.length; i += 4)
        if ([0, 1, 2].every((k) => data[i + k] >= least[k] && data[i + k] <= most[k])) found++;
      return found;
    },
    { picture, least, most },
  );
}
