import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue()],
  build: { target: 'es2022', chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8420', ws: true } } },
  test: { environment: 'jsdom', include: ['src/**/*.test.ts'] },
})
