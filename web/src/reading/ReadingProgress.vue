<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { BButton, BProgress } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, percent, span } from '@/parts/format'

/** How far a file is that is sent and read. */
const props = defineProps<{ sent: number | null; state: Schemas['ReadingView'] | null }>()
const emit = defineEmits<{ stop: [] }>()
const now = ref(Date.now())
useIntervalFn(() => (now.value = Date.now()), 500)

const share = computed(() => {
  if (props.sent !== null && props.sent < 1) return props.sent
  return props.state?.share ?? null
})
const told = computed(() => {
  if (props.sent !== null && props.sent < 1) return `${percent(props.sent, 1)} sent`
  const { state } = props
  if (!state?.rows_done) return 'reading'
  const rows = `${counted(state.rows_done, 'row')} read`
  const seconds = (now.value - new Date(state.started_at).getTime()) / 1000
  if (!state.share) return rows
  return `${rows}, ${percent(state.share, 1)}, ${span(Math.max(0, seconds / state.share - seconds))} left`
})
</script>

<template>
  <div class="reading" role="status">
    <BProgress class="bar" :value="share ?? 1" :max="1" :striped="share === null" aria-label="Reading" />
    <span>{{ told }}</span>
    <BButton variant="link" size="sm" class="p-0" @click="emit('stop')">Stop</BButton>
  </div>
</template>

<style scoped>
.reading {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
}
.bar {
  width: 240px;
}
</style>
