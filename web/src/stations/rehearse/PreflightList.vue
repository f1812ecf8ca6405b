<script setup lang="ts">
import type { Schemas } from '@/api/client'
import type { State } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'

/** What is to be in order before a run, each with what sets it right where it is not. */
defineProps<{ points: Schemas['Point'][] }>()
const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
</script>

<template>
  <ul class="points">
    <li v-for="point in points" :key="point.name" :title="point.remedy || undefined">
      <StateMark :state="point.state as State" /> {{ sentence(point.text) }}
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
</style>
