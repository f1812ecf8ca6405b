<script setup lang="ts">
import type { Board } from '@/migration/useMigration'
import { bytes, counted, number } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** The pictures and other files of a migration, which the cells of its sheets name. */
defineProps<{ files: NonNullable<Board['files']> }>()
</script>

<template>
  <article class="files" aria-label="Pictures and files">
    <b>Pictures and files</b>
    <span class="mono slate clip" :title="files.came_in.join(', ')"
      >{{ counted(files.files, 'file') }}, {{ bytes(files.size) }}: {{ files.came_in.join(', ') }}</span
    >
    <span v-if="files.amiss"><StateMark state="held" /> {{ number(files.amiss) }} cannot be handed in</span>
    <span v-else class="slate">handed in with the records whose cells name them</span>
  </article>
</template>

<style scoped>
.files {
  display: grid;
  flex: 0 1 400px;
  gap: 2px;
  min-width: 0;
  padding: 6px 10px;
  border: 1px solid var(--rule);
  border-radius: 4px;
}
</style>
