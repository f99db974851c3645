import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["**/static/vendor/**", "tests/browser/vendor/**", ".venv/**", ".work/**"] },
  js.configs.recommended,
  {
    files: ["galena/**/*.js"],
    languageOptions: { globals: { ...globals.browser, ...globals.audioWorklet, htmx: "readonly" } },
    rules: {
      "eqeqeq": "error",
      "no-implicit-globals": "error",
      "no-shadow": "error",
      "no-var": "error",
      "object-shorthand": "error",
      "prefer-const": "error",
    },
  },
  { files: ["tests/js/**/*.js", "*.js"], languageOptions: { globals: globals.node } },
];
