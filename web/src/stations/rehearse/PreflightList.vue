<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { listed } from '@/parts/format'
import type { State } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'

/** What is to be in order before a run, each with what sets it right where it is not. */
const props = defineProps<{ points: Schemas['Point'][] }>()
const amiss = computed(() => props.points.filter((point) => point.state !== 'good'))
const good = computed(() => props.points.filter((point) => point.state === 'good'))
const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
</script>

<template>
  <ul class="points">
    <li v-for="point in amiss" :key="point.name">
      <StateMark :state="point.state as State" /> {{ sentence(point.text) }}.
      <span class="slate">{{ point.remedy }}</span>
    </li>
    <li v-if="good.length">
      <details>
        <summary><StateMark state="good" /> In order: {{ listed(good.map((point) => point.name)) }}</summary>
        <ul class="points">
          <li v-for="point in good" :key="point.name" class="slate">{{ sentence(point.text) }}</li>
        </ul>
      </details>
    </li>
  </ul>
</template>

<style scoped>
.points {
  margin: 0;
  padding: 0;
  list-style: none;
}
.points li {
  padding: 2px 0;
}
summary {
  list-style: none;
  cursor: pointer;
}
details ul {
  padding-left: 1.2em;
}
</style>
