import { fileURLToPath } from 'node:url'

import vue from '@vitejs/plugin-vue'
import type { Plugin } from 'vite'
import { defineConfig } from 'vitest/config'

/**
 * PrimeVue keeps its styles as text in scripts, where no minifier sees them, with the tokens of a dark look that the
 * page does not have.
 */
const tightStyles: Plugin = {
  name: 'tight-styles',
  apply: 'build',
  transform(code, id) {
    if (id.includes('@primeuix/styles/')) return { code: code.replace(/\\n\s*|\n\s+/g, ' '), map: null }
    if (id.includes('@primeuix/themes/dist/aura/')) return { code: withoutDark(code), map: null }
    return undefined
  },
}

function withoutDark(code: string): string {
  for (let from = code.indexOf('dark:{'); from >= 0; from = code.indexOf('dark:{', from)) {
    let end = from + 'dark:{'.length
    for (let depth = 1; depth && end < code.length; end += 1) {
      if (code[end] === '{') depth += 1
      else if (code[end] === '}') depth -= 1
    }
    // a token's own braces stand in pairs inside its text
    code = code.slice(0, from) + code.slice(code[end] === ',' ? end + 1 : end)
  }
  return code
}

export default defineConfig({
  plugins: [vue(), tightStyles],
  resolve: { alias: { 'primevue/ripple': fileURLToPath(new URL('src/theme/noRipple.ts', import.meta.url)) } },
  build: { target: 'es2022', chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8420', ws: true } } },
  // one page for all files of tests: a page of its own for each took four times as long
  test: {
    environment: 'jsdom', pool: 'threads', isolate: false, include: ['src/**/*.test.ts'], setupFiles: ['src/testing-setup.ts'],
    // the first test of a file waits for what it imports, on a busy machine for long
    testTimeout: 30_000,
  },
})
