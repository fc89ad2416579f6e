import { defineConfig } from "@playwright/test";

// Each worker has a server and a database of its own: addresses and databases in one order, apart by spaces.
const own = (name: string) => {
  const all = (process.env[name] ?? "").split(" ");
  return { all, mine: all[Number(process.env.TEST_PARALLEL_INDEX ?? 0)] ?? all[0] };
};
const addresses = own("HULL_TEST_ADDRESS");
if (process.env.HULL_TEST_PAGES_DATABASE) process.env.HULL_DATABASE_URL = own("HULL_TEST_PAGES_DATABASE").mine;

export default defineConfig({
  testDir: ".",
  outputDir: "output",
  timeout: 240_000,
  expect: { timeout: 40_000 },
  workers: addresses.all.length,
  reporter: [["list"]],
  use: {
    baseURL: addresses.mine,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--use-gl=angle",
        "--use-angle=swiftshader",
        "--enable-unsafe-swiftshader",
        "--disable-background-networking",
        "--disable-component-update",
        "--no-first-run",
      ],
    },
  },
});
