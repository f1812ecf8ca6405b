<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed } from 'vue'
import type { Ledger } from '@/ledger/useLedger'
import { isTyping } from '@/workbench/useDialogs'

/** The head of a list in the ledger: how many each record holds, which of them is shown, and the way to all of one. */
const props = defineProps<{ title: string; path: string; records: Ledger['records']; line: number; keyed: boolean }>()
const emit = defineEmits<{ line: [number]; all: [number] }>()
const counts = computed(() => props.records.map((record) => record.lines[props.path] ?? 0))
const most = computed(() => Math.max(1, ...counts.value))
const one = computed(() => props.title.toLowerCase().replace(/s$/, ''))
const first = computed(() => counts.value.findIndex((count) => count > 0))
function walk(by: 1 | -1) {
  const next = props.line + by
  if (next >= 1 && next <= most.value) emit('line', next)
}
useEventListener(window, 'keydown', (event) => {
  if (!props.keyed || isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return
  if (event.key === '[') walk(-1)
  if (event.key === ']') walk(1)
})
</script>

<template>
  <span role="gridcell">
    {{ title }}
    <button
      v-for="(count, at) in counts"
      :key="records[at]?.row"
      type="button"
      class="count visually-plain"
      :class="{ brick: !count }"
      :title="`all ${title.toLowerCase()} of ${records[at]?.label || records[at]?.place}`"
      :aria-label="`${count} ${title.toLowerCase()} of ${records[at]?.label || records[at]?.place}`"
      @click.stop="emit('all', at)"
    >
      {{ count }}
    </button>
  </span>
  <span role="gridcell" class="walk">
    <span>{{ one }} {{ line }} of {{ most }}</span>
    <button
      v-for="by in [-1, 1] as const"
      :key="by"
      type="button"
      class="visually-plain"
      :aria-label="`${by < 0 ? 'Earlier' : 'Later'} ${one}`"
      :disabled="line + by < 1 || line + by > most"
      @click.stop="walk(by)"
    >
      {{ by < 0 ? '[' : ']' }}
    </button>
    <button v-if="first >= 0" type="button" class="visually-plain petrol" @click.stop="emit('all', first)">
      all {{ title.toLowerCase() }} of {{ records[first]?.label || records[first]?.place }}
    </button>
  </span>
</template>

<style scoped>
.count {
  min-width: 20px;
  margin-left: 4px;
  padding: 0 5px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--sheet);
  text-align: center;
}
.walk {
  display: inline-flex;
  gap: 8px;
}
.walk button:disabled {
  opacity: 0.35;
}
</style>
