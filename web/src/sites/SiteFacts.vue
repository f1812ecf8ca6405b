<script setup lang="ts">
import type { Fact, Shown } from '@/sites/useSiteFacts'

/** The site at a glance: each fact opens what it is of. */
defineProps<{ facts: Fact[]; shown: Shown }>()
defineEmits<{ show: [Shown] }>()
</script>

<template>
  <nav class="facts" aria-label="The site at a glance">
    <button
      v-for="fact in facts"
      :key="fact.head"
      type="button"
      :class="{ on: shown === fact.shows }"
      :aria-pressed="shown === fact.shows"
      @click="$emit('show', fact.shows)"
    >
      <b>{{ fact.head }}</b>
      <span class="slate clip" :title="fact.says">{{ fact.says }}</span>
    </button>
  </nav>
</template>

<style scoped>
.facts {
  display: grid;
  grid-template-columns: repeat(6, minmax(0, 1fr));
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
.facts button {
  display: grid;
  padding: 7px 16px 4px;
  border: 0;
  border-right: 1px solid var(--rule-faint);
  border-bottom: 3px solid transparent;
  background: none;
  color: inherit;
  text-align: left;
}
.facts button.on {
  border-bottom-color: var(--petrol);
  background: var(--petrol-tint);
}
</style>
