import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [svelte(), tailwindcss()],
  build: { target: 'es2022', chunkSizeWarningLimit: 900, assetsInlineLimit: 0 },
  // A machine that does much else beside makes a test wait, not fail.
  test: { testTimeout: 30_000 },
  server: { proxy: { '/api': 'http://127.0.0.1:8420' } }
});
