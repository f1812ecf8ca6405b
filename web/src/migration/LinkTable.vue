<script setup lang="ts">
import { computed } from 'vue'
import type { Board } from '@/migration/useMigration'
import { number } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** Every link of a migration: whom it means, by what, and how many were found where. */
const props = defineProps<{ board: Board }>()
const names = computed(() => new Map(props.board.cards.map((card) => [card.import_id, card.name])))
const rows = computed(() =>
  props.board.lines.map((line) => ({
    ...line,
    key: `${line.import_id} ${line.path} ${line.to_import}`,
    from: names.value.get(line.import_id) ?? '',
    whom: line.to_import === null ? `${line.to_type} on the site` : (names.value.get(line.to_import) ?? ''),
  })),
)
</script>

<template>
  <table class="links" aria-label="Links">
    <thead>
      <tr>
        <th scope="col">Records</th>
        <th scope="col">Field</th>
        <th scope="col">Means</th>
        <th scope="col">By</th>
        <th scope="col" class="end">Found</th>
        <th scope="col" class="end">To be brought</th>
        <th scope="col" class="end">Nowhere</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.key">
        <td>{{ row.from }}</td>
        <td>
          <RouterLink :to="`/imports/${row.import_id}/map?field=${encodeURIComponent(row.path)}`">{{
            row.title
          }}</RouterLink>
        </td>
        <td>{{ row.whom }}<span v-if="row.later" class="slate">, by a second pass: both need each other</span></td>
        <td>{{ row.by.join(' and ') }}</td>
        <template v-if="row.counted || row.found || row.awaited || row.missing">
          <td class="end mono">{{ number(row.found) }}</td>
          <td class="end mono">{{ number(row.awaited) }}</td>
          <td class="end mono" :class="{ brick: row.missing }">
            <StateMark v-if="row.missing" state="held" /> {{ number(row.missing) }}
          </td>
        </template>
        <td v-else colspan="3" class="slate end">not counted before it is checked</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.links {
  width: 100%;
}
th,
td {
  padding: 5px 10px;
  border-bottom: 1px solid var(--rule-faint);
  text-align: left;
}
th {
  color: var(--slate-text);
  font-weight: 400;
}
.end {
  text-align: right;
}
</style>
