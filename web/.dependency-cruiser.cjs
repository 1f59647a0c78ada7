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
