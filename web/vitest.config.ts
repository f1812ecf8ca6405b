import { mergeConfig } from 'vite'
import { defineConfig } from 'vitest/config'
import base from './vite.config.ts'

export default mergeConfig(
  base,
  defineConfig({
    test: {
      environment: 'happy-dom',
      // One document a worker, not one a file: each file still has modules of its own.
      pool: 'vmThreads',
      include: ['src/**/*.test.ts'],
      setupFiles: ['src/testing/server.ts'],
      coverage: { include: ['src/**/*.{ts,vue}'], exclude: ['src/testing/**', 'src/api/schema.d.ts'] },
    },
  }),
)
