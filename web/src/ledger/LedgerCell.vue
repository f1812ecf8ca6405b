<script setup lang="ts">
import { computed } from 'vue'
import type { Cell } from '@/ledger/useLedger'
import StateMark from '@/parts/StateMark.vue'

const props = defineProps<{ cell: Cell; station: 'map' | 'check' | 'rehearse' | 'verify'; fed: boolean }>()

/** Line ends would break the line; they are shown as what they are. */
const flat = (text: string | null | undefined) => text?.replaceAll('\r\n', '⏎').replaceAll('\n', '⏎')

const END = 7
/** A text that may not fit is cut in its middle, for its end tells something too; that of an address does not. */
function parts(text: string): [string, string] {
  return text.length > 3 * END && !text.includes('@') ? [text.slice(0, -END), text.slice(-END)] : [text, '']
}
const said = computed(() => props.cell.mark === 'held' || props.cell.mark === 'warned')
const lower = computed(() => {
  const { cell, station } = props
  if (cell.none) return '–'
  if (said.value && station !== 'verify') return cell.note.replace(/^is /, '')
  if (!props.fed) return ''
  if (station === 'check') return cell.mark === 'same' && cell.note ? 'accepted' : ''
  if (station === 'map' && cell.mark === 'same' && cell.note && cell.lower == null) return 'accepted'
  if (station === 'verify' && cell.upper == null && !cell.note) return ''
  return flat(cell.lower) ?? (station === 'verify' ? cell.note : '–')
})
const blank = computed(() => (props.station === 'check' && props.fed ? '–' : '\u00a0'))
const upper = computed(() => parts(flat(props.cell.upper) || blank.value))
const lines = computed(() => (said.value ? ([lower.value || '\u00a0', ''] as const) : parts(lower.value || '\u00a0')))
/** At Check a value in which nothing was found has its mark before it, and needs no second line. */
const found = computed(() => props.station === 'check' && props.cell.mark === 'good')
const unsent = computed(() => props.station === 'verify' && props.cell.upper == null && !!props.cell.note)
const marked = computed(
  () =>
    said.value ||
    props.cell.mark === 'changed' ||
    (props.cell.mark === 'good' && (props.station === 'rehearse' || props.station === 'verify')),
)
const tone = computed(() => {
  if (props.cell.mark === 'held') return 'brick'
  if (props.cell.mark === 'warned') return 'marigold'
  if (props.cell.mark === 'same' || lower.value === '–') return 'slate'
  return ''
})
</script>

<template>
  <div
    role="gridcell"
    class="cell mono"
    :class="{ said }"
    :title="[cell.upper, cell.lower, cell.note].filter(Boolean).join('\n')"
  >
    <span v-if="unsent" class="line slate unsent">not sent</span>
    <span v-else class="line" :class="station === 'check' && cell.upper ? '' : 'slate'"
      ><StateMark v-if="found" :state="cell.mark" class="me-1" /><span class="start">{{ upper[0] }}</span
      ><span class="rest">{{ upper[1] }}</span></span
    >
    <span v-if="lower || station !== 'check'" class="line" :class="[tone, { note: said && station !== 'verify' }]"
      ><StateMark v-if="marked" :state="cell.mark" class="me-1" /><a
        v-if="cell.page"
        class="start"
        :href="cell.page"
        target="_blank"
        rel="noopener"
        @click.stop
        >{{ lines[0] }}{{ lines[1] }}</a
      ><template v-else
        ><span class="start">{{ lines[0] }}</span
        ><span class="rest">{{ lines[1] }}</span></template
      ></span
    >
  </div>
</template>

<style scoped>
.cell.said {
  background: color-mix(in srgb, var(--brick) 7%, transparent);
}
[aria-selected='true'] > .cell.said {
  background: none;
}
.cell {
  border-left: 1px solid var(--rule-faint);
}
.line {
  display: flex;
  align-items: baseline;
  white-space: pre;
}
.line :deep(.state) {
  flex: none;
}
.start {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.rest {
  flex: none;
}
.unsent {
  font-family: var(--bs-body-font-family);
}
.note,
[aria-selected='true'] .line {
  display: block;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
