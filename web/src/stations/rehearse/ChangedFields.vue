<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'
import { nothingChanges } from '@/workbench/summaries'

defineProps<{
  changes: Schemas['FieldChange'][]
  counts: Record<string, number>
  titles: Record<string, string>
  chosen: string | undefined
}>()
const emit = defineEmits<{ choose: [string] }>()
const shown = (value: unknown) => (value === '' || value == null ? 'blank' : String(value))
</script>

<template>
  <table v-if="changes.length" class="changes">
    <thead>
      <tr>
        <th>Field that changes</th>
        <th>In</th>
        <th>Most often</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="change in changes" :key="change.field" :class="{ chosen: change.field === chosen }">
        <td>
          <button type="button" class="visually-plain petrol" @click="emit('choose', change.field)">
            {{ titles[change.field] ?? change.field }}
          </button>
        </td>
        <td>{{ counted(change.records, 'record') }}</td>
        <td>
          <span
            v-for="[before, after, count] in change.examples.slice(0, 2)"
            :key="`${before}→${after}`"
            class="mono example"
          >
            <span class="slate">{{ shown(before) }}</span> → {{ shown(after) }}
            <span class="slate">({{ number(Number(count)) }})</span>
          </span>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-else class="slate mb-0">{{ nothingChanges(counts) }}</p>
</template>

<style scoped>
.changes th {
  color: var(--slate-text);
  font-size: 0.78rem;
  font-weight: 400;
}
.changes td,
.changes th {
  padding: 3px 22px 3px 0;
}
.changes tr.chosen td {
  background: var(--petrol-tint);
}
.example {
  margin-right: 18px;
}
</style>
