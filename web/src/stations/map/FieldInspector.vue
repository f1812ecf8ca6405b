<script setup lang="ts">
import SidePanel from '@/parts/SidePanel.vue'
import StateMark from '@/parts/StateMark.vue'
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, nextTick, ref, toRef, useTemplateRef, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import AddressPanel from '@/stations/map/AddressPanel.vue'
import BarPlot from '@/stations/map/BarPlot.vue'
import { asKey, keysOf } from '@/stations/map/keys'
import KeyPart from '@/stations/map/KeyPart.vue'
import LinkPanel from '@/stations/map/LinkPanel.vue'
import FeedPicker from '@/stations/map/FeedPicker.vue'
import ShortcodeList from '@/stations/map/ShortcodeList.vue'
import StepList from '@/stations/map/StepList.vue'
import { completeTable, useField } from '@/stations/map/useField'
import type { FieldMapping, Mapping } from '@/stations/map/useMapping'
import ValueTable from '@/stations/map/ValueTable.vue'

const props = defineProps<{
  id: number
  field: Schemas['Field']
  mapping: FieldMapping | undefined
  /** The mapping around it, saved or not. */
  whole: Mapping
  columns: Schemas['ColumnView'][]
  row: number | undefined
  /** Of what the record holds several of, the one that is shown. */
  line: number
  isLink: boolean
  siteId: number
  mayBeKey: boolean
  /** Whether it tells records apart beside another field. */
  mayBeInKey: boolean
  disabled: boolean
}>()
const emit = defineEmits<{
  change: [FieldMapping | null]
  tables: [Mapping['tables'], FieldMapping | null]
  feed: [string[]]
  link: [Schemas['LinkRule']]
  addresses: [Schemas['TextAddresses'] | null]
  key: [Pick<Mapping, 'match_key' | 'key_with'>]
  close: []
}>()

const keys = computed(() => keysOf(props.whole))
const isKey = computed(() => keys.value.includes(props.field.path))
const none: FieldMapping = { columns: [], steps: [], blank: 'keep', reasons: [] }
const now = computed(() => props.mapping ?? none)
const fed = computed(() => now.value.columns.length > 0 || now.value.constant != null)
const { data: about, error } = useField(
  toRef(props, 'id'),
  toRef(() => props.field.path),
  now,
  toRef(props, 'row'),
  toRef(props, 'whole'),
  toRef(props, 'line'),
)
/** The mapping with the field as it stands here. */
const around = computed(() => ({ ...props.whole, fields: { ...props.whole.fields, [props.field.path]: now.value } }))
/** What is counted: of a list, each of what stands in it. */
const noun = computed(() => (props.field.in_list ? 'line' : props.whole.shape?.length ? 'record' : 'row'))
const picking = ref(false)
const picker = useTemplateRef('picker')
const steps = ref<InstanceType<typeof StepList> | null>(null)
const blanks = [
  { value: 'keep', text: 'leave what the site has' },
  { value: 'clear', text: 'clear the field on the site' },
]
const noTable: Schemas['ValueTable'] = { pairs: {}, otherwise: 'hold', other: '' }
const hasTable = computed(() => !!now.value.value_table || now.value.table != null)
const table = computed(() =>
  now.value.table != null ? (props.whole.tables?.[now.value.table] ?? noTable) : (now.value.value_table ?? noTable),
)

watch(
  () => props.field.path,
  () => (picking.value = false),
)
function set(part: Partial<FieldMapping>) {
  emit('change', { ...now.value, ...part })
}
/** Back to the ledger, whose keys go on. */
function leave() {
  picking.value = false
  ;(document.activeElement as HTMLElement | null)?.blur()
}
function feed(columns: string[]) {
  leave()
  emit('feed', columns)
}
function constant(text: string) {
  leave()
  emit('change', { ...none, constant: text })
}
async function pick() {
  picking.value = true
  await nextTick()
  picker.value?.focus()
}
/** What is typed next goes there. */
async function focusOn(what: string) {
  await nextTick()
  document.querySelector<HTMLElement>(what)?.focus()
}
/** A shared table changes for all the fields that share it. */
function setTable(changed: Schemas['ValueTable']) {
  if (now.value.table == null) set({ value_table: changed })
  else emit('tables', { ...props.whole.tables, [now.value.table]: changed }, null)
}
function share(name: string) {
  emit('tables', { ...props.whole.tables, [name]: table.value }, { ...now.value, value_table: null, table: name })
}
/** What is supplied is taken for what is known. */
function pair(value: string, known: string) {
  const kept = hasTable.value ? table.value : { ...noTable, otherwise: 'keep' as const }
  setTable({ ...kept, pairs: { ...kept.pairs, [value]: known } })
}
async function suggestTable() {
  const own = { ...now.value, table: null, value_table: hasTable.value ? table.value : null }
  const completed = await completeTable(props.id, props.field.path, own)
  if (now.value.table == null) emit('change', completed)
  else if (completed.value_table) setTable(completed.value_table)
}
defineExpose({
  pick,
  addStep: () => steps.value?.openMenu(),
  link: () => focusOn('.inspector section[aria-label="Link"] select'),
  addFormula() {
    steps.value?.add('formula')
    void focusOn('.inspector .cm-content')
  },
  async valueTable() {
    if (!hasTable.value && fed.value) await suggestTable()
    await nextTick()
    document.getElementById('value-table')?.scrollIntoView({ block: 'start' })
    await focusOn('#value-table ~ * :is(input, select), #value-table :is(input, select)')
  },
})
</script>

