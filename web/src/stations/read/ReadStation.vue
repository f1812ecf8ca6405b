<script setup lang="ts">
import StationFooter from '@/parts/StationFooter.vue'
import StateMark from '@/parts/StateMark.vue'
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import ReadingProgress from '@/reading/ReadingProgress.vue'
import { useReading } from '@/reading/useReading'
import ColumnPanel from '@/stations/read/ColumnPanel.vue'
import RowFilterPanel from '@/stations/read/RowFilterPanel.vue'
import SheetGrid from '@/stations/read/SheetGrid.vue'
import { useActions, type Overview } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview }>()
const { mayEdit } = useSession()
const { setDialect, readFile } = useActions(computed(() => props.overview.id))
const reading = useReading()
const sheet = toRef(() => props.overview.sheet)
/** What was chosen last, before the server has read the file that way. */
const wanted = ref<Schemas['Dialect'] | null>(null)
const dialect = computed(() => wanted.value ?? (sheet.value.dialect as Schemas['Dialect']))

const usual = ['utf-8', 'utf-8-sig', 'utf-16', 'windows-1252', 'iso-8859-1', 'iso-8859-15', 'shift-jis']
const encodings = computed(() => [...new Set([dialect.value.encoding, ...usual])])
const delimiters = computed(() => {
  const known = [
    { value: ',', text: 'comma  ,' },
    { value: ';', text: 'semicolon  ;' },
    { value: '\t', text: 'tab' },
    { value: '|', text: 'pipe  |' },
    { value: ':', text: 'colon  :' },
  ]
  const own = dialect.value.delimiter
  return known.some((one) => one.value === own) ? known : [...known, { value: own, text: own }]
})
const quotes = [
  { value: '"', text: 'double  "' },
  { value: "'", text: "single  '" },
  { value: '', text: 'none' },
]
const delimited = computed(() => dialect.value.format === 'delimited')
const hasLines = computed(() => delimited.value || dialect.value.format === 'workbook')
const sheets = computed(() =>
  sheet.value.offered.map((one) => ({
    value: one.name,
    text: [one.name || 'the whole file', one.rows ? `(${counted(one.rows, 'row')})` : '', one.note]
      .filter(Boolean)
      .join(' '),
  })),
)
const formats: Record<string, string> = {
  workbook: 'a workbook',
  json: 'JSON',
  ndjson: 'JSON, one record a line',
  xml: 'XML',
}
const fitsHint = 'The share of the first rows that are as wide as the header'
const fits = computed(() =>
  delimited.value ? `fits ${Math.round(sheet.value.confidence * 100)} %` : `read as ${formats[dialect.value.format]}`,
)
const flags = computed(() => Object.entries(sheet.value.flags))
const says: Record<string, string> = {
  short: 'fewer cells than the header',
  long: 'more cells than the header',
  'header again': 'the header repeated',
  undecodable: 'bytes that the encoding cannot read',
  'unclosed quote': 'a quote that is never closed',
  unreadable: 'text that is no record; it stands in the first column',
}

/** What stands beside the sheet is in the address: a column's profile, or the filter of rows. */
const route = useRoute()
const router = useRouter()
const column = computed(() => {
  const name = route.query.column
  return typeof name === 'string' && sheet.value.headers.includes(name) ? name : null
})
const filtering = computed(() => route.query.filter === 'rows')
function open(query: Record<string, string>) {
  void router.replace({ query })
}
function another(file: File | undefined) {
  if (file) readFile.mutate({ file, reading })
}
function change(part: Partial<Schemas['Dialect']>) {
  const chosen = { ...dialect.value, ...part }
  wanted.value = chosen
  setDialect.mutate(
    { dialect: chosen, reading },
    {
      onSettled: () => {
        if (wanted.value === chosen) wanted.value = null
      },
    },
  )
}
</script>

