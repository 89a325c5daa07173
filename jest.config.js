/** Unit and server tests; run through ./test, which sets NODE_OPTIONS=--experimental-vm-modules. */
const common = {
  rootDir: '.',
  testEnvironment: 'node',
  setupFilesAfterEnv: ['<rootDir>/scripts/jest-limits.mjs'],
  extensionsToTreatAsEsm: ['.ts'],
  moduleNameMapper: {
    '^@amber-knit/core/(.*)$': '<rootDir>/packages/core/src/$1/index.ts',
    '^@amber-knit/(operations|contracts|threads|device-protocol|planning|origins|recipes)$':
      '<rootDir>/packages/$1/src/index.ts',
    '^@amber-knit/operations/(quantity-text|operation-ids|taking-away|numbers-in-list)$':
      '<rootDir>/packages/operations/src/$1.ts',
    '^@amber-knit/demo$': '<rootDir>/demo/src/index.ts',
    '^(\\.{1,2}/.*)\\.js$': '$1',
  },
  transform: {
    '^.+\\.ts$': [
      '<rootDir>/scripts/jest-transform.mjs',
      {
        jsc: {
          parser: { syntax: 'typescript', decorators: true },
          transform: { legacyDecorator: true, decoratorMetadata: true },
          target: 'es2022',
        },
        module: { type: 'es6' },
      },
    ],
  },
  modulePathIgnorePatterns: ['<rootDir>/.*/dist/'],
};

/** The same, for files with JSX. */
function componentsOf({ '^.+\\.ts$': [, { jsc, ...rest }] }) {
  const parser = { ...jsc.parser, tsx: true };
  return { ...rest, jsc: { ...jsc, parser, transform: { ...jsc.transform, react: { runtime: 'automatic' } } } };
}

export default {
  projects: [
    {
      ...common,
      displayName: 'unit',
      testMatch: [
        '<rootDir>/{packages,demo,bench}/**/*.test.ts',
        '<rootDir>/apps/{cli,devices,web}/**/*.test.ts',
        '<rootDir>/scripts/*.test.mjs',
      ],
    },
    {
      ...common,
      displayName: 'components',
      testEnvironment: '<rootDir>/scripts/jest-dom.mjs',
      extensionsToTreatAsEsm: ['.ts', '.tsx'],
      transform: { '^.+\\.tsx?$': ['<rootDir>/scripts/jest-transform.mjs', componentsOf(common.transform)] },
      testMatch: ['<rootDir>/apps/web/**/*.test.tsx'],
    },
    { ...common, displayName: 'server', testMatch: ['<rootDir>/apps/server/**/*.spec.ts'] },
  ],
};
