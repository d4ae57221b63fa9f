import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["lazzik/web/static/vendor/**", ".venv/**", "tests/browser/**"] },
  js.configs.recommended,
  {
    languageOptions: {
      ecmaVersion: 2024,
      sourceType: "module",
      globals: { ...globals.browser, Idiomorph: "readonly", MessagePack: "readonly", htmx: "readonly" },
    },
    linterOptions: { reportUnusedDisableDirectives: "error" },
    rules: {
      "array-callback-return": "error",
      complexity: ["error", 20],
      eqeqeq: "error",
      "max-len": ["error", { code: 160, ignoreTemplateLiterals: true }],
      "max-lines-per-function": ["error", { max: 60, skipComments: true }],
      "no-console": "error",
      "no-shadow": "error",
      "no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "no-var": "error",
      "object-shorthand": "error",
      "prefer-const": "error",
      "prefer-template": "off",
    },
  },
  { files: ["tests/scripts/**"], languageOptions: { globals: globals.node } },
];
