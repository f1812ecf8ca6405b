<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { computed } from 'vue'
import { Problem } from '@/api/client'

const props = defineProps<{ error: Error | null | undefined }>()
const remedy = computed(() => (props.error instanceof Problem ? props.error.remedy : ''))
</script>

<template>
  <p v-if="error" class="problem" role="alert"><StateMark state="held" /> {{ error.message }} {{ remedy }}</p>
</template>

<style scoped>
.problem {
  margin: 0 0 12px;
  padding: 7px 11px;
  border-left: 3px solid var(--brick);
  background: var(--sheet);
  color: var(--brick);
}
</style>
