<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { percent } from '@/parts/format'

/** How many rows land a value that the site takes, how many are held by what they have, and how many are blank. */
const props = defineProps<{ fill: Schemas['Fill'] }>()
const total = computed(() => props.fill.landed + props.fill.held + props.fill.blank)
const told = computed(() => {
  const share = (part: 'landed' | 'held' | 'blank') => percent(props.fill[part], total.value)
  return `${share('landed')} land a value that the site takes, ${share('held')} are held by it, ${share('blank')} blank`
})
function width(part: 'landed' | 'held'): string {
  const share = (100 * props.fill[part]) / Math.max(total.value, 1)
  // A few rows in thousands still show.
  return share ? `max(${share}%, 3px)` : '0'
}
</script>

<template>
  <span class="bar" role="img" :aria-label="told" :title="told">
    <i :style="{ width: width('landed'), background: 'var(--moss)' }"></i>
    <i :style="{ width: width('held'), background: 'var(--brick)' }"></i>
  </span>
</template>

<style scoped>
.bar {
  display: flex;
  width: 100%;
  height: 7px;
  background: var(--rule);
}
i {
  display: block;
  height: 100%;
}
i:last-child {
  flex: none;
}
</style>
