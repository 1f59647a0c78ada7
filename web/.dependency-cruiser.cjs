/** Arrows of the browser's code: no circle, and the editor stands by itself. */
module.exports = {
  forbidden: [
    {
      name: "no-circle",
      severity: "error",
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ["type-only"] } },
    },
    {
      // Tools and gestures name the type of the editor that holds them; nobody else needs such a ring.
      name: "no-circle-of-types",
      severity: "error",
      from: { pathNot: "^src/editor/" },
      to: { circular: true },
    },
    {
      name: "editor-alone",
      severity: "error",
      from: { path: "^src/editor" },
      to: { path: "^src/(components|panels|api)/", dependencyTypesNot: ["type-only"] },
    },
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.json" },
  },
};
