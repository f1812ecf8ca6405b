<script setup lang="ts">
import { useEventListener, useWindowSize } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { fedBy, stepsOf, why } from '@/ledger/feeds'
import FillBar from '@/ledger/FillBar.vue'
import LedgerCell from '@/ledger/LedgerCell.vue'
import RecordHistory from '@/ledger/RecordHistory.vue'
import LinesDialog from '@/ledger/LinesDialog.vue'
import ListGroup from '@/ledger/ListGroup.vue'
import type { Ledger, Line, Question } from '@/ledger/useLedger'
import { widths } from '@/ledger/widths'
import StateMark from '@/parts/StateMark.vue'
import { isTyping } from '@/workbench/useDialogs'

type FieldMapping = Schemas['FieldMapping']

const LEAST = 128
/** Pixels of a screen on which the names of fields take less room. */
const NARROW = 768
const props = defineProps<{
  id: number
  ledger: Ledger
  /** What it answers, so that a record's lists can be asked for whole. */
  question: Question
  station: 'map' | 'check' | 'rehearse' | 'verify'
  mapping?: Record<string, FieldMapping>
  selected?: string | null
}>()
const emit = defineEmits<{ select: [string]; enter: [string]; line: [number] }>()
/** The record whose past is shown. */
const past = ref<number | null>(null)
/** The record and the list of which all is shown. */
const whole = ref<{ question: Question; path: string } | null>(null)
function showAll(path: string, at: number) {
  whole.value = { question: { ...props.question, offset: props.ledger.offset + at, count: 1 }, path }
}
const body = ref<HTMLElement | null>(null)

const mapped = computed(() => props.station === 'map')
const LEADING = { map: [150, 140, 58, 46], other: [190], narrow: [118, 110, 50, 40] }
const LINES = {
  map: 'upper line: supplied; lower line: landed',
  check: 'upper line: landed; lower line: what was found',
  rehearse: 'upper line: on the site now; lower line: after the run',
  verify: 'upper line: sent; lower line: found on the site',
}
const { width: screen } = useWindowSize()
const leading = computed(() => {
  if (screen.value < NARROW) return LEADING.narrow.slice(0, mapped.value ? 4 : 1)
  return mapped.value ? LEADING.map : LEADING.other
})
const columns = computed(() =>
  [
    ...leading.value.map((width) => `${width}px`),
    ...widths(props.ledger).map((width) => `minmax(${LEAST}px, ${width}fr)`),
  ].join(' '),
)
/** Where there is no room for that, the ledger is moved sideways under its fields. */
const least = computed(
  () => `${leading.value.reduce((sum, width) => sum + width, 0) + LEAST * props.ledger.records.length}px`,
)
/** Whether a line has but one line of text in its cells, since the check found nothing in them. */
const single = (line: Line) =>
  props.station === 'check' && line.path !== props.selected && line.cells.every((cell) => !cell.note)
const groups = computed(() => {
  const found = new Map<string, Line[]>()
  for (const line of props.ledger.lines) found.set(line.group, [...(found.get(line.group) ?? []), line])
  return [...found]
})
/** The list that a group of fields stands in, where records hold one. */
const listOf = (lines: Line[]) => {
  const path = lines[0]?.in_list?.split('.')[0]
  return path && props.ledger.records.some((record) => path in record.lines) ? path : undefined
}
const lists = computed(() => groups.value.map(([, lines]) => listOf(lines)).filter((path) => path))

/** A record of one row is called by it, one of several by its key and how many of a list it holds. */
function placed(record: Ledger['records'][number]): string {
  return record.place.charAt(0).toUpperCase() + record.place.slice(1) || `Row ${record.row.toLocaleString('en')}`
}
const feeding = (line: Line) => props.mapping?.[line.path]
watch(
  () => [props.selected, props.ledger.lines.length],
  async () => {
    await nextTick()
    body.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' })
  },
  { immediate: true },
)
function move(by: 1 | -1) {
  const lines = groups.value.flatMap(([, part]) => part)
  const at = lines.findIndex((line) => line.path === props.selected)
  const next = lines[Math.min(Math.max(at + by, 0), lines.length - 1)]
  if (next) emit('select', next.path)
}
useEventListener(window, 'keydown', (event) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey) return
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    event.preventDefault()
    move(event.key === 'ArrowDown' ? 1 : -1)
  } else if (event.key === 'Enter' && props.selected && !(event.target as HTMLElement).closest('button, a')) {
    emit('enter', props.selected)
  }
})
</script>

