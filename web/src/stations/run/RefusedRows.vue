<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import { origin } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'

/** The records that the site refused in the same words. */
const props = defineProps<{ id: number; run: number; refusal: Schemas['Refusal'] }>()
const emit = defineEmits<{ close: [] }>()
const { data: failed, error } = useQuery({
  queryKey: ['failed', toRef(props, 'id'), toRef(props, 'run'), toRef(props, 'refusal')],
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/runs/{run_id}/failed', {
        params: { path: { import_id: props.id, run_id: props.run }, query: { like: props.refusal.item } },
      }),
    ),
})
</script>

<template>
  <DialogBox model-value :title="`“${refusal.said}”`" wide @update:model-value="emit('close')">
    <table class="listing">
      <thead>
        <tr>
          <th>Where</th>
          <th>Key</th>
          <th>Was to</th>
          <th>The site said</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in failed" :key="row.item">
          <td>{{ origin(row) }}</td>
          <td class="mono">{{ row.key }}</td>
          <td>{{ row.action }}</td>
          <td class="brick">{{ row.message }}</td>
        </tr>
      </tbody>
    </table>
    <ProblemNote :error="error" />
  </DialogBox>
</template>
