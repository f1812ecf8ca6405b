<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import RunDetails from '@/stations/run/RunDetails.vue'
import RunTable from '@/stations/run/RunTable.vue'
import { isUnderWay } from '@/workbench/useImport'

/** Every run of the import, the latest first, each with its plan, outcome and verification. */
const props = defineProps<{ id: number; fresh: string; titles: Record<string, string> }>()
const { data: runs, error } = useQuery({
  queryKey: ['runs', toRef(props, 'id'), toRef(props, 'fresh')],
  queryFn: async () =>
    // The client widens records; the schema does not.
    (await answer(
      api.GET('/api/imports/{import_id}/runs', { params: { path: { import_id: props.id } } }),
    )) as Schemas['PastRun'][],
})
/** What goes on now is shown above. */
const over = computed(() => runs.value?.filter((run) => !isUnderWay(run)) ?? [])
const open = ref<number | null>(null)
</script>

<template>
  <section v-if="over.length" aria-label="Runs of this import">
    <h2>Runs of this import</h2>
    <RunTable :runs="over" from="From" more="More">
      <template #from="{ run }">
        <span class="mono">{{ run.filename }}</span>
      </template>
      <template #more="{ run }">
        <button
          type="button"
          class="visually-plain petrol"
          :aria-expanded="open === run.id"
          @click="open = open === run.id ? null : run.id"
        >
          {{ open === run.id ? 'Less' : 'Details'
          }}<span class="visually-hidden"> of the run of {{ time(run.started_at) }}</span>
        </button>
      </template>
      <template #below="{ run }">
        <tr v-if="open === run.id">
          <td colspan="7" class="details"><RunDetails :id="id" :run="run.id" :fresh="fresh" :titles="titles" /></td>
        </tr>
      </template>
    </RunTable>
    <ProblemNote :error="error" />
  </section>
</template>

<style scoped>
.details {
  padding: 8px 0 14px 14px;
}
</style>
