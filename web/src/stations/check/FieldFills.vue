<script setup lang="ts">
import { computed } from 'vue'
import type { Line } from '@/ledger/useLedger'
import FillBar from '@/ledger/FillBar.vue'
import { number, percent } from '@/parts/format'

/** What each field that is fed would hold: in how many rows, and how many of them it holds back. */
const props = defineProps<{ lines: Line[]; selected: string | null }>()
const emit = defineEmits<{ select: [string] }>()
const filled = computed(() =>
  props.lines.flatMap(({ path, title, fill }) =>
    fill ? [{ path, title, fill, all: fill.landed + fill.held + fill.blank }] : [],
  ),
)
</script>

<template>
  <section v-if="filled.length" aria-label="How full each field is">
    <h2 class="panel-heading"><span>How full each field is</span><span>held</span></h2>
    <button
      v-for="{ path, title, fill, all } in filled"
      :key="path"
      type="button"
      class="visually-plain"
      :aria-pressed="path === selected"
      @click="emit('select', path)"
    >
      <span class="clip" :title="title">{{ title }}</span>
      <FillBar :fill="fill" />
      <span class="mono slate">{{ percent(fill.landed, all) }}</span>
      <span class="mono" :class="fill.held ? 'brick' : 'slate'">{{ fill.held ? number(fill.held) : '–' }}</span>
    </button>
  </section>
</template>

<style scoped>
button {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 84px 48px 48px;
  align-items: center;
  gap: 8px;
  width: 100%;
  min-height: 24px;
  padding: 2px 0;
}
button:hover span:first-child,
button[aria-pressed='true'] span:first-child {
  color: var(--petrol);
}
.mono {
  text-align: right;
}
</style>
