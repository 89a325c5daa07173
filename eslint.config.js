import js from '@eslint/js';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

export default tseslint.config(
  { ignores: ['**/dist/', '**/node_modules/', '.data/', '.cache/', '**/test-results/'] },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  {
    rules: {
      'no-undef': 'off',
      eqeqeq: 'error',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    },
  },
  {
    // Results must be repeatable: core takes random numbers and time only from its context.
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-properties': [
        'error',
        { object: 'Math', property: 'random', message: 'Use ctx.random().' },
        { object: 'Date', property: 'now', message: 'Core has no clock.' },
        { object: 'performance', property: 'now', message: 'Core has no clock.' },
      ],
    },
  },
  {
    // What an operation is called is known to the catalogue, to recipes and to tests.
    files: ['apps/**/*.{ts,tsx}', 'packages/**/*.ts'],
    ignores: ['packages/operations/src/**', '**/*.{test,spec}.{ts,tsx}', '**/test/**', '**/steps.controller.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: 'Literal[value=/^(capture|clean|register|fuse|mend|texture|check|deliver)\\.[a-z-]+$/]',
          message: 'Take the id from OPERATION_IDS, or find the operation in the catalogue.',
        },
      ],
    },
  },
  {
    files: ['apps/web/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'warn' },
  },
);
