<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, toRef, watch } from 'vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import CellNote from '@/stations/read/CellNote.vue'
import { useCells } from '@/stations/read/useCells'
import { useGridCursor, type Place } from '@/stations/read/useGridCursor'
import { useRows } from '@/stations/read/useRows'

const props = defineProps<{
  id: number
  /** The role of the sheet; the main one has none, and only its rows can be left out. */
  sheet: string
  headers: string[]
  total: number
  disabled: boolean
  column: string | null
}>()
const emit = defineEmits<{ column: [string | null] }>()
const HEIGHT = 26
const NUMBERS = 78
const scroller = ref<HTMLElement | null>(null)
const { rows: beginning } = useRows(toRef(props, 'id'), ref(0), ref(0), toRef(props, 'sheet'))

/** As wide as the header and the first rows want, within reason. */
const widths = computed(() => {
  const first = [...Array(40).keys()].map((index) => beginning.value.get(index)?.[2] ?? [])
  return props.headers.map((header, at) => {
    const longest = Math.max(header.length, ...first.map((cells) => cells[at]?.length ?? 0))
    return Math.min(Math.max(longest * 8 + 24, 90), 250)
  })
})
const rowsOf = useVirtualizer(
  computed(() => ({
    count: props.total,
    getScrollElement: () => scroller.value,
    estimateSize: () => HEIGHT,
    overscan: 12,
    // The rows begin behind the heads.
    scrollPaddingEnd: HEIGHT + 8,
  })),
)
const columnsOf = useVirtualizer(
  computed(() => ({
    horizontal: true,
    count: props.headers.length,
    getScrollElement: () => scroller.value,
    estimateSize: (index: number) => widths.value[index] ?? 130,
    overscan: 4,
    scrollPaddingEnd: NUMBERS,
  })),
)
watch(widths, () => columnsOf.value.measure())
const shown = computed(() => rowsOf.value.getVirtualItems())
const columns = computed(() => columnsOf.value.getVirtualItems())
const from = computed(() => shown.value[0]?.index ?? 0)
const to = computed(() => shown.value.at(-1)?.index ?? 0)
const { rows, error } = useRows(toRef(props, 'id'), from, to, toRef(props, 'sheet'))
const { correct, leaveOut } = useCells(toRef(props, 'id'))
const cellOf = (place: Place) => rows.value.get(place.row)?.[2][place.column]
const cursor = useGridCursor(
  {
    rows: toRef(props, 'total'),
    columns: computed(() => props.headers.length),
    page: computed(() => Math.max(shown.value.length - 26, 8)),
  },
  {
    text: (place) => cellOf(place) ?? '',
    mayEdit: () => !props.disabled,
    keep: (place, value) => change(place, value),
    show: (place) => {
      rowsOf.value.scrollToIndex(place.row)
      columnsOf.value.scrollToIndex(place.column)
    },
    other: (key, place) => {
      if (key === 'x' && !props.disabled) toggle(place.row)
    },
  },
)
const { at, editing, draft } = cursor
const input = ref<HTMLInputElement[]>([])
watch(editing, async (on) => {
  await nextTick()
  if (on) input.value[0]?.focus()
  else scroller.value?.focus({ preventScroll: true })
})
const isAt = (row: number, column: number) => at.value?.row === row && at.value.column === column
const correctionAt = (row: number, column: number) => rows.value.get(row)?.[3].find((one) => one.place === column)

function change(place: Place, value: string | null) {
  const row = rows.value.get(place.row)?.[0]
  const column = props.headers[place.column]
  if (row !== undefined && column !== undefined) correct.mutate({ cells: [{ row, column, value }], sheet: props.sheet })
}
function toggle(index: number) {
  const row = rows.value.get(index)
  if (row && !props.sheet) leaveOut.mutate({ rows: [row[0]], out: !row[4] })
}
defineExpose({ go: cursor.go })
const flat = (text: string | null | undefined) => text?.replaceAll('\r\n', '⏎').replaceAll('\n', '⏎') ?? ''
</script>