<template>
  <main class="read">
    <form class="dialect" aria-label="How the file is read" @submit.prevent>
      <label v-if="sheet.offered.length > 1"
        >Sheet
        <BFormSelect
          size="sm"
          class="sheets"
          :disabled="!mayEdit"
          :model-value="dialect.sheet"
          :options="sheets"
          @update:model-value="change({ sheet: String($event) })"
      /></label>
      <label v-if="delimited"
        >Encoding
        <BFormSelect
          size="sm"
          :disabled="!mayEdit"
          :model-value="dialect.encoding"
          :options="encodings"
          @update:model-value="change({ encoding: String($event) })"
      /></label>
      <label v-if="delimited"
        >Delimiter
        <BFormSelect
          size="sm"
          :disabled="!mayEdit"
          :model-value="dialect.delimiter"
          :options="delimiters"
          @update:model-value="change({ delimiter: String($event) })"
      /></label>
      <label v-if="delimited"
        >Quote
        <BFormSelect
          size="sm"
          :disabled="!mayEdit"
          :model-value="dialect.quote"
          :options="quotes"
          @update:model-value="change({ quote: String($event ?? '') })"
      /></label>
      <label v-if="hasLines" title="The line where the header stands; 0 when there is none"
        >Header line
        <BFormInput
          size="sm"
          type="number"
          min="0"
          class="line"
          lazy
          :disabled="!mayEdit"
          :model-value="dialect.header_line"
          @update:model-value="change({ header_line: Math.max(0, Math.floor(Number($event) || 0)) })"
      /></label>
      <label v-if="hasLines" title="Totals and remarks at the end that are no rows"
        >Last lines left off
        <BFormInput
          size="sm"
          type="number"
          min="0"
          class="line"
          lazy
          :disabled="!mayEdit"
          :model-value="dialect.footer_lines"
          @update:model-value="change({ footer_lines: Math.max(0, Math.floor(Number($event) || 0)) })"
      /></label>
      <span class="slate" :title="fitsHint">{{ fits }}</span>
      <span class="end">
        <BButton
          variant="link"
          size="sm"
          class="p-0"
          :aria-pressed="filtering"
          @click="open(filtering ? {} : { filter: 'rows' })"
          >Which rows go on</BButton
        >
        <label v-if="mayEdit" class="btn btn-link btn-sm p-0"
          >Read another file
          <input type="file" class="visually-hidden" @change="another(($event.target as HTMLInputElement).files?.[0])"
        /></label>
      </span>
    </form>
    <div
      v-if="
        sheet.notes.length ||
        flags.length ||
        sheet.blank_lines ||
        sheet.attachments.length ||
        setDialect.error.value ||
        readFile.error.value ||
        reading.shown.value
      "
      class="notes"
    >
      <ReadingProgress
        v-if="reading.shown.value"
        :sent="reading.sent.value"
        :state="reading.state.value"
        @stop="reading.stop"
      />
      <ProblemNote :error="setDialect.error.value ?? readFile.error.value" />
      <p v-for="note in sheet.notes" :key="note"><StateMark state="warned" /> {{ note }}</p>
      <p v-for="[flag, count] in flags" :key="flag">
        <StateMark state="held" /> {{ counted(count, 'row') }} with {{ says[flag] ?? flag }}; kept, marked, and held
        until settled.
      </p>
      <p v-if="sheet.attachments.length" class="slate" :title="sheet.attachments.slice(0, 40).join('\n')">
        The archive holds {{ counted(sheet.attachments.length, 'other file') }}, which no column needs yet.
      </p>
      <p v-if="sheet.blank_lines" class="slate">{{ counted(sheet.blank_lines, 'blank line') }} passed over.</p>
    </div>
    <SheetGrid
      :id="overview.id"
      :key="sheet.filename + JSON.stringify(sheet.dialect)"
      :headers="sheet.headers"
      :total="sheet.rows"
      :disabled="!mayEdit"
      :column="column"
      @column="open($event ? { column: $event } : {})"
    />
    <ColumnPanel v-if="column" :id="overview.id" :column="column" @close="open({})" />
    <RowFilterPanel
      v-else-if="filtering"
      :id="overview.id"
      :columns="sheet.headers"
      :total="sheet.rows"
      :disabled="!mayEdit"
      @close="open({})"
    />
    <StationFooter>
      <span class="slate">Text stays as supplied. The original file is kept untouched.</span>
      <template #end
        ><RouterLink class="btn btn-primary" :to="`/imports/${overview.id}/map`"
          >Map {{ counted(sheet.columns, 'column') }}</RouterLink
        >
      </template>
    </StationFooter>
  </main>
</template>

<style scoped>
.read {
  display: grid;
  grid-template: auto auto minmax(0, 1fr) auto / minmax(0, 1fr) auto;
}
.read > .dialect,
.read > .notes,
.read > :deep(footer) {
  grid-column: 1 / -1;
}
.read > :deep(.panel) {
  grid-row: 3;
  width: 336px;
}
.read > :deep(.frame) {
  grid-row: 3;
}
.read > :deep(footer) {
  grid-row: 4;
}
.dialect {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 9px 18px;
  border-bottom: 1px solid var(--rule);
}
.dialect label {
  display: flex;
  align-items: center;
  gap: 6px;
}
.dialect :deep(select) {
  width: auto;
}
.end {
  display: flex;
  gap: 18px;
  margin-left: auto;
}
.sheets {
  max-width: 320px;
}
.line {
  width: 60px;
}
.notes {
  padding: 9px 18px 1px;
  border-bottom: 1px solid var(--rule);
  max-height: 172px;
  overflow: auto;
}
.notes p {
  margin: 0 0 6px;
}
</style>
