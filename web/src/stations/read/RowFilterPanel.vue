<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, onBeforeUnmount, provide, ref, toRef } from 'vue'
import type { Schemas } from '@/api/client'
import FormulaEditor from '@/formula/FormulaEditor.vue'
import { formulaPlace } from '@/formula/useFormula'
import { useLedger, type Question } from '@/ledger/useLedger'
import { counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import SidePanel from '@/parts/SidePanel.vue'
import { useMapping } from '@/stations/map/useMapping'

type Filter = Schemas['RowFilter']
type Condition = Schemas['Condition']

/** Which rows go on: conditions on columns, a formula, the first few, without the first few. */
const props = defineProps<{ id: number; columns: string[]; total: number; disabled: boolean }>()
const emit = defineEmits<{ close: [] }>()
const id = toRef(props, 'id')
const mapping = useMapping(id)
const everything: Filter = { conditions: [], match: 'all', formula: '', skip: 0, first: null }
const rows = computed<Filter>(() => mapping.draft.value?.rows ?? everything)
const withFormula = ref(false)
const formulaShown = computed(() => withFormula.value || !!rows.value.formula.trim())
const { data: leftOut, error } = useLedger(
  id,
  computed<Question>(() => ({
    station: 'map',
    records: 'left out',
    count: 1,
    mapping: mapping.draft.value ?? undefined,
  })),
)
provide(formulaPlace, {
  id,
  columns: toRef(props, 'columns'),
  rows: ref([]),
  whole: mapping.draft,
})
const tests: Condition['test'][] = [
  'is',
  'is not',
  'contains',
  'does not contain',
  'begins with',
  'ends with',
  'is blank',
  'is not blank',
  'is more than',
  'is less than',
]
const matches = [
  { value: 'all', text: 'all of these hold' },
  { value: 'any', text: 'any of these holds' },
]
const needsValue = (one: Condition) => !['is blank', 'is not blank'].includes(one.test)
const whole = (text: unknown) => Math.max(0, Math.floor(Number(text) || 0))

function change(part: Partial<Filter>) {
  mapping.change({ rows: { ...rows.value, ...part } })
}
function set(index: number, part: Partial<Condition>) {
  const now = rows.value.conditions[index]
  if (now) change({ conditions: rows.value.conditions.with(index, { ...now, ...part }) })
}
function add() {
  const column = props.columns[0]
  if (column) change({ conditions: [...rows.value.conditions, { column, test: 'is not blank', value: '' }] })
}
onBeforeUnmount(() => void mapping.save())
</script>

<template>
  <SidePanel title="Rows to import" label="Rows to import" @close="emit('close')">
    <p v-if="leftOut"><StateMark state="same" /> {{ counted(leftOut.total, 'row') }} left out of {{ number(total) }}</p>
    <fieldset :disabled="disabled">
      <h3 class="panel-heading"><span>Import the rows where</span></h3>
      <BFormSelect
        v-if="rows.conditions.length > 1"
        size="sm"
        :model-value="rows.match"
        :options="matches"
        aria-label="How the conditions combine"
        @update:model-value="change({ match: $event as 'all' })"
      />
      <div v-for="(one, index) in rows.conditions" :key="index" class="condition">
        <BFormSelect
          size="sm"
          :model-value="one.column"
          :options="[...new Set([...columns, one.column])]"
          aria-label="Column"
          @update:model-value="set(index, { column: String($event) })"
        />
        <button
          type="button"
          class="visually-plain slate"
          :aria-label="`Remove condition ${index + 1}`"
          @click="change({ conditions: rows.conditions.toSpliced(index, 1) })"
        >
          ×
        </button>
        <BFormSelect
          size="sm"
          :model-value="one.test"
          :options="tests"
          aria-label="Test"
          @update:model-value="set(index, { test: $event as Condition['test'] })"
        />
        <span></span>
        <BFormInput
          v-if="needsValue(one)"
          size="sm"
          lazy
          class="mono"
          :model-value="one.value"
          aria-label="Value"
          @update:model-value="set(index, { value: String($event ?? '') })"
        />
      </div>
      <p v-if="!rows.conditions.length" class="slate mb-1">No condition: every row goes on.</p>
      <BButton variant="link" size="sm" class="p-0" @click="add">Add a condition</BButton>

      <h3 class="panel-heading"><span>And where a formula is TRUE</span></h3>
      <FormulaEditor
        v-if="formulaShown"
        :model-value="rows.formula"
        label="Formula for rows to import"
        hint="such as =LEN([Postcode])>3"
        @update:model-value="change({ formula: $event })"
      />
      <BButton
        v-if="formulaShown && rows.formula"
        variant="link"
        size="sm"
        class="p-0"
        @click="((withFormula = false), change({ formula: '' }))"
        >Do without the formula</BButton
      >
      <BButton v-else-if="!formulaShown" variant="link" size="sm" class="p-0" @click="withFormula = true"
        >Write a formula</BButton
      >

      <h3 class="panel-heading"><span>Of those</span></h3>
      <label class="count"
        >skip the first
        <BFormInput
          size="sm"
          type="number"
          min="0"
          lazy
          :model-value="rows.skip"
          @update:model-value="change({ skip: whole($event) })"
      /></label>
      <label class="count"
        >take no more than
        <BFormInput
          size="sm"
          type="number"
          min="1"
          lazy
          placeholder="all"
          :model-value="rows.first ?? ''"
          @update:model-value="change({ first: whole($event) || null })"
      /></label>
    </fieldset>
    <ProblemNote :error="error ?? mapping.error.value" class="mt-2" />
    <p class="slate mt-3">
      Rows are also left out one by one: choose a cell of the row and press <kbd>x</kbd>. Each keeps its reason, and is
      counted as left out at every station.
    </p>
  </SidePanel>
</template>

<style scoped>
.condition {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 18px;
  gap: 3px 6px;
  margin: 4px 0 8px;
  padding-left: 8px;
  border-left: 2px solid var(--rule);
}
.count {
  display: grid;
  grid-template-columns: 130px 90px;
  align-items: center;
  margin-bottom: 4px;
}
</style>
