<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, toRef, watch } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useCells } from '@/stations/read/useCells'

/** The supplied cells behind one field in the rows shown, to be corrected here. */
const props = defineProps<{ id: number; rows: number[]; columns: string[]; headers: string[] }>()
const emit = defineEmits<{ corrected: [] }>()
const id = toRef(props, 'id')
const { correct } = useCells(id)
const { data, error } = useQuery({
  queryKey: ['rows', id, 'numbers', toRef(props, 'rows')],
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/rows', {
        params: { path: { import_id: props.id }, query: { number: props.rows } },
      }),
    ),
})
const shown = computed(() => (data.value?.rows ?? []) as Schemas['SheetRow'][])
const draft = ref<Record<string, string>>({})
watch(data, () => (draft.value = {}))
const key = (row: number, column: string) => `${row}\0${column}`
const supplied = (row: Schemas['SheetRow'], column: string) => row[2][props.headers.indexOf(column)] ?? ''
const changes = computed(() =>
  shown.value.flatMap((row) =>
    props.columns
      .map((column) => ({ row: row[0], column, value: draft.value[key(row[0], column)] ?? supplied(row, column) }))
      .filter((cell) => cell.value !== supplied(row, cell.column)),
  ),
)

async function keep() {
  await correct.mutateAsync(changes.value)
  emit('corrected')
}
</script>

<template>
  <form v-if="columns.length && shown.length" class="cells" @submit.prevent="keep">
    <p class="slate small mb-1">Correct the rows shown; the original stays as it is.</p>
    <div v-for="row in shown" :key="row[0]" class="row-cells">
      <span class="slate">row {{ row[0].toLocaleString('en') }}</span>
      <span class="inputs">
        <BFormInput
          v-for="column in columns"
          :key="column"
          size="sm"
          class="mono"
          :aria-label="`${column} of row ${row[0]}`"
          :title="column"
          :model-value="draft[key(row[0], column)] ?? supplied(row, column)"
          @update:model-value="draft[key(row[0], column)] = String($event ?? '')"
        />
      </span>
    </div>
    <BButton v-if="changes.length" type="submit" size="sm" variant="primary" :disabled="correct.isPending.value"
      >Correct and check again</BButton
    >
    <ProblemNote :error="error ?? correct.error.value" />
  </form>
</template>

<style scoped>
.cells {
  margin: 8px 0;
}
.row-cells {
  display: grid;
  grid-template-columns: 70px minmax(0, 1fr);
  align-items: center;
  margin-bottom: 3px;
}
.inputs {
  display: flex;
  gap: 4px;
}
.inputs :deep(input) {
  padding: 1px 6px;
}
</style>
