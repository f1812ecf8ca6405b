import { mergeConfig } from 'vite'
import { defineConfig } from 'vitest/config'
import base from './vite.config.ts'

// The reporter groups failures by it, and Debian's Node has it not yet: without it nothing is said of a failure.
const maps = Map as unknown as {
  groupBy?: (items: Iterable<unknown>, keyOf: (item: unknown) => unknown) => Map<unknown, unknown[]>
}
maps.groupBy ??= (items, keyOf) => {
  const found = new Map<unknown, unknown[]>()
  for (const item of items) found.set(keyOf(item), [...(found.get(keyOf(item)) ?? []), item])
  return found
}

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
