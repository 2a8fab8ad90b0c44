import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api"] },
  ...tseslint.configs.strict,
  hooks.configs.flat.recommended,
);
