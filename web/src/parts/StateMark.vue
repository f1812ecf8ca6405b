<script setup lang="ts">
/** A state's mark and colour: never the colour alone. */
export type State = 'good' | 'warned' | 'changed' | 'held' | 'same' | ''

defineProps<{ state: State }>()
const marks: Record<State, [string, string]> = {
  good: ['●', 'moss'],
  warned: ['◐', 'marigold'],
  changed: ['◐', 'marigold'],
  held: ['■', 'brick'],
  same: ['–', 'slate'],
  '': ['', ''],
}
</script>

<template>
  <span v-if="state" :class="marks[state][1]" aria-hidden="true">{{ marks[state][0] }}</span>
</template>
