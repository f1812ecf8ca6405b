<script setup lang="ts">
import { computed } from 'vue'
import StateMark from '@/parts/StateMark.vue'
import { preflight } from '@/workbench/summaries'
import type { Overview } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview }>()
const points = computed(() => preflight(props.overview))
</script>

<template>
  <ul class="points">
    <li v-for="point in points" :key="point.text"><StateMark :state="point.state" /> {{ point.text }}</li>
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
