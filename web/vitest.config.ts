import { mergeConfig } from 'vite'
import { defineConfig } from 'vitest/config'
import base from './vite.config.ts'

export default mergeConfig(
  base,
  defineConfig({
    test: {
      // One document and one set of modules for all files; each test leaves them as it found them (testing/).
      environment: './src/testing/environment.ts',
      isolate: false,
      include: ['src/**/*.test.ts'],
      setupFiles: ['src/testing/server.ts'],
      coverage: { include: ['src/**/*.{ts,vue}'], exclude: ['src/testing/**', 'src/api/schema.d.ts'] },
    },
  }),
)
