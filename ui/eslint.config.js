import vue from "eslint-plugin-vue";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "src/api/generated.ts"] },
  ...ts.configs.recommended,
  ...vue.configs["flat/essential"],
  {
    files: ["**/*.vue"],
    languageOptions: { parserOptions: { parser: ts.parser } },
  },
  {
    files: ["src/**/*.{ts,vue}"],
    rules: {
      "vue/multi-word-component-names": "off", // our names are the field's nouns
      "no-console": "error", // a message belongs beside the thing it is about
      "no-undef": "off", // the type checker knows better
    },
  },
  {
    // three.js stays behind the viewport, so that the rest can be tested without it
    files: ["src/{api,stores,components,steps,lib,pages}/**/*.{ts,vue}"],
    rules: { "no-restricted-imports": ["error", { paths: ["three", "camera-controls"] }] },
  },
);
