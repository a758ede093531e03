/** What may import what in the page: nothing in a circle; screens know parts, parts know no screen. */
const screens = ['sign-in', 'board', 'ticket', 'slips', 'people', 'proofs', 'bench']
module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'parts-know-no-screen',
      severity: 'error',
      from: { path: '^src/(parts|api|theme)/' },
      to: { path: `^src/(app|${screens.join('|')})/` },
    },
    ...screens.map((name) => ({
      name: `${name}-knows-no-other-screen`,
      severity: 'error',
      from: { path: `^src/${name}/` },
      to: { path: `^src/(${screens.filter((one) => one !== name).join('|')})/` },
    })),
    { name: 'no-orphans', severity: 'error', from: { orphan: true, pathNot: '(\\.d\\.ts|noRipple\\.ts|testing(-setup)?\\.ts|main\\.ts)$' }, to: {} },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
  },
}
