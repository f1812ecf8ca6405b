<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { answer, api } from '@/api/client'
import { number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'

/** The sheet as records: what a record has by itself once, and below each other what it holds several of. */
const props = defineProps<{ id: number; shapes: unknown }>()
const COUNT = 40
const first = ref(0)
watch(
  () => [props.id, JSON.stringify(props.shapes)],
  () => (first.value = 0),
)
const { data: page, error } = useQuery({
  queryKey: ['rows', computed(() => props.id), 'records', first, computed(() => JSON.stringify(props.shapes))],
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/records', {
        params: { path: { import_id: props.id }, query: { first: first.value, count: COUNT } },
      }),
    ),
  placeholderData: keepPreviousData,
})
const lists = computed(() => Object.entries(page.value?.lists ?? {}))
const last = computed(() => Math.min(first.value + COUNT, page.value?.total ?? 0))
</script>

<template>
  <div class="frame records">
    <ProblemNote :error="error" />
    <div class="scroll" tabindex="0" role="region" aria-label="Records">
      <table v-if="page" class="mono">
        <thead>
          <tr>
            <th scope="col">Row</th>
            <th v-for="name in page.columns" :key="name" scope="col">{{ name }}</th>
          </tr>
        </thead>
        <tbody v-for="record in page.records" :key="record.number">
          <tr class="record">
            <th scope="row">{{ number(record.row) }}</th>
            <td v-for="(name, at) in page.columns" :key="name" class="clip">
              <span v-if="!at && record.deep" class="slate">{{ '· '.repeat(record.deep) }}</span>{{
                record.cells[at] ?? ''
              }}
            </td>
          </tr>
          <tr v-for="[path, columns] in lists" :key="path" class="within">
            <th scope="row" class="clip">{{ number(record.lists[path]?.length ?? 0) }}</th>
            <td :colspan="page.columns.length">
              <div
                class="list"
                :style="{ gridTemplateColumns: `repeat(${columns.length}, minmax(70px, max-content))` }"
              >
                <small v-for="name in columns" :key="name" class="slate">{{ name }}</small>
                <template v-for="(cells, line) in record.lists[path] ?? []" :key="line">
                  <span v-for="(cell, at) in cells" :key="at" class="clip">{{ cell ?? '' }}</span>
                </template>
                <span v-if="!record.lists[path]?.length" class="brick">no {{ path.replaceAll('_', ' ') }}</span>
              </div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="page" class="walk slate">
      <button
        type="button"
        class="visually-plain"
        aria-label="Earlier records"
        :disabled="first === 0"
        @click="first = Math.max(0, first - COUNT)"
      >
        ‹
      </button>
      {{ page.total ? number(first + 1) : 0 }}–{{ number(last) }} of {{ number(page.total) }}
      <button
        type="button"
        class="visually-plain"
        aria-label="Later records"
        :disabled="last >= page.total"
        @click="first += COUNT"
      >
        ›
      </button>
    </p>
  </div>
</template>

<style scoped>
.records {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--sheet);
}
.scroll {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
table {
  border-collapse: separate;
  border-spacing: 0;
}
th,
td {
  max-width: 220px;
  padding: 2px 10px;
  white-space: nowrap;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--bs-body-bg);
  border-bottom: 1px solid var(--rule);
  font-weight: 600;
}
tbody th {
  color: var(--slate-text);
  font-weight: 400;
  text-align: right;
}
tr.record > * {
  border-top: 1px solid var(--rule);
}
.within > * {
  padding-top: 0;
  padding-bottom: 5px;
  max-width: none;
}
.within > th {
  vertical-align: top;
}
.list {
  display: grid;
  gap: 0 18px;
  padding-left: 12px;
  border-left: 2px solid var(--rule);
}
.list > * {
  max-width: 260px;
}
.walk {
  margin: 0;
  padding: 4px 18px;
  border-top: 1px solid var(--rule-faint);
  text-align: right;
}
.walk button:disabled {
  opacity: 0.35;
}
</style>
