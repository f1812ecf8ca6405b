<script setup lang="ts">
import { computed } from 'vue'
import { meaning } from '@/help/guide'
import { counted, number, percent } from '@/parts/format'
import type { State } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'

const props = defineProps<{ counts: Record<string, number> }>()
const emit = defineEmits<{ choose: [string] }>()

const parts: { action: string; mark: State; colour: string }[] = [
  { action: 'create', mark: 'good', colour: 'var(--moss)' },
  { action: 'update', mark: 'changed', colour: 'var(--marigold)' },
  { action: 'delete', mark: 'held', colour: 'var(--brick)' },
  { action: 'unchanged', mark: 'same', colour: 'var(--slate)' },
  { action: 'left out', mark: 'same', colour: 'var(--rule)' },
  { action: 'held', mark: 'held', colour: 'var(--brick)' },
  { action: 'unnamed', mark: 'same', colour: 'var(--rule)' },
]
/** What few plans do is shown where it is done. */
const rare = ['delete', 'unnamed']
const shown = computed(() => parts.filter((part) => props.counts[part.action] || !rare.includes(part.action)))
const total = computed(() => Object.values(props.counts).reduce((sum, count) => sum + count, 0))
</script>

<template>
  <div>
    <div class="strip" aria-hidden="true">
      <i
        v-for="part in shown"
        :key="part.action"
        :style="{ flexGrow: counts[part.action] ?? 0, background: part.colour }"
      ></i>
    </div>
    <ul class="legend">
      <li v-for="part in shown" :key="part.action">
        <button
          type="button"
          class="visually-plain"
          :title="meaning(part.action)"
          :disabled="!counts[part.action]"
          @click="emit('choose', part.action)"
        >
          <StateMark :state="part.mark" /> <b>{{ number(counts[part.action] ?? 0) }}</b> {{ part.action }}
          <span class="slate small">{{ percent(counts[part.action] ?? 0, total) }}</span>
        </button>
      </li>
      <li class="slate">= {{ counted(total, 'record') }}</li>
    </ul>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  height: 14px;
  background: var(--rule-faint);
}
.strip i {
  min-width: 0;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}
.legend button:not(:disabled):hover {
  text-decoration: underline;
}
</style>
