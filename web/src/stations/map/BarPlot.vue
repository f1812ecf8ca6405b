<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'

const props = defineProps<{ bars: Schemas['Bar'][] }>()
const highest = computed(() => Math.max(...props.bars.map((bar) => bar.count), 1))
const told = computed(() => props.bars.map((bar) => `${bar.label}: ${bar.count.toLocaleString('en')}`).join('\n'))
</script>

<template>
  <div class="plot" role="img" :aria-label="told" :title="told">
    <i v-for="bar in bars" :key="bar.label" :style="{ height: `${(100 * bar.count) / highest}%` }"></i>
  </div>
</template>

<style scoped>
.plot {
  display: flex;
  align-items: flex-end;
  gap: 2px;
  height: 34px;
  margin-bottom: 4px;
}
i {
  flex: 1;
  min-height: 1px;
  background: var(--petrol);
  opacity: 0.75;
}
</style>
