<script setup lang="ts">
import { computed } from 'vue'
import type { Cell } from '@/ledger/useLedger'
import StateMark from '@/parts/StateMark.vue'

const props = defineProps<{ cell: Cell; station: 'map' | 'check' | 'rehearse' | 'verify'; fed: boolean }>()

/** Line ends would break the line; they are shown as what they are. */
const flat = (text: string | null | undefined) => text?.replaceAll('\r\n', '⏎').replaceAll('\n', '⏎')

const said = computed(() => props.cell.mark === 'held' || props.cell.mark === 'warned')
const lower = computed(() => {
  const { cell, station } = props
  if (said.value && station !== 'verify') return cell.note.replace(/^is /, '')
  if (!props.fed) return ''
  if (station === 'check') return cell.mark === 'good' ? '' : cell.mark === 'same' && cell.note ? 'accepted' : '–'
  if (station === 'map' && cell.mark === 'same' && cell.note && cell.lower == null) return 'accepted'
  if (station === 'verify' && cell.upper == null) return ''
  return flat(cell.lower) ?? (station === 'verify' ? cell.note : '–')
})
const marked = computed(
  () => said.value || props.cell.mark === 'changed' || (props.cell.mark === 'good' && props.station !== 'map'),
)
const tone = computed(() => {
  if (props.cell.mark === 'held') return 'brick'
  if (props.cell.mark === 'warned') return 'marigold'
  if (props.cell.mark === 'same' || lower.value === '–' || (props.station === 'check' && props.cell.mark === 'good'))
    return 'slate'
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
    <span class="line" :class="station === 'check' ? '' : 'slate'">{{ flat(cell.upper) || '\u00a0' }}</span>
    <span class="line" :class="tone"
      ><StateMark v-if="marked" :state="cell.mark" class="me-1" />{{ lower || '\u00a0' }}</span
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
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}
</style>
