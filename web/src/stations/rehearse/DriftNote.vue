<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, toRef } from 'vue'
import { answer, api } from '@/api/client'
import { counted, listed, time } from '@/parts/format'

/** What a plan does otherwise than the one before it. */
const props = defineProps<{ id: number; planKey: string }>()
const { data: drift } = useQuery({
  queryKey: ['drift', toRef(props, 'id'), toRef(props, 'planKey')],
  queryFn: () =>
    answer(api.GET('/api/imports/{import_id}/rehearsal/drift', { params: { path: { import_id: props.id } } })),
})
const drifted = computed(() =>
  (drift.value?.changes ?? []).map((one) => {
    const count = counted(one.records, 'record')
    if (one.was === null) return `${count} more, ${one.now}`
    return one.now === null ? `${count} fewer, ${one.was} before` : `${count} ${one.now} now, ${one.was} before`
  }),
)
</script>

<template>
  <p v-if="drifted.length" class="small mt-3 mb-0">
    Since the rehearsal of {{ time(drift?.since ?? '') }}: {{ listed(drifted) }}.
  </p>
</template>
