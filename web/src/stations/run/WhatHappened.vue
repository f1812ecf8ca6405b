<script setup lang="ts">
import type { Schemas } from '@/api/client'
import type { State } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'

/** What happened in a run, the latest first. */
defineProps<{ happened: Schemas['Happened'][] }>()
const clock = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', second: '2-digit' })
</script>

<template>
  <section v-if="happened.length" aria-label="What happened">
    <h3 class="panel-heading"><span>What happened</span></h3>
    <ol>
      <li v-for="one in happened" :key="one.at + one.text">
        <time class="mono slate" :datetime="one.at">{{ clock.format(Date.parse(one.at)) }}</time>
        <StateMark :state="one.mark as State" />
        <span>{{ one.text }}</span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
ol {
  margin: 0 0 12px;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: auto auto 1fr;
  align-items: baseline;
  gap: 7px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule-faint);
}
</style>
