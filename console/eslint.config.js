import js from "@eslint/js";
import prettier from "eslint-config-prettier";
import vue from "eslint-plugin-vue";
import globals from "globals";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["src/api/schema.d.ts", "public/**"] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...vue.configs["flat/recommended"],
  {
    files: ["**/*.{ts,vue}"],
    languageOptions: {
      globals: globals.browser,
      parserOptions: { parser: ts.parser },
    },
    rules: {
      // The Content-Security-Policy forbids inline styles; what varies is bound, never written into a template.
      "vue/no-static-inline-styles": "error",
      "vue/multi-word-component-names": "off",
      "vue/no-v-html": "error",
    },
  },
  // A test in which something is not there fails right where it is used.
  { files: ["**/*.test.ts"], rules: { "@typescript-eslint/no-non-null-assertion": "off" } },
  prettier,
);