<template>
  <div class="ledger" role="grid" aria-label="Ledger">
    <div class="line head" role="row" :style="{ gridTemplateColumns: columns, minWidth: least }">
      <div role="columnheader" :title="LINES[station]">Field on the site</div>
      <template v-if="mapped">
        <div role="columnheader">Fed by</div>
        <div role="columnheader">Steps</div>
        <div role="columnheader">Filled</div>
      </template>
      <div
        v-for="record in ledger.records"
        :key="record.row"
        role="columnheader"
        class="record clip"
        :title="[record.label, record.place, LINES[station]].filter(Boolean).join('\n')"
      >
        <button
          v-if="station === 'rehearse' || station === 'verify'"
          type="button"
          class="visually-plain"
          title="What happened to this record"
          @click="past = record.row"
        >
          <b>{{ placed(record) }}</b>
        </button>
        <b v-else>{{ placed(record) }}</b> <StateMark :state="record.mark" class="ms-1" />
        <span class="slate ms-1">{{ record.note && station !== 'map' ? record.note : record.label }}</span>
        <a v-if="record.page" class="ms-1" :href="record.page" target="_blank" rel="noopener"
          >open ↗<span class="visually-hidden"> row {{ record.row }} on the site</span></a
        >
      </div>
    </div>
    <div ref="body" class="body" role="rowgroup" :style="{ minWidth: least }">
      <template v-for="([group, lines], index) in groups" :key="group">
        <div class="group" role="row">
          <ListGroup
            v-if="listOf(lines)"
            :title="group"
            :path="listOf(lines)!"
            :records="ledger.records"
            :line="question.line ?? 1"
            :keyed="listOf(lines) === lists[0]"
            @line="emit('line', $event)"
            @all="showAll(listOf(lines)!, $event)"
          />
          <span v-else role="gridcell">{{ group }}</span>
          <span v-if="index === 0" role="gridcell"><slot name="chooser" /></span>
        </div>
        <div
          v-for="line in lines"
          :key="line.path"
          role="row"
          class="line"
          :class="{ selected: line.path === selected, single: single(line) }"
          :aria-selected="line.path === selected"
          :style="{ gridTemplateColumns: columns }"
          @click="emit('select', line.path)"
          @dblclick="emit('enter', line.path)"
        >
          <div role="rowheader" class="field">
            <span class="clip" :title="line.title"
              >{{ line.title }}
              <span v-if="line.link" class="petrol" title="a link: means another record">→</span>
              <span v-if="line.is_key" class="slate" title="match key: tells that a row and a record are the same"
                >◆</span
              ></span
            >
            <small class="clip">{{ line.is_key ? 'match key, ' : '' }}{{ line.hint }}</small>
          </div>
          <template v-if="mapped">
            <div role="gridcell" class="fed" :class="{ slate: fedBy(feeding(line)) === 'nothing yet' }">
              <span class="clip" :title="fedBy(feeding(line))">{{ fedBy(feeding(line)) }}</span>
              <small class="clip" :title="mapping?.[line.path]?.reasons.join('\n')">{{ why(feeding(line)) }}</small>
            </div>
            <div role="gridcell" class="petrol">{{ stepsOf(feeding(line), line.link) }}</div>
            <div role="gridcell" class="fill">
              <FillBar v-if="line.fill" :fill="line.fill" />
            </div>
          </template>
          <LedgerCell v-for="(cell, at) in line.cells" :key="ledger.records[at]?.row" :cell="cell" />
        </div>
      </template>
      <slot name="after" />
    </div>
    <LinesDialog v-if="whole" :id="id" :question="whole.question" :path="whole.path" @close="whole = null" />
    <RecordHistory v-if="past !== null" :id="id" :item="past" @close="past = null" />
  </div>
</template>

<style scoped>
.ledger {
  min-width: 0;
  min-height: 0;
  overflow: auto;
  background: var(--sheet);
}
.line {
  display: grid;
  min-height: 46px;
  border-bottom: 1px solid var(--rule-faint);
}
.line > div {
  min-width: 0;
  padding: 5px 8px;
  overflow: hidden;
  white-space: nowrap;
}
.line > div:first-child {
  position: sticky;
  left: 0;
  padding-left: 10px;
  background: inherit;
}
.line {
  background: var(--sheet);
}
.line.single {
  min-height: 28px;
}
.line.single .field small {
  display: none;
}
.head {
  position: sticky;
  top: 0;
  z-index: 3;
  min-height: 28px;
  border-bottom: 1px solid var(--rule);
  background: var(--bs-body-bg);
  color: var(--slate-text);
  font-size: 0.78rem;
}
.record {
  border-left: 1px solid var(--rule-faint);
}
.record a {
  text-decoration: underline;
}
.record b {
  color: var(--bs-body-color);
}
.group {
  position: sticky;
  top: 28px;
  z-index: 2;
  display: flex;
  justify-content: space-between;
  align-items: center;
  min-height: 27px;
  padding: 3px 10px;
  border-bottom: 1px solid var(--rule-faint);
  background: var(--bs-body-bg);
  color: var(--slate-text);
  font-size: 0.75rem;
}
.body .line {
  cursor: default;
}
.body .line:hover {
  background: color-mix(in srgb, var(--petrol-tint) 40%, var(--sheet));
}
.body .line.selected {
  background: var(--petrol-tint);
  box-shadow: inset 3px 0 0 var(--petrol);
}
.body .line.selected > div:first-child {
  box-shadow: inset 3px 0 0 var(--petrol);
}
/* What is chosen is shown whole. */
.body .line.selected .clip {
  white-space: normal;
  overflow-wrap: anywhere;
}
.field > .clip:first-child {
  font-weight: 700;
}
.field .clip,
.fed .clip {
  display: block;
}
small {
  color: var(--slate-text);
  font-size: 0.75rem;
}
.fill :deep(.bar) {
  margin-top: 13px;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .group {
    flex-wrap: wrap;
  }
}
</style>
