/** The one-way directions of docs/architecture.md, as failing checks. */
const core = (name) => `^packages/core/src/(${name})/`;
const only = (name, from, allowed) => ({
  name,
  severity: 'error',
  from: { path: from, pathNot: '\\.(test|spec)\\.ts$' },
  to: { path: '^(packages|apps|demo|bench|e2e)/', pathNot: [from, ...allowed] },
});
const web = (name) => `^apps/web/src/(${name})/`;
const within = (name, from, allowed) => ({
  name,
  severity: 'error',
  from: { path: from, pathNot: '\\.test\\.tsx?$' },
  to: { path: '^apps/web/src/', pathNot: [from, ...allowed] },
});
module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    only('math-and-runtime-stand-alone', core('math|runtime'), []),
    only('geometry', core('geometry'), [core('math|runtime')]),
    only('spatial', core('spatial'), [core('math|runtime|geometry')]),
    only('bundle', core('bundle'), [core('runtime')]),
    only('stored', core('stored'), [core('math|runtime|geometry|bundle')]),
    only('io', core('io'), [core('math|runtime|geometry|bundle|stored')]),
    only('pointcloud', core('pointcloud'), [core('math|runtime|geometry|spatial')]),
    only('selection', core('selection'), [core('math|runtime|geometry|spatial|pointcloud')]),
    only('mesh', core('mesh'), [core('math|runtime|geometry|spatial')]),
    only('mending', core('mending'), [core('math|runtime|geometry|spatial|mesh')]),
    only('handwork', core('handwork'), [core('math|runtime|geometry|spatial|mesh|mending|selection')]),
    only('remeshing', core('remeshing'), [core('math|runtime|geometry|spatial|mesh')]),
    only('smoothing', core('smoothing'), [core('math|runtime|geometry|spatial|mesh')]),
    only('registration', core('registration'), [core('math|runtime|geometry|spatial|pointcloud|mesh')]),
    only('next-views', core('next-views'), [core('math|runtime|geometry|registration')]),
    only('fusion', core('fusion'), [core('math|runtime|geometry|spatial|pointcloud|mesh')]),
    only('marker-dots', core('marker-dots'), [core('math|runtime|geometry')]),
    only('tracking', core('tracking'), [core('math|runtime|geometry|spatial|fusion|marker-dots')]),
    only('turntable', core('turntable'), [core('math|runtime|geometry|spatial|pointcloud|fusion|tracking')]),
    only('frames', core('frames'), [core('math|runtime|geometry|spatial|pointcloud|registration|tracking')]),
    only('line-laser', core('line-laser'), [core('math|runtime|geometry|spatial|pointcloud|stored')]),
    only('fitting', core('fitting'), [core('math|runtime|geometry|spatial|pointcloud|mesh')]),
    only('unwrapping', core('unwrapping'), [core('math|runtime|geometry|spatial|mesh')]),
    only('texture', core('texture'), [
      core('math|runtime|geometry|spatial|pointcloud|mesh|registration|fusion|unwrapping'),
    ]),
    only('baking', core('baking'), [core('math|runtime|geometry|spatial|mesh|unwrapping')]),
    only('retouching', core('retouching'), [core('math|runtime|geometry|spatial|mesh|unwrapping')]),
    only('pictures', core('pictures'), [core('math|runtime|geometry|mesh')]),
    only('dimensions', core('dimensions'), [core('math|runtime|geometry|spatial|mesh|fitting|measure')]),
    only('comparison', core('comparison'), [
      core('math|runtime|geometry|spatial|pointcloud|mesh|registration|measure'),
    ]),
    only('placing', core('placing'), [core('math|runtime|geometry|spatial|mesh|fitting|measure')]),
    only('measure', core('measure'), [core('math|runtime|geometry|spatial|mesh|fitting')]),
    only('tasks', core('tasks'), [core('[a-z-]+')]),
    only('threads', '^packages/threads/', ['^packages/core/']),
    only('operations', '^packages/operations/', ['^packages/core/']),
    only('device-protocol', '^packages/device-protocol/', []),
    only('origins', '^packages/origins/', []),
    only('planning', '^packages/planning/', ['^packages/device-protocol/']),
    only('recipes', '^packages/recipes/', ['^packages/(operations|planning|core)/']),
    only('contracts', '^packages/contracts/', ['^packages/(operations|device-protocol|planning|recipes|core)/']),
    only('demo', '^demo/', ['^packages/core/']),
    only('server', '^apps/server/', ['^packages/', '^demo/']),
    only('web', '^apps/web/', [
      '^packages/(contracts|core|device-protocol|planning)/',
      // Words and ids, and what is shown beforehand in a worker: all operations else run on the server.
      '^packages/operations/src/(taking-away|quantity-text|operation-ids|numbers-in-list)\\.ts$',
    ]),
    // In the browser part: the base, then the view, then tools that several stages use, then stages, then pages.
    within('web-base', web('api|app|shared'), [web('api|app|shared')]),
    within('web-view', web('view'), [web('api|app|shared')]),
    within('web-tools', web('(selection|incoming|strands|ledger|knit-chart|remarks)'), [web('api|app|shared|view')]),
    {
      name: 'web-tools-do-not-meet',
      severity: 'error',
      from: { path: '^apps/web/src/(selection|incoming|strands|ledger|knit-chart|remarks)/' },
      to: {
        path: '^apps/web/src/(selection|incoming|strands|ledger|knit-chart|remarks)/',
        pathNot: '^apps/web/src/$1/',
      },
    },
    within('web-stages', web('stages'), [
      web('api|app|shared|view|selection|incoming|strands|ledger|knit-chart|remarks'),
    ]),
    {
      name: 'web-stages-do-not-meet',
      severity: 'error',
      from: { path: '^apps/web/src/stages/([a-z-]+)/' },
      to: { path: '^apps/web/src/stages/([a-z-]+)/', pathNot: '^apps/web/src/stages/$1/' },
    },
    {
      name: 'web-pages-do-not-meet',
      severity: 'error',
      from: { path: '^apps/web/src/pages/([a-z-]+)/' },
      to: { path: '^apps/web/src/pages/([a-z-]+)/', pathNot: '^apps/web/src/pages/$1/' },
    },
    {
      name: 'web-pages-know-stages-by-their-list',
      severity: 'error',
      from: { path: '^apps/web/src/pages/' },
      to: { path: '^apps/web/src/stages/[a-z-]+/' },
    },
    only('devices', '^apps/devices/', ['^packages/(core|device-protocol|origins)/', '^demo/']),
    only('cli', '^apps/cli/', ['^packages/']),
    {
      name: 'core-has-no-node-and-no-interface',
      severity: 'error',
      from: { path: '^packages/core/src/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-uses-no-view-library',
      severity: 'error',
      from: { path: '^packages/core/src/', pathNot: '\\.test\\.ts$' },
      to: { path: 'node_modules/(three|react|@nestjs|typeorm|pg)(/|$)' },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)(dist|node_modules)/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.base.json' },
    enhancedResolveOptions: {
      conditionNames: ['source', 'types', 'import', 'default'],
      extensions: ['.ts', '.tsx', '.js'],
      exportsFields: ['exports'],
    },
  },
};
