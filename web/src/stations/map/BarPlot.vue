<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'

/** How many rows land what, from the least to the greatest or, of words, from the most frequent on. */
const props = defineProps<{ bars: Schemas['Bar'][] }>()
const highest = computed(() => Math.max(...props.bars.map((bar) => bar.count), 1))
const told = (bar: Schemas['Bar']) => `${bar.label}: ${counted(bar.count, 'row')}`
/** Under the plot the first and the last bar are named, and one between where there is room for it. */
const named = computed(() => {
  const labels = props.bars.map((bar) => bar.label)
  const ends = labels.length > 2 ? [labels[0], labels[Math.floor(labels.length / 2)], labels.at(-1)] : labels
  return ends.join('').length <= 30 ? ends : [labels[0], labels.at(-1)]
})
</script>

<template>
  <div>
    <div class="plot" role="img" :aria-label="bars.map(told).join('\n')">
      <span class="most">{{ counted(highest, 'row') }}</span>
      <i v-for="bar in bars" :key="bar.label" :title="told(bar)"
        ><b :style="{ height: `${(100 * bar.count) / highest}%` }"></b
      ></i>
    </div>
    <div class="axis" aria-hidden="true">
      <span v-for="(label, index) in named" :key="index" class="clip">{{ label }}</span>
    </div>
  </div>
</template>

<style scoped>
.plot {
  position: relative;
  display: flex;
  gap: 2px;
  height: 62px;
  padding-top: 16px;
  border-bottom: 1px solid var(--slate);
}
.most {
  position: absolute;
  top: 0;
  left: 0;
  right: 0;
  border-bottom: 1px dotted var(--rule);
  color: var(--slate-text);
  font-size: 0.69rem;
}
i {
  display: flex;
  flex: 1;
  align-items: flex-end;
}
b {
  width: 100%;
  min-height: 1px;
  background: var(--petrol);
  opacity: 0.75;
}
.axis {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  margin-bottom: 5px;
  color: var(--slate-text);
  font-size: 0.69rem;
}
</style>
