<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, ref, toRef, watch } from 'vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useRows } from '@/stations/read/useRows'

const props = defineProps<{ id: number; headers: string[]; total: number }>()
const HEIGHT = 26
const scroller = ref<HTMLElement | null>(null)
const { rows: beginning } = useRows(toRef(props, 'id'), ref(0), ref(0))

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
  })),
)
const columnsOf = useVirtualizer(
  computed(() => ({
    horizontal: true,
    count: props.headers.length,
    getScrollElement: () => scroller.value,
    estimateSize: (index: number) => widths.value[index] ?? 130,
    overscan: 4,
  })),
)
watch(widths, () => columnsOf.value.measure())
const shown = computed(() => rowsOf.value.getVirtualItems())
const columns = computed(() => columnsOf.value.getVirtualItems())
const from = computed(() => shown.value[0]?.index ?? 0)
const to = computed(() => shown.value.at(-1)?.index ?? 0)
const { rows, error } = useRows(toRef(props, 'id'), from, to)
const flat = (text: string | null | undefined) => text?.replaceAll('\r\n', '⏎').replaceAll('\n', '⏎') ?? ''
</script>

<template>
  <div
    ref="scroller"
    class="grid"
    tabindex="0"
    role="grid"
    aria-label="Sheet"
    :aria-rowcount="total"
    :aria-colcount="headers.length"
  >
    <div
      class="sheet"
      :style="{ height: `${rowsOf.getTotalSize() + HEIGHT + 4}px`, width: `${columnsOf.getTotalSize() + 78}px` }"
    >
      <div class="heads" role="row">
        <span class="number" role="columnheader">Row</span>
        <span
          v-for="column in columns"
          :key="headers[column.index]"
          role="columnheader"
          class="head clip"
          :style="{ left: `${column.start + 78}px`, width: `${column.size}px` }"
          :title="headers[column.index]"
          >{{ headers[column.index] }}</span
        >
      </div>
      <div
        v-for="row in shown"
        :key="row.index"
        role="row"
        :aria-rowindex="row.index + 1"
        class="line"
        :class="{ flagged: rows.get(row.index)?.[1] }"
        :style="{ transform: `translateY(${row.start + HEIGHT + 4}px)` }"
      >
        <span class="number" role="rowheader" :title="rows.get(row.index)?.[1]">
          <StateMark v-if="rows.get(row.index)?.[1]" state="held" class="me-1" />{{
            rows.get(row.index)?.[0]?.toLocaleString('en') ?? '…'
          }}
        </span>
        <span
          v-for="column in columns"
          :key="column.index"
          role="gridcell"
          class="cell"
          :class="{ absent: rows.has(row.index) && rows.get(row.index)?.[2][column.index] == null }"
          :style="{ left: `${column.start + 78}px`, width: `${column.size}px` }"
          :title="rows.get(row.index)?.[2][column.index] ?? undefined"
          >{{ flat(rows.get(row.index)?.[2][column.index]) }}</span
        >
      </div>
    </div>
    <ProblemNote :error="error" />
  </div>
</template>

<style scoped>
.grid {
  overflow: auto;
  background: var(--sheet);
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
