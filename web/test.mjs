// Bundles the tests of what needs no page, and runs them with node's test runner.
import { build } from "esbuild";
import { spawnSync } from "node:child_process";
import { readdirSync, rmSync } from "node:fs";
import { availableParallelism } from "node:os";

rmSync("test-dist", { recursive: true, force: true });
const entryPoints = readdirSync("tests")
  .filter((name) => name.endsWith(".test.ts"))
  .map((name) => `tests/${name}`);
await build({
  entryPoints,
  bundle: true,
  platform: "node",
  // What is installed is loaded as it is: it need not be one file.
  packages: "external",
  format: "esm",
  outdir: "test-dist",
  outExtension: { ".js": ".mjs" },
});
const built = readdirSync("test-dist").map((name) => `test-dist/${name}`);
// Left alone, it keeps one core for itself.
const many = `--test-concurrency=${availableParallelism()}`;
const { status } = spawnSync(process.execPath, ["--test", many, ...built], { stdio: "inherit" });
rmSync("test-dist", { recursive: true, force: true });
process.exit(status ?? 1);
