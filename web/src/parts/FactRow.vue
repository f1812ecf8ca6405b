<script setup lang="ts" generic="Shown extends string">
import type { Fact } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'

/** What a page is of at a glance: facts, of which some open what they are of. */
defineProps<{ facts: Fact<Shown>[]; shown: Shown; label: string }>()
defineEmits<{ show: [Shown] }>()
</script>

<template>
  <nav class="facts" :aria-label="label" :style="{ '--count': facts.length }">
    <component
      :is="fact.shows ? 'button' : 'div'"
      v-for="fact in facts"
      :key="fact.head"
      :type="fact.shows && 'button'"
      :class="{ on: shown === fact.shows }"
      :aria-pressed="fact.shows && shown === fact.shows"
      @click="fact.shows && $emit('show', fact.shows)"
    >
      <b>{{ fact.head }}</b>
      <span class="slate clip" :title="fact.parts.map((part) => part.text).join(' ')">
        <span v-for="part in fact.parts" :key="part.text" class="part" :class="{ brick: part.mark === 'held' }"
          ><StateMark :state="part.mark" /> {{ part.text }}</span
        >
      </span>
    </component>
  </nav>
</template>

<style scoped>
.facts {
  display: grid;
  grid-template-columns: repeat(var(--count), minmax(0, 1fr));
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
.facts > * {
  display: grid;
  padding: 7px 16px 4px;
  border: 0;
  border-right: 1px solid var(--rule-faint);
  border-bottom: 3px solid transparent;
  background: none;
  color: inherit;
  text-align: left;
}
.facts > .on {
  border-bottom-color: var(--petrol);
  background: var(--petrol-tint);
}
@media (max-width: 999.98px) {
  .facts {
    grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
  }
}
.part + .part {
  margin-left: 10px;
}
</style>
