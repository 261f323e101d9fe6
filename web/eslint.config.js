import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

const OUR_FIELDS = ["Select", "CommitField", "TextField", "NumberField", "FineField", "LengthField", "FileInput"];

export default tseslint.config(
  ...tseslint.configs.recommendedTypeChecked,
  a11y.flatConfigs.recommended,
  {
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: { attributes: false } }],
      "jsx-a11y/label-has-associated-control": ["error", { controlComponents: OUR_FIELDS, depth: 3 }],
      "jsx-a11y/no-autofocus": "off", // where a page or a question is one field, its cursor stands there
      // a separator that is pulled by keys is a widget; a word with a hint is told on focus
      "jsx-a11y/no-noninteractive-tabindex": ["error", { roles: ["separator", "tabpanel", "term"], tags: [] }],
      "jsx-a11y/no-noninteractive-element-interactions": "off", // the divider, once more
    },
  },
  { files: ["src/**/*.test.*"], rules: { "@typescript-eslint/require-await": "off" } },
  { ignores: ["src/api/schema.d.ts"] },
);
