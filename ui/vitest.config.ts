import { svelteTesting } from '@testing-library/svelte/vite';
import { mergeConfig } from 'vite';
import { defineConfig } from 'vitest/config';
import app from './vite.config';

// Tests of components need a document and what clears it away after each.
const components = [
  'src/common/aged.test.ts',
  'src/common/controls.test.ts',
  'src/common/guarded.test.ts',
  'src/common/value-field.test.ts',
  'src/shell/shortcuts.test.ts'
];

export default mergeConfig(
  app,
  defineConfig({
    test: {
      // A test may wait long on a machine that is busy with other work.
      testTimeout: 30_000,
      projects: [
        { extends: true, test: { name: 'units', exclude: components, include: ['src/**/*.test.ts'], pool: 'threads' } },
        {
          extends: true,
          plugins: [svelteTesting()],
          test: { name: 'components', include: components, environment: 'happy-dom' }
        }
      ]
    }
  })
);
