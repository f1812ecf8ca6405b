<script setup lang="ts">
import { computed } from 'vue'
import { number } from '@/parts/format'
import type { Overview } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview }>()
const created = computed(() => props.overview.rehearse?.counts.create ?? 0)
const rows = computed(() => {
  const { rehearse, run, verify, sheet } = props.overview
  const counts = rehearse?.counts ?? {}
  const planned = Object.values(counts).reduce((sum, count) => sum + count, 0)
  const made = Object.values(rehearse?.made ?? {}).reduce((sum, count) => sum + count, 0)
  return [
    ['rows in the sheet', sheet.rows],
    // Where rows and records are not the same, what follows is of records.
    ...(planned === sheet.rows ? [] : [['records that they make', planned]]),
    ...(made ? [['made for links besides', made]] : []),
    ['held, left out or unchanged', (counts.held ?? 0) + (counts['left out'] ?? 0) + (counts.unchanged ?? 0)],
    ['sent', run?.total ?? 0],
    ['taken by the site', run?.done ?? 0],
    ['refused', run?.failed ?? 0],
    ['records on the site before', rehearse?.records_on_site ?? 0],
    ['to be created by the plan', created.value],
    ['records on the site now', verify?.records_on_site ?? 0],
  ] as [string, number][]
})
</script>

<template>
  <table class="counts">
    <tbody>
      <tr v-for="[name, count] in rows" :key="name">
        <th scope="row">{{ name }}</th>
        <td class="mono">{{ number(count) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.counts {
  width: 100%;
}
th {
  font-weight: 400;
}
th,
td {
  padding: 4px 0;
  border-bottom: 1px solid var(--rule-faint);
}
td {
  text-align: right;
}
</style>
