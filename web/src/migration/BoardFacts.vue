<script setup lang="ts">
import type { Fact } from '@/migration/facts'
import StateMark from '@/parts/StateMark.vue'

/** The migration at a glance; the first two show the board and the links. */
export type Shown = 'board' | 'links'
defineProps<{ facts: Fact[] }>()
const shown = defineModel<Shown>({ required: true })
const SHOWS: (Shown | undefined)[] = ['board', 'links']
</script>

<template>
  <nav class="facts" aria-label="The migration at a glance">
    <component
      :is="SHOWS[at] ? 'button' : 'div'"
      v-for="(fact, at) in facts"
      :key="fact.head"
      :type="SHOWS[at] && 'button'"
      :class="{ on: SHOWS[at] === shown }"
      :aria-pressed="SHOWS[at] && SHOWS[at] === shown"
      @click="shown = SHOWS[at] ?? shown"
    >
      <b>{{ fact.head }}</b>
      <span class="slate clip">
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
  grid-template-columns: 1.2fr repeat(5, minmax(0, 1fr));
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
.part {
  margin-right: 10px;
}
</style>
