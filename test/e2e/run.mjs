// Runs the browser's tests, or those files that are named, on a shelf of demo prints that is filled
// once, for the tests to copy. ONLY picks tests by their names.
//
// The longest files come first, so that at the end nothing waits for one of them alone. (The
// command line of node:test puts files in the order of their names.)
import { run } from "node:test";
import { spec } from "node:test/reporters";
import { readdirSync, rmSync, statSync } from "node:fs";
import { join } from "node:path";
import { start } from "./dogear.mjs";

const here = import.meta.dirname;
const ends = ".test.mjs";
const named = process.argv.slice(2).map((name) => name + ends);
const files = (named.length ? named : readdirSync(here).filter((name) => name.endsWith(ends)))
  .map((name) => join(here, name))
  .sort((a, b) => statSync(b).size - statSync(a).size);

process.env.DOGEAR_SHELF = join(here, "..", "..", "tmp", "shelf");
rmSync(process.env.DOGEAR_SHELF, { recursive: true, force: true });
const app = await start({ data: process.env.DOGEAR_SHELF, keep: true });
await app.stop();

// Where no test has run, as by a name that none has, nothing has been shown.
process.exitCode = 1;
let failed = false;
run({ files, concurrency: 3, testNamePatterns: process.env.ONLY || undefined })
  .on("test:pass", ({ skip }) => {
    if (skip === undefined && !failed) process.exitCode = 0;
  })
  .on("test:fail", () => {
    failed = true;
    process.exitCode = 1;
  })
  .compose(new spec())
  .pipe(process.stdout);
