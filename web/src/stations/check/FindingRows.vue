<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, toRef, watch } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useFindings, type Group } from '@/stations/check/useFindings'

/** All rows of one finding, some at a time: their cells to be corrected on the spot, and any of them to be left out. */
const props = defineProps<{ id: number; group: Group; columns: string[]; sheets: Schemas['SheetState'][] }>()
const emit = defineEmits<{ changed: [] }>()
const STEP = 12
const MOST = 100
const id = toRef(props, 'id')
const { correct, leaveOut } = useFindings(id)
const wanted = ref(STEP)
const ticked = ref<number[]>([])
const draft = ref<Record<string, string>>({})
const asked = computed(() => ({ field: props.group.field, rule: props.group.rule, count: wanted.value }))
const { data: found, error } = useQuery({
  queryKey: ['finding rows', id, asked, toRef(() => props.group)],
  placeholderData: keepPreviousData,
  queryFn: async () => {
    const path = { import_id: props.id }
    const { total, rows } = await answer(
      api.GET('/api/imports/{import_id}/findings/rows', { params: { path, query: asked.value } }),
    )
    const supplied = props.sheets.map(async ({ role, headers }) => {
      const number = rows.filter((one) => one.sheet === role).map((one) => one.row)
      if (!number.length) return []
      const query = { number, sheet: role }
      const found = await answer(api.GET('/api/imports/{import_id}/rows', { params: { path, query } }))
      return (found.rows as Schemas['SheetRow'][]).map((row) => ({ role, headers, row }))
    })
    return { total, rows: (await Promise.all(supplied)).flat() }
  },
})
watch(
  () => `${props.group.field}/${props.group.rule}`,
  () => {
    wanted.value = STEP
    ticked.value = []
    draft.value = {}
  },
)
const rows = computed(() => found.value?.rows ?? [])
const more = computed(() => Math.min(found.value?.total ?? 0, MOST) - rows.value.length)
/** A row with the sheet that it is of. */
type Placed = { role: string; headers: string[]; row: Schemas['SheetRow'] }
const name = ({ role, row }: Placed) => `${number(row[0])}${role && ` of ${role}`}`
const key = (placed: Placed, column: string) => `${name(placed)}\0${column}`
const supplied = ({ row, headers }: Placed, column: string) => row[2][headers.indexOf(column)] ?? ''
const columnsOf = ({ headers }: Placed) => props.columns.filter((column) => headers.includes(column))
const changes = computed(() =>
  rows.value.flatMap((placed) =>
    columnsOf(placed)
      .map((column) => ({ placed, column, value: draft.value[key(placed, column)] ?? supplied(placed, column) }))
      .filter((cell) => cell.value !== supplied(placed, cell.column)),
  ),
)

async function keep() {
  const sheets = new Set(changes.value.map(({ placed }) => placed.role))
  for (const sheet of sheets) {
    const ofSheet = changes.value.filter(({ placed }) => placed.role === sheet)
    const cells = ofSheet.map(({ placed, column, value }) => ({ row: placed.row[0], column, value }))
    await correct.mutateAsync({ cells, sheet })
  }
  draft.value = {}
  emit('changed')
}
async function leave() {
  await leaveOut.mutateAsync({ rows: ticked.value })
  ticked.value = []
  emit('changed')
}
</script>

<template>
  <form v-if="rows.length" class="cells" @submit.prevent="keep">
    <p class="slate small mb-1">
      {{ columns.length ? 'Correct cells here; the original stays as it is. ' : '' }}Tick rows to leave them out.
    </p>
    <div v-for="one in rows" :key="name(one)" class="row-cells">
      <label
        ><input v-if="!one.role" v-model="ticked" type="checkbox" :value="one.row[0]" />
        <span class="slate" :title="name(one)">row {{ name(one) }}</span>
        <span v-if="one.row[4]" class="slate small"> out</span></label
      >
      <span class="inputs">
        <BFormInput
          v-for="column in columnsOf(one)"
          :key="column"
          size="sm"
          class="mono"
          :aria-label="`${column} of row ${name(one)}`"
          :title="column"
          :model-value="draft[key(one, column)] ?? supplied(one, column)"
          @update:model-value="draft[key(one, column)] = String($event ?? '')"
        />
      </span>
    </div>
    <BButton v-if="more > 0" variant="link" size="sm" class="p-0" @click="wanted = rows.length + more"
      >Show {{ number(more) }} more</BButton
    >
    <p v-else-if="(found?.total ?? 0) > MOST" class="slate small mb-1">
      These are the first {{ number(MOST) }} of {{ counted(found?.total ?? 0, 'row') }}; correct more in the spreadsheet
      of held rows.
    </p>
    <div class="actions">
      <BButton v-if="changes.length" type="submit" size="sm" variant="primary" :disabled="correct.isPending.value"
        >Correct {{ counted(changes.length, 'cell') }} and check again</BButton
      >
      <BButton
        v-if="ticked.length"
        size="sm"
        variant="outline-primary"
        :disabled="leaveOut.isPending.value"
        @click="leave"
        >Leave {{ counted(ticked.length, 'row') }} out</BButton
      >
    </div>
    <ProblemNote :error="error ?? correct.error.value ?? leaveOut.error.value" />
  </form>
</template>

<style scoped>
.cells {
  margin: 8px 0;
}
.row-cells {
  display: grid;
  grid-template-columns: 100px minmax(0, 1fr);
  align-items: center;
  min-height: 24px;
  margin-bottom: 3px;
}
.inputs {
  display: flex;
  gap: 4px;
}
.inputs :deep(input) {
  padding: 1px 6px;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 6px;
}
</style>
