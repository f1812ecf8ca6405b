<script setup lang="ts">
import StationFooter from '@/parts/StationFooter.vue'
import { BButton } from 'bootstrap-vue-next'
import { computed, nextTick, provide, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router'
import { formulaPlace } from '@/formula/useFormula'
import LedgerTable from '@/ledger/LedgerTable.vue'
import RecordChooser from '@/ledger/RecordChooser.vue'
import { useLedger, type Question } from '@/ledger/useLedger'
import { useRecords } from '@/ledger/useRecords'
import { counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import ColumnTray from '@/stations/map/ColumnTray.vue'
import FieldInspector from '@/stations/map/FieldInspector.vue'
import MapNotes from '@/stations/map/MapNotes.vue'
import MappingMenu from '@/stations/map/MappingMenu.vue'
import NewFieldDialog from '@/stations/map/NewFieldDialog.vue'
import { useShape } from '@/stations/read/useShape'
import { useMapKeys } from '@/stations/map/useMapKeys'
import { keysOf, mayBeLonger } from '@/stations/map/keys'
import { useMapping, type FieldMapping, type Mapping } from '@/stations/map/useMapping'
import { useActions, type Overview } from '@/workbench/useImport'
import { useOnward } from '@/workbench/useOnward'

const props = defineProps<{ overview: Overview }>()
const id = computed(() => props.overview.id)
const { mayEdit, mayAdminister } = useSession()
const route = useRoute()
const router = useRouter()
const onward = useOnward()
const mapping = useMapping(id)
const { check } = useActions(id)
const { view: shape } = useShape(id)

const selected = computed(() => (typeof route.query.field === 'string' ? route.query.field : null))
const field = computed(() => mapping.view.value?.fields.find((one) => one.path === selected.value))
const total = ref(props.overview.sheet.rows)
const records = useRecords(
  'telling',
  total,
  computed(() => !!field.value),
)
const question = computed<Question>(() => ({
  ...records.question.value,
  station: 'map',
  mapping: mapping.draft.value ?? undefined,
}))
const { data: ledger, error } = useLedger(id, question)
watch(ledger, (now) => (total.value = now?.total ?? 0))
const leavesOut = computed(() => !!props.overview.check?.left_out || !!mapping.draft.value?.rows)
const choices = computed(() => [
  { value: 'telling', text: 'one of each case' },
  { value: 'first', text: 'first' },
  { value: 'random', text: 'random' },
  { value: 'held', text: props.overview.check ? `held (${number(props.overview.check.held)})` : 'held (check first)' },
  ...(leavesOut.value ? [{ value: 'left out', text: 'left out' }] : []),
  ...(records.records.value === 'search' ? [{ value: 'search', text: 'found' }] : []),
])
const longer = computed(
  () => !!mapping.draft.value && mayBeLonger(keysOf(mapping.draft.value), mapping.view.value?.fields ?? []),
)
const inspector = ref<InstanceType<typeof FieldInspector> | null>(null)
const feedError = ref<Error | null>(null)
/** The column that is to be a field of the site’s. */
const toMake = ref('')

const toSettle = computed(() => {
  const lines = ledger.value?.lines ?? []
  const fields = lines
    .filter((line) => line.fill?.held || line.cells.some((cell) => cell.mark === 'held'))
    .map((line) => line.path)
  const unfed = props.overview.map.required_unfed.filter((path) => !mapping.draft.value?.fields?.[path])
  return [...new Set([...unfed, ...fields])]
})

function select(path: string | null) {
  void router.replace({ query: { ...route.query, field: path ?? undefined } })
}
async function enter(path: string) {
  select(path)
  await nextTick()
  if (mayEdit.value) inspector.value?.pick()
}
async function feed(path: string, columns: string[]) {
  feedError.value = null
  try {
    await mapping.feed(path, columns)
  } catch (caught) {
    feedError.value = caught as Error
  }
}
function next() {
  const at = toSettle.value.indexOf(selected.value ?? '')
  const path = toSettle.value[(at + 1) % Math.max(toSettle.value.length, 1)]
  if (path) select(path)
}
function checkRows() {
  return onward(
    async () => {
      await mapping.save()
      await check.mutateAsync()
    },
    () => `/imports/${id.value}/check`,
  )
}
function find(text: string) {
  if (text) records.show({ records: 'search', search: text })
  else records.show({ records: undefined, search: undefined })
}

function leaveFirstOut() {
  const first = mapping.unplaced.value[0]
  if (first) mapping.leaveOut(first.name)
}
function setTables(tables: Mapping['tables'], fed: FieldMapping | null) {
  const fields = { ...mapping.draft.value?.fields }
  if (fed && field.value) fields[field.value.path] = fed
  mapping.change({ tables, fields })
}

useMapKeys(
  { '.': next, Escape: () => select(null) },
  {
    x: leaveFirstOut,
    s: () => inspector.value?.addStep(),
    f: () => inspector.value?.addFormula(),
    v: () => inspector.value?.valueTable(),
    l: () => inspector.value?.link(),
  },
  () => mayEdit.value,
  mapping,
)
provide(formulaPlace, {
  id,
  // A formula of the record names what its lists hold behind their paths.
  columns: computed(() =>
    (mapping.view.value?.columns ?? []).map((column) =>
      column.in_list && !field.value?.in_list ? `${column.in_list}.${column.name}` : column.name,
    ),
  ),
  rows: computed(() => (ledger.value?.records ?? []).map((record) => record.row)),
  inList: computed(() => field.value?.in_list ?? null),
  whole: mapping.draft,
})
onBeforeRouteLeave(() => mapping.save())
</script>

<template>
  <main class="map" :class="{ beside: field }">
    <MapNotes
      v-if="mapping.draft.value"
      :id="id"
      :drift="overview.map.missing.length ? overview.map.drift : null"
      :mapping="mapping.draft.value"
      :fields="mapping.view.value?.fields ?? []"
      :keys="mapping.view.value?.key_candidates ?? []"
      :conflict="mapping.conflict.value"
      :disabled="!mayEdit"
      @change="mapping.change"
      @settle="mapping.settle"
    />
    <LedgerTable
      v-if="ledger"
      :id="id"
      :ledger="ledger"
      :question="question"
      station="map"
      :mapping="mapping.draft.value?.fields"
      :selected="selected"
      @line="records.line.value = $event"
      @select="select"
      @enter="enter"
    >
      <template #chooser>
        <RecordChooser
          :model-value="records.records.value"
          :choices="choices"
          :total="ledger.total"
          :offset="ledger.offset"
          :count="records.count.value"
          :search="records.search.value"
          @update:model-value="records.choose($event as 'first')"
          @walk="records.walk"
          @search="find"
        />
      </template>
    </LedgerTable>
    <div v-else></div>
    <FieldInspector
      v-if="field"
      :id="id"
      ref="inspector"
      :field="field"
      :mapping="mapping.draft.value?.fields?.[field.path]"
      :columns="mapping.view.value?.columns ?? []"
      :whole="mapping.draft.value ?? { left_out: [] }"
      :row="ledger?.records[0]?.row"
      :line="records.line.value"
      :is-link="!!ledger?.lines.find((line) => line.path === field?.path)?.link"
      :site-id="overview.site_id"
      :may-be-key="!!mapping.view.value?.key_candidates.includes(field.path)"
      :may-be-in-key="longer && !!mapping.view.value?.key_parts.includes(field.path)"
      :disabled="!mayEdit"
      @change="mapping.setField(field.path, $event)"
      @tables="setTables"
      @feed="feed(field.path, $event)"
      @link="mapping.setLink(field.path, $event)"
      @addresses="mapping.setAddresses(field.path, $event)"
      @key="mapping.change($event)"
      @close="select(null)"
    />
    <NewFieldDialog
      v-if="toMake"
      :id="id"
      :model-value="true"
      :column="toMake"
      :record-type="overview.record_type"
      :may-add="mayAdminister"
      @update:model-value="toMake = ''"
      @added="select"
    />
    <StationFooter>
      <ColumnTray
        :columns="mapping.unplaced.value"
        :left-out="mapping.draft.value?.left_out ?? []"
        :field="field"
        :disabled="!mayEdit"
        @place="field && feed(field.path, [$event])"
        @make="toMake = $event"
        @leave-out="mapping.leaveOut"
        @bring-back="mapping.bringBack"
      />
      <template #end>
        <ProblemNote :error="error ?? mapping.error.value ?? feedError ?? check.error.value" class="mb-0" />
        <MappingMenu
          v-if="mapping.draft.value"
          :id="id"
          :record-type="overview.record_type"
          :fields="mapping.view.value?.fields ?? []"
          :parameters="mapping.draft.value.parameters ?? {}"
          :disabled="!mayEdit"
          @parameters="mapping.change({ parameters: $event })"
          @take="mapping.change($event)"
          @save="mapping.save()"
        />
        <template v-if="mayEdit">
          <span v-if="mapping.canUndo.value" class="slate" role="status">{{
            mapping.saving.value ? 'saving' : mapping.error.value ? 'not saved' : 'saved'
          }}</span>
          <BButton variant="link" class="slate" :disabled="!mapping.canUndo.value" title="Ctrl Z" @click="mapping.undo"
            >Undo</BButton
          >
          <BButton v-if="toSettle.length" variant="link" class="slate" @click="next"
            ><kbd>.</kbd> next with a problem ({{ toSettle.length }})</BButton
          >
          <BButton variant="primary" :disabled="check.isPending.value" @click="checkRows"
            >Check
            {{ counted(shape?.records ?? overview.sheet.rows, shape?.shapes.length ? 'record' : 'row') }}</BButton
          >
        </template>
      </template>
    </StationFooter>
  </main>
</template>

<style scoped>
.map {
  display: grid;
  grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr);
}
.map > :deep(.notes) {
  grid-column: 1 / -1;
}
.map > :deep(.ledger),
.map > :deep(.inspector) {
  grid-row: 2;
}
.map > :deep(footer) {
  grid-row: 3;
}
.map.beside {
  grid-template-columns: minmax(0, 1fr) 336px;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .map {
    display: block;
  }
  /* The field that is chosen stays in sight below its line. */
  .map > :deep(.inspector) {
    position: sticky;
    z-index: 4;
    bottom: 0;
    max-height: 55vh;
    border-top: 2px solid var(--petrol);
    background: var(--bs-body-bg);
  }
}
</style>
