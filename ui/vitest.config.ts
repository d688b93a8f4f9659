import { svelteTesting } from '@testing-library/svelte/vite';
import { mergeConfig } from 'vite';
import { defineConfig } from 'vitest/config';
import app from './vite.config';

// A test may wait long on a machine that is busy with other work.
export default mergeConfig(app, defineConfig({ plugins: [svelteTesting()], test: { testTimeout: 30_000 } }));
