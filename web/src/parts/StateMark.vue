<script setup lang="ts">
import { marks, type State } from '@/parts/marks'

/** A state's mark: its shape tells as much as its colour. */
defineProps<{ state: State }>()
const tones: Record<State, string> = {
  good: 'moss',
  warned: 'marigold',
  changed: 'marigold',
  held: 'brick',
  same: 'slate',
  '': '',
}
</script>

<template>
  <span v-if="state" class="state" :title="marks[state]" aria-hidden="true"
    ><svg :class="tones[state]" viewBox="0 0 10 10">
      <circle v-if="state === 'good'" cx="5" cy="5" r="4.5" />
      <template v-else-if="state === 'warned' || state === 'changed'">
        <circle cx="5" cy="5" r="4" fill="none" stroke="currentColor" />
        <path d="M5 1a4 4 0 0 0 0 8z" />
      </template>
      <rect v-else-if="state === 'held'" x="0.8" y="0.8" width="8.4" height="8.4" />
      <rect v-else x="1" y="4.3" width="8" height="1.4" /></svg
  ></span>
</template>

<style scoped>
.state {
  display: inline-block;
  width: 0.72em;
}
svg {
  display: inline-block;
  width: 0.72em;
  height: 0.72em;
  fill: currentColor;
  vertical-align: 0;
}
</style>
