/** The one-way directions of docs/architecture.md, as failing checks. */
const core = (name) => `^packages/core/src/(${name})/`;
const only = (name, from, allowed) => ({
  name,
  severity: 'error',
  from: { path: from, pathNot: '\\.(test|spec)\\.ts$' },
  to: { path: '^(packages|apps|demo|bench|e2e)/', pathNot: [from, ...allowed] },
});
module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    only('math-and-runtime-stand-alone', core('math|runtime'), []),
    only('geometry', core('geometry'), [core('math|runtime')]),
    only('spatial', core('spatial'), [core('math|runtime|geometry')]),
    only('bundle', core('bundle'), [core('runtime')]),
    only('io', core('io'), [core('math|runtime|geometry|bundle')]),
    only('pointcloud', core('pointcloud'), [core('math|runtime|geometry|spatial')]),
    only('mesh', core('mesh'), [core('math|runtime|geometry|spatial')]),
    only('registration', core('registration'), [core('math|runtime|geometry|spatial|pointcloud|mesh')]),
    only('fusion', core('fusion'), [core('math|runtime|geometry|spatial|pointcloud|mesh')]),
    only('tracking', core('tracking'), [core('math|runtime|geometry|spatial|fusion')]),
    only('texture', core('texture'), [core('math|runtime|geometry|spatial|pointcloud|mesh|registration|fusion')]),
    only('measure', core('measure'), [core('math|runtime|geometry|spatial|pointcloud|mesh|registration|fusion')]),
    only('tasks', core('tasks'), [core('[a-z]+')]),
    only('threads', '^packages/threads/', ['^packages/core/']),
    only('operations', '^packages/operations/', ['^packages/core/']),
    only('device-protocol', '^packages/device-protocol/', []),
    only('contracts', '^packages/contracts/', ['^packages/operations/', '^packages/core/']),
    only('demo', '^demo/', ['^packages/core/']),
    only('server', '^apps/server/', ['^packages/', '^demo/']),
    only('web', '^apps/web/', ['^packages/(contracts|core|device-protocol)/']),
    only('devices', '^apps/devices/', ['^packages/(core|device-protocol)/', '^demo/']),
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
