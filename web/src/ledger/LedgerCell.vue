<script setup lang="ts">
import { computed } from 'vue'
import type { Cell } from '@/ledger/useLedger'
import StateMark from '@/parts/StateMark.vue'

/** Two lines of one field of one record, as the server has them: what stands in each, its tone, and where its mark is. */
const props = defineProps<{ cell: Cell }>()

/** Line ends would break the line; they are shown as what they are. */
const flat = (text: string | null | undefined) => text?.replaceAll('\r\n', '⏎').replaceAll('\n', '⏎') ?? ''

const END = 7
/** A text that may not fit is cut in its middle, for its end tells something too; that of an address does not. */
function parts(text: string): [string, string] {
  return text.length > 3 * END && !text.includes('@') ? [text.slice(0, -END), text.slice(-END)] : [text, '']
}
const upper = computed(() => parts((props.cell.above ?? flat(props.cell.upper)) || '\u00a0'))
const lower = computed(() => props.cell.below ?? flat(props.cell.lower))
const lines = computed(() => (props.cell.sentence ? ([lower.value, ''] as const) : parts(lower.value || '\u00a0')))
</script>

<template>
  <div
    role="gridcell"
    class="cell mono"
    :class="{ said: cell.tone === 'brick' || cell.tone === 'marigold' }"
    :title="[cell.upper, cell.lower, cell.note].filter(Boolean).join('\n')"
  >
    <span class="line" :class="{ slate: cell.quiet, unsent: cell.above === 'not sent' }"
      ><StateMark v-if="cell.marked === 'upper'" :state="cell.mark" class="me-1" /><span class="start">{{
        upper[0]
      }}</span
      ><span class="rest">{{ upper[1] }}</span></span
    >
    <span v-if="!cell.alone" class="line" :class="[cell.tone, { note: cell.sentence }]"
      ><StateMark v-if="cell.marked === 'lower'" :state="cell.mark" class="me-1" /><a
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
/* A page of text does not push everything else away: all of it is in the title. */
[aria-selected='true'] .line {
  display: -webkit-box;
  overflow: hidden;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 8;
}
</style>