<template>
  <SidePanel class="inspector" :title="field.title" :label="`Field ${field.title}`" @close="emit('close')">
    <p class="slate mb-0">{{ about?.demands ?? field.type }}</p>
    <p v-if="field.description" class="slate mb-0">{{ field.description }}</p>
    <KeyPart
      :path="field.path"
      :keys="keys"
      :may-be-key="mayBeKey"
      :may-be-in-key="mayBeInKey"
      :disabled="disabled || !fed"
      @change="emit('key', asKey($event))"
    />

    <h3 class="panel-heading">
      <span>Fed by</span>
      <BButton v-if="!disabled" variant="link" size="sm" class="p-0" @click="picking ? leave() : pick()"
        >{{ picking ? 'Leave it as it is' : 'Change' }} <kbd>↵</kbd></BButton
      >
    </h3>
    <FeedPicker
      v-if="picking || (!fed && !disabled)"
      ref="picker"
      :key="field.path"
      :accepted="about?.accepted ?? []"
      :candidates="about?.candidates ?? []"
      :columns="columns"
      :chosen="now.columns"
      :constant="now.constant"
      @feed="feed"
      @constant="constant"
      @close="leave"
    />
    <div v-else-if="fed" class="feed">
      <StateMark state="good" />
      <span class="clip">{{ now.columns.length ? now.columns.join(' + ') : `“${now.constant}” for every row` }}</span>
      <small class="slate">{{ now.reasons.join(', ') }}</small>
      <BButton v-if="!disabled" variant="link" size="sm" class="p-0 unfeed" @click="emit('change', null)"
        >Feed it by nothing</BButton
      >
    </div>

    <LinkPanel
      v-if="fed && isLink"
      :id="id"
      :site-id="siteId"
      :path="field.path"
      :columns="columns.map((one) => one.name)"
      :mapping="around"
      :disabled="disabled"
      @change="emit('link', $event)"
      @pair="pair"
    />

    <template v-if="fed">
      <StepList
        ref="steps"
        :field="now"
        :views="about?.steps ?? []"
        :error="error"
        :disabled="disabled"
        @change="set({ steps: $event })"
        @columns="set({ columns: $event })"
      />
      <p v-if="about && now.steps.length" class="formula slate" title="The steps as one OpenFormula expression">
        The same as <code>{{ about.formula }}</code>
      </p>
      <ShortcodeList
        :shortcodes="about?.shortcodes ?? []"
        :ruled="now.steps.some((one) => one.kind === 'shortcodes')"
        :disabled="disabled"
        @rule="steps?.add('shortcodes')"
      />
      <AddressPanel
        v-if="field.type === 'text' && !isLink && !isKey && !field.enum?.length"
        :id="id"
        :path="field.path"
        :mapping="around"
        :disabled="disabled"
        @change="emit('addresses', $event)"
      />
      <ValueTable
        v-if="hasTable"
        :values="about?.values ?? []"
        :accepted="about?.accepted ?? []"
        :distinct="about?.distinct ?? 0"
        :table="table"
        :name="now.table ?? null"
        :names="Object.keys(whole.tables ?? {})"
        :disabled="disabled"
        @change="setTable"
        @suggest="suggestTable"
        @remove="set({ value_table: null, table: null })"
        @share="share"
        @take="set({ value_table: null, table: $event })"
      />
      <BButton
        v-else-if="!disabled && about && (about.accepted.length || about.distinct <= 200)"
        variant="link"
        size="sm"
        class="mt-2"
        @click="suggestTable"
        >Use a value table <kbd>v</kbd></BButton
      >

      <h3 class="panel-heading">
        <span>What landed</span><span>{{ about?.range }}</span>
      </h3>
      <BarPlot v-if="about?.bars.length" :bars="about.bars" />
      <p v-if="about" class="mb-0">
        {{ counted(about.landed, noun) }} with a value that the site takes,
        {{ about.blank.toLocaleString('en') }} blank<template v-if="about.held"
          >, <span class="brick"><StateMark state="held" /> {{ counted(about.held, noun) }} held by it</span></template
        >
      </p>
      <h3 class="panel-heading"><span>When blank</span></h3>
      <BFormSelect
        size="sm"
        :model-value="now.blank"
        :options="blanks"
        :disabled="disabled"
        aria-label="When blank"
        @update:model-value="set({ blank: $event as 'keep' | 'clear' })"
      />
    </template>
  </SidePanel>
</template>

<style scoped>
.formula {
  margin: 4px 0 0;
  overflow-wrap: anywhere;
}
.inspector {
  min-height: 0;
}
.feed {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto;
  gap: 2px 6px;
}
.feed small,
.unfeed {
  grid-column: 2 / 4;
  justify-self: start;
}
</style>
