import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  outputDir: "output",
  timeout: 240_000,
  expect: { timeout: 40_000 },
  workers: 1,
  reporter: [["list"]],
  use: {
    baseURL: process.env.HULL_TEST_ADDRESS,
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
