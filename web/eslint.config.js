import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";
import effects from "./lint/effects.js";

export default ts.config(
  { ignores: ["dist", "src/data/schema.d.ts", "*.config.*", "lint"] },
  js.configs.recommended,
  ...ts.configs.strict,
  hooks.configs.flat["recommended-latest"],
  { rules: { "@typescript-eslint/no-non-null-assertion": "error" } },
  {
    // A promise that nobody waits for says its failure to somebody.
    files: ["src/**/*.ts", "src/**/*.tsx"],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { lantern: { rules: { effects } } },
    rules: { "@typescript-eslint/no-floating-promises": ["error", { ignoreVoid: false }], "lantern/effects": "error" },
  },
);
