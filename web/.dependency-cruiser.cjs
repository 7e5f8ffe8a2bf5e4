/** Import rules: desks never import each other, shared parts never import desks, nothing is circular. */
module.exports = {
  forbidden: [
    { name: "no-circular", severity: "error", from: {}, to: { circular: true } },
    {
      name: "desks-apart",
      severity: "error",
      from: { path: "^src/desks/([^/]+)/" },
      to: { path: "^src/desks/([^/]+)/", pathNot: "^src/desks/$1/" },
    },
    {
      name: "shared-below-desks",
      severity: "error",
      from: { path: "^src/(api|controls|picture|sheet|shot)/" },
      to: { path: "^src/(desks|projects)/" },
    },
    { name: "controls-know-no-shot", severity: "error", from: { path: "^src/controls/" }, to: { path: "^src/(shot|sheet|picture)/" } },
  ],
  options: { tsConfig: { fileName: "tsconfig.json" }, tsPreCompilationDeps: true, doNotFollow: { path: "node_modules" } },
};
