<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { counted, number, shown } from '@/parts/format'
import { nothingChanges } from '@/workbench/summaries'

/** Which fields change in how many of the records that are on the site, and from what to what most often. */
defineProps<{
  changes: Schemas['FieldChange'][]
  counts: Record<string, number>
  titles: Record<string, string>
  chosen: string | undefined
}>()
const emit = defineEmits<{ choose: [string] }>()
</script>

<template>
  <ul v-if="changes.length" class="changes">
    <li v-for="change in changes" :key="change.field" :class="{ chosen: change.field === chosen }">
      <button
        type="button"
        class="visually-plain"
        :aria-pressed="change.field === chosen"
        @click="emit('choose', change.field)"
      >
        <span class="petrol">{{ titles[change.field] ?? change.field }}</span>
        <span>in {{ counted(change.records, 'record') }}</span>
      </button>
      <div
        v-for="[before, after, count] in change.examples.slice(0, 2)"
        :key="`${before}→${after}`"
        class="mono example"
        :title="`${shown(before)} → ${shown(after)}`"
      >
        <span class="clip"
          ><span class="slate">{{ shown(before) }}</span> → {{ shown(after) }}</span
        ><span class="slate">{{ number(Number(count)) }}</span>
      </div>
    </li>
  </ul>
  <p v-else class="slate mb-0">{{ nothingChanges(counts) }}</p>
</template>

<style scoped>
.changes {
  margin: 0;
  padding: 0;
  list-style: none;
}
.changes li {
  margin: 0 -6px;
  padding: 4px 6px;
  border-bottom: 1px solid var(--rule-faint);
}
.changes li.chosen {
  background: var(--petrol-tint);
}
.changes button,
.example {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  width: 100%;
}
.changes button:hover .petrol {
  text-decoration: underline;
}
</style>
