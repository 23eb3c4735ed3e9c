import { svelte } from '@sveltejs/vite-plugin-svelte'
import tailwindcss from '@tailwindcss/vite'
import { svelteTesting } from '@testing-library/svelte/vite'
import { defineConfig } from 'vitest/config'

const DRAWN = ['src/**/[A-Z]*.test.ts', 'src/lib/regions.test.ts']

export default defineConfig(({ command }) => ({
  plugins: [svelte(), tailwindcss()],
  base: command === 'build' ? '/static/' : '/',
  resolve: { alias: { $lib: '/src/lib' } },
  build: { chunkSizeWarningLimit: 1600 },
  server: { proxy: { '/api': 'http://127.0.0.1:8000' } },
  test: {
    pool: 'threads',
    testTimeout: 60_000, // a busy machine types a whole rule slowly
    // Only what is drawn needs a page: making one takes ten times as long as most tests.
    projects: [
      {
        extends: true,
        plugins: [svelteTesting()],
        test: { name: 'drawn', include: DRAWN, environment: 'happy-dom' },
      },
      { extends: true, test: { name: 'plain', include: ['src/**/*.test.ts'], exclude: DRAWN } },
    ],
  },
}))
