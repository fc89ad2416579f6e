import { defineConfig } from "@playwright/test";
import common from "./playwright.config";

// Figures of the pages and the view; started by scripts/benchmark, not a test.
export default defineConfig(common, { testMatch: "*.bench.ts", timeout: 600_000 });
