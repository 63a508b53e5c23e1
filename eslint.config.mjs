import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["brisk_web/ui/static/ui/alpine.js", "brisk_web/ui/static/ui/morph.js", "brisk_web/ui/static/ui/tus.js"] },
  js.configs.recommended,
  {
    files: ["brisk_web/ui/static/ui/app/*.js"],
    languageOptions: { globals: { ...globals.browser, Alpine: "readonly", tus: "readonly" } },
    rules: { "no-var": "error", "prefer-const": "error", eqeqeq: "error", "no-implicit-globals": "error" },
  },
  { files: ["**/*.mjs"], languageOptions: { globals: globals.node } },
];
