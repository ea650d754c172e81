import tailwindcss from '@tailwindcss/vite'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue(), tailwindcss()],
  // The content security policy allows no fonts or pictures inlined as data.
  build: { assetsInlineLimit: 0, target: 'es2022' },
  server: { proxy: { '/api': 'http://127.0.0.1:8800' } },
  // One page for all files: a new one for each takes ten times as long as the tests.
  test: { environment: 'happy-dom', include: ['src/**/*.test.ts'], isolate: false },
})
