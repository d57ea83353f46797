import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["web/assets/dist/", "tmp/"] },
  js.configs.recommended,
  {
    files: ["web/assets/js/*.js"],
    languageOptions: { globals: { ...globals.browser, ...globals.sharedWorker } },
  },
  {
    files: ["**/*.mjs"],
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
  },
  {
    rules: {
      eqeqeq: "error",
      "no-shadow": "error",
      "no-unused-vars": ["error", { argsIgnorePattern: "^_" }],
      "max-lines": ["error", 400],
      "max-len": ["error", { code: 100, tabWidth: 2 }],
      "prefer-const": "error",
    },
  },
];
