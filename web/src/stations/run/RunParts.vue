<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { number } from '@/parts/format'

/** How far a run has come with what is created, updated and deleted, of each record type. */
const props = defineProps<{ parts: Schemas['PartOfRun'][]; own: string }>()
const named = computed(() =>
  props.parts.map((part) => ({
    ...part,
    title: `${(part.record_type || props.own).replaceAll(/[-_]/g, ' ')}, ${part.action}: ${number(part.total)}`,
    came: [
      `${number(part.done)} done`,
      part.failed && `${number(part.failed)} refused`,
      part.record_type && 'each once',
    ]
      .filter(Boolean)
      .join(', '),
  })),
)
</script>

<template>
  <ul aria-label="Parts of the run">
    <li v-for="part in named" :key="part.title">
      <span class="clip">{{ part.title }}</span>
      <span class="bar" aria-hidden="true">
        <i :style="{ flexGrow: part.done, background: 'var(--moss)' }"></i>
        <i :style="{ flexGrow: part.failed, background: 'var(--brick)' }"></i>
        <i :style="{ flexGrow: part.total - part.done - part.failed }"></i>
      </span>
      <span class="slate">{{ part.came }}</span>
    </li>
  </ul>
</template>

<style scoped>
ul {
  margin: 0 0 14px;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(120px, 200px) minmax(80px, 1fr) minmax(120px, 190px);
  align-items: center;
  gap: 12px;
  padding: 2px 0;
}
.bar {
  display: flex;
  height: 8px;
  background: var(--rule-faint);
}
</style>
