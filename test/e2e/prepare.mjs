// Fills DOGEAR_SHELF with the demo prints, for the tests to copy.
import { rmSync } from "node:fs";
import { start } from "./dogear.mjs";

rmSync(process.env.DOGEAR_SHELF, { recursive: true, force: true });
const app = await start({ data: process.env.DOGEAR_SHELF, keep: true });
await app.stop();
