// Builds web/assets/dist from the sources beside it. With --check it builds
// into a temporary folder and fails when dist is not what comes out.
import { execFileSync } from "node:child_process";
import { cpSync, mkdtempSync, mkdirSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import * as esbuild from "esbuild";

const here = dirname(fileURLToPath(import.meta.url));
const root = join(here, "..", "..");
const check = process.argv.includes("--check");
const dist = join(here, "dist");
const out = check ? mkdtempSync(join(tmpdir(), "dogear-dist-")) : dist;

if (!check) rmSync(out, { recursive: true, force: true });
mkdirSync(out, { recursive: true });

await esbuild.build({
  entryPoints: {
    app: join(here, "js", "app.js"),
    theme: join(here, "js", "theme.js"),
    listener: join(here, "js", "listener.js"),
  },
  bundle: true,
  minify: true,
  format: "iife",
  target: "es2022",
  outdir: out,
  legalComments: "none",
  logLevel: "warning",
});
execFileSync(
  process.execPath,
  [
    join(root, "node_modules", "@tailwindcss", "cli", "dist", "index.mjs"),
    "--input",
    join(here, "css", "app.css"),
    "--output",
    join(out, "app.css"),
    "--minify",
  ],
  { stdio: ["ignore", "ignore", "inherit"], cwd: root },
);

const font = (pkg, file, to) =>
  cpSync(join(root, "node_modules", pkg, "files", file), join(out, to));
font("@fontsource-variable/fraunces", "fraunces-latin-opsz-normal.woff2", "fraunces.woff2");
font(
  "@fontsource-variable/source-sans-3",
  "source-sans-3-latin-wght-normal.woff2",
  "source-sans.woff2",
);
font(
  "@fontsource-variable/source-sans-3",
  "source-sans-3-latin-ext-wght-normal.woff2",
  "source-sans-ext.woff2",
);
font("@fontsource/jetbrains-mono", "jetbrains-mono-latin-400-normal.woff2", "jetbrains-mono.woff2");
cpSync(join(here, "icon.svg"), join(out, "icon.svg"));

if (check) {
  const names = (dir) => readdirSync(dir).sort();
  const stale = [];
  for (const n of new Set([...names(out), ...names(dist)])) {
    let same = false;
    try {
      same = readFileSync(join(out, n)).equals(readFileSync(join(dist, n)));
    } catch {
      /* missing on one side */
    }
    if (!same) stale.push(n);
  }
  rmSync(out, { recursive: true, force: true });
  if (stale.length > 0) {
    console.error(`web/assets/dist is stale: ${stale.join(", ")}. Run: npm run build`);
    process.exit(1);
  }
  console.log("web/assets/dist is fresh");
}
