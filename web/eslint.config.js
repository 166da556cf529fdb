import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** The folders of src from the ground up; one knows those of the lines below it only. */
const FLOORS = [
  ["api", "ui", "files"],
  ["state", "fit"],
  ["drawing", "feeler", "levelline", "people", "sets"],
  ["seats", "ties"],
  ["stage"],
  ["slip", "history", "ledger"],
  ["gravity", "bench"],
  ["tools"],
  ["trolley"],
  ["commands", "store"],
  ["shell"],
];

const arrows = FLOORS.slice(0, -1).flatMap((folders, floor) =>
  folders.map((folder) => {
    const barred = FLOORS.slice(floor)
      .flat()
      .filter((other) => other !== folder);
    const regex = `^(\\.\\./)+(${barred.join("|")})(/|$)`;
    const patterns = [{ regex, message: "Arrows point down: see FLOORS." }];
    return {
      files: [`src/${folder}/**`],
      // A test may look from above.
      ignores: ["**/*.test.ts"],
      rules: { "no-restricted-imports": ["error", { patterns }] },
    };
  }),
);

export default tseslint.config(
  { ignores: ["src/api/schema.d.ts"] },
  js.configs.recommended,
  ...tseslint.configs.recommendedTypeChecked,
  hooks.configs.flat.recommended,
  {
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      // Tells of packages that a compiler of components cannot handle; there is none here.
      "react-hooks/incompatible-library": "off",
    },
  },
  ...arrows,
);
