import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

// Rules that read the types, because they find faults that no other check sees.
const faults = {
  '@typescript-eslint/await-thenable': 'error',
  '@typescript-eslint/no-floating-promises': 'error',
  '@typescript-eslint/no-misused-promises': 'error',
  '@typescript-eslint/no-unnecessary-condition': 'error',
  '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
  '@typescript-eslint/no-explicit-any': 'error',
  '@typescript-eslint/only-throw-error': 'error',
  '@typescript-eslint/prefer-promise-reject-errors': 'error',
  '@typescript-eslint/restrict-plus-operands': 'error',
  eqeqeq: ['error', 'always', { null: 'ignore' }],
  'no-fallthrough': 'error',
  'no-self-compare': 'error',
  'no-template-curly-in-string': 'error',
  'no-unreachable-loop': 'error',
  'require-atomic-updates': 'off'
};

export default ts.config(
  { ignores: ['dist/', 'src/api/*.gen.ts', 'eslint.config.js', 'svelte.config.js', '.dependency-cruiser.cjs'] },
  ts.configs.base,
  ...svelte.configs['flat/base'],
  {
    files: ['**/*.ts', '**/*.svelte'],
    languageOptions: {
      globals: globals.browser,
      parserOptions: {
        project: './tsconfig.json',
        tsconfigRootDir: import.meta.dirname,
        extraFileExtensions: ['.svelte']
      }
    },
    linterOptions: { reportUnusedDisableDirectives: 'error' },
    rules: faults
  },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, svelteConfig } },
    rules: {
      'svelte/infinite-reactive-loop': 'error',
      'svelte/no-at-html-tags': 'error',
      'svelte/no-dom-manipulating': 'error',
      'svelte/no-dupe-else-if-blocks': 'error',
      'svelte/no-dupe-style-properties': 'error',
      'svelte/no-dupe-use-directives': 'error',
      'svelte/no-not-function-handler': 'error',
      'svelte/no-object-in-text-mustaches': 'error',
      'svelte/no-reactive-reassign': 'error',
      'svelte/no-unused-svelte-ignore': 'error',
      'svelte/require-each-key': 'error',
      'svelte/valid-each-key': 'error'
    }
  }
);
