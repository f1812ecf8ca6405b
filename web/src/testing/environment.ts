import { builtinEnvironments, type Environment } from 'vitest/runtime'

const { 'happy-dom': happy } = builtinEnvironments
const world = globalThis as { hasDocument?: boolean }

/** One document for all the tests of a worker: its modules are shared too, and hold on to the document they found. */
export default {
  ...happy,
  name: 'one-document',
  async setup(global, options) {
    if (!world.hasDocument) await happy.setup(global, options)
    world.hasDocument = true
    return { teardown: () => undefined }
  },
} satisfies Environment