<template>
  <div class="frame">
    <div
      ref="scroller"
      class="grid"
      tabindex="0"
      role="grid"
      aria-label="Sheet"
      :aria-rowcount="total"
      :aria-colcount="headers.length"
      @keydown="cursor.key"
    >
      <div
        class="sheet"
        :style="{ height: `${rowsOf.getTotalSize() + HEIGHT + 4}px`, width: `${columnsOf.getTotalSize() + NUMBERS}px` }"
      >
        <div class="heads" role="row">
          <span class="number" role="columnheader">Row</span>
          <span
            v-for="part in columns"
            :key="headers[part.index]"
            role="columnheader"
            class="head"
            :style="{ left: `${part.start + NUMBERS}px`, width: `${part.size}px` }"
            ><button
              type="button"
              class="visually-plain clip"
              :title="`${headers[part.index]}: what it holds`"
              :aria-pressed="column === headers[part.index]"
              @click="emit('column', column === headers[part.index] ? null : (headers[part.index] ?? null))"
            >
              {{ headers[part.index] }}
            </button></span
          >
        </div>
        <div
          v-for="row in shown"
          :key="row.index"
          role="row"
          :aria-rowindex="row.index + 1"
          class="line"
          :class="{ flagged: rows.get(row.index)?.[1], out: rows.get(row.index)?.[4] }"
          :style="{ transform: `translateY(${row.start + HEIGHT + 4}px)` }"
        >
          <span
            class="number"
            role="rowheader"
            :title="rows.get(row.index)?.[4] ? `left out by ${rows.get(row.index)?.[4]}` : rows.get(row.index)?.[1]"
          >
            <StateMark v-if="rows.get(row.index)?.[4]" state="same" class="me-1" />
            <StateMark v-else-if="rows.get(row.index)?.[1]" state="held" class="me-1" />{{
              rows.get(row.index)?.[0]?.toLocaleString('en') ?? '…'
            }}
          </span>
          <span
            v-for="part in columns"
            :key="part.index"
            role="gridcell"
            class="cell"
            :class="{
              absent: rows.has(row.index) && rows.get(row.index)?.[2][part.index] == null,
              at: isAt(row.index, part.index),
              corrected: correctionAt(row.index, part.index),
            }"
            :aria-selected="isAt(row.index, part.index)"
            :style="{ left: `${part.start + NUMBERS}px`, width: `${part.size}px` }"
            :title="rows.get(row.index)?.[2][part.index] ?? undefined"
            @click="cursor.go(row.index, part.index)"
            @dblclick="cursor.edit()"
            ><input
              v-if="editing && isAt(row.index, part.index)"
              ref="input"
              v-model="draft"
              class="edit"
              :aria-label="`${headers[part.index]} of row ${rows.get(row.index)?.[0]}`"
              @blur="cursor.keep()"
            /><template v-else>{{ flat(rows.get(row.index)?.[2][part.index]) }}</template></span
          >
        </div>
      </div>
    </div>
    <CellNote
      v-if="at && rows.get(at.row)"
      :row="rows.get(at.row)!"
      :column="headers[at.column] ?? ''"
      :value="cellOf(at)"
      :correction="correctionAt(at.row, at.column)"
      :disabled="disabled"
      :leaves-out="!sheet"
      @take-back="change(at, null)"
      @leave-out="toggle(at.row)"
      @edit="cursor.edit()"
    />
    <ProblemNote :error="error ?? correct.error.value ?? leaveOut.error.value" />
  </div>
</template>

<style scoped>
.grid {
  overflow: auto;
  background: var(--sheet);
}
/* The cell that the cursor is on has the outline. */
.grid:has([aria-selected='true']) {
  outline: none;
}
.sheet {
  position: relative;
}
.heads {
  position: sticky;
  top: 0;
  z-index: 2;
  height: 30px;
  border-bottom: 1px solid var(--rule);
  background: var(--bs-body-bg);
}
.head,
.cell {
  position: absolute;
  height: 100%;
  padding: 5px 10px;
  border-right: 1px solid var(--rule-faint);
}
.head {
  font-weight: 700;
}
.head button {
  width: 100%;
  font-weight: 700;
}
.head button[aria-pressed='true'] {
  color: var(--petrol);
}
.cell.at {
  outline: 2px solid var(--petrol);
  outline-offset: -2px;
}
.cell.corrected {
  background: color-mix(in srgb, var(--marigold) 14%, transparent);
  box-shadow: inset 3px 0 0 var(--marigold);
}
.line.out .cell {
  color: var(--slate-text);
  text-decoration: line-through;
}
.edit {
  position: absolute;
  inset: 0;
  width: 100%;
  padding: 3px 8px;
  border: 2px solid var(--petrol);
  background: var(--sheet);
  color: inherit;
  font: inherit;
}
.frame {
  display: grid;
  grid-template: minmax(0, 1fr) auto / minmax(0, 1fr);
  min-height: 0;
}
.line {
  position: absolute;
  top: 0;
  left: 0;
  width: 100%;
  height: 26px;
  border-bottom: 1px solid var(--rule-faint);
  font: 0.78rem/1.35 var(--mono);
}
.cell {
  padding-top: 4px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}
.cell.absent {
  background: repeating-linear-gradient(-45deg, transparent 0 4px, var(--rule-faint) 4px 6px);
}
.number {
  position: sticky;
  left: 0;
  z-index: 1;
  display: inline-block;
  width: 78px;
  height: 100%;
  padding: 4px 10px;
  border-right: 1px solid var(--rule);
  background: var(--bs-body-bg);
  color: var(--slate-text);
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
