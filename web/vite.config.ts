import { svelte } from '@sveltejs/vite-plugin-svelte'
import tailwindcss from '@tailwindcss/vite'
import { svelteTesting } from '@testing-library/svelte/vite'
import { defineConfig } from 'vitest/config'

export default defineConfig(({ command }) => ({
  plugins: [svelte(), tailwindcss(), svelteTesting()],
  base: command === 'build' ? '/static/' : '/',
  resolve: { alias: { $lib: '/src/lib' } },
  build: { chunkSizeWarningLimit: 1600 },
  server: { proxy: { '/api': 'http://127.0.0.1:8000' } },
  test: { include: ['src/**/*.test.ts'], environment: 'happy-dom' },
}))
