// Builds what the server embeds: a script a page, one style sheet, htmx, the fonts and the mark.
import { build } from "esbuild";
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, rmSync } from "node:fs";

rmSync("dist", { recursive: true, force: true });
mkdirSync("dist");
await build({
  entryPoints: ["src/app.ts", "src/manifest.ts", "src/robot.ts", "src/upload.ts", "src/workspace.ts"],
  bundle: true,
  format: "esm",
  splitting: true,
  minify: true,
  target: "es2022",
  outdir: "dist",
  chunkNames: "shared",
  legalComments: "linked",
});
await build({
  entryPoints: ["src/early.ts"],
  bundle: true,
  format: "iife",
  minify: true,
  target: "es2022",
  outdir: "dist",
});
execFileSync("node_modules/.bin/tailwindcss", ["-i", "style/app.css", "-o", "dist/app.css", "--minify"], {
  stdio: ["ignore", "ignore", "inherit"],
});
const fonts = "node_modules/@fontsource-variable";
copyFileSync("node_modules/htmx.org/dist/htmx.min.js", "dist/htmx.js");
copyFileSync(`${fonts}/archivo/files/archivo-latin-standard-normal.woff2`, "dist/archivo.woff2");
copyFileSync(`${fonts}/spline-sans-mono/files/spline-sans-mono-latin-wght-normal.woff2`, "dist/mono.woff2");
copyFileSync("style/mark.svg", "dist/mark.svg");
