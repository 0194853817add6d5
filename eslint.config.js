import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    files: ["**/*.js"],
    languageOptions: { ecmaVersion: 2023, sourceType: "module", globals: { ...globals.browser, htmx: "readonly", Idiomorph: "readonly" } },
    rules: {
      "no-unused-vars": ["error", { argsIgnorePattern: "^_", caughtErrors: "none", ignoreRestSiblings: true }],
      "no-var": "error",
      "prefer-const": ["error", { destructuring: "all" }],
      eqeqeq: "error",
      "no-eval": "error",
      "no-implied-eval": "error",
      "no-shadow": "error",
      "no-import-assign": "error",
      "max-lines-per-function": ["error", { max: 50, skipBlankLines: true, skipComments: true }],
      "max-lines": ["error", { max: 400, skipBlankLines: true, skipComments: true }],
    },
  },
  { files: ["**/*_worklet.js"], languageOptions: { globals: globals.audioWorklet } },
  { files: ["**/local_state.js", "**/tape_worklet.js"], languageOptions: { sourceType: "script" } },
];
