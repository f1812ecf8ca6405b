<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { answer, api } from '@/api/client'
import { time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import DifferenceTable from '@/stations/map/DifferenceTable.vue'
import type { Mapping } from '@/stations/map/useMapping'

const props = defineProps<{ id: number; titles: Record<string, string>; disabled: boolean }>()
const emit = defineEmits<{ back: [Mapping] }>()
const { data: versions, error } = useQuery({
  queryKey: ['versions', props.id],
  queryFn: () =>
    answer(api.GET('/api/imports/{import_id}/mapping/versions', { params: { path: { import_id: props.id } } })),
})

async function goBack(version: number) {
  const path = { import_id: props.id, version }
  emit('back', await answer(api.GET('/api/imports/{import_id}/mapping/versions/{version}', { params: { path } })))
}
</script>

<template>
  <ProblemNote :error="error" />
  <ol class="versions">
    <li v-for="(one, index) in versions ?? []" :key="one.version">
      <div class="head">
        <b>Version {{ one.version }}</b>
        <span class="slate">{{ one.by }}, {{ time(one.at) }}</span>
        <BButton v-if="index && !disabled" variant="link" size="sm" class="p-0" @click="goBack(one.version)"
          >Go back to this version</BButton
        >
        <span v-else-if="!index" class="slate">now</span>
      </div>
      <DifferenceTable v-if="one.changes.length" :differences="one.changes" :titles="titles" />
      <p v-else class="slate mb-0">
        {{ one.version === 1 ? 'As it was suggested.' : 'Nothing that lands otherwise.' }}
      </p>
    </li>
  </ol>
</template>

<style scoped>
.versions {
  margin: 0;
  padding: 0;
  list-style: none;
}
.versions > li {
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
}
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
</style>
