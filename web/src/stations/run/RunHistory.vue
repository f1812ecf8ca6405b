<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { number, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import RunDetails from '@/stations/run/RunDetails.vue'
import { outcome, planned, verified } from '@/stations/run/outcomes'

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
const over = computed(() => runs.value?.filter((run) => !['waiting', 'running'].includes(run.state)) ?? [])
const open = ref<number | null>(null)
</script>

<template>
  <section v-if="over.length" aria-label="Runs of this import">
    <h2>Runs of this import</h2>
    <div class="wide">
      <table class="listing">
        <thead>
          <tr>
            <th>Started</th>
            <th>By</th>
            <th>From</th>
            <th>Planned</th>
            <th>Came of it</th>
            <th>Read back</th>
            <th><span class="visually-hidden">More</span></th>
          </tr>
        </thead>
        <tbody>
          <template v-for="run in over" :key="run.id">
            <tr>
              <td>{{ time(run.started_at) }}</td>
              <td>{{ run.started_by }}</td>
              <td class="mono">{{ run.filename }}</td>
              <td>{{ planned(run) }}</td>
              <td>
                <StateMark :state="outcome(run).state" /> {{ outcome(run).text
                }}<template v-if="run.taken_back">, {{ number(run.taken_back) }} taken back</template>
              </td>
              <td><StateMark :state="verified(run).state" /> {{ verified(run).text }}</td>
              <td>
                <button
                  type="button"
                  class="visually-plain petrol"
                  :aria-expanded="open === run.id"
                  @click="open = open === run.id ? null : run.id"
                >
                  {{ open === run.id ? 'Less' : 'Details'
                  }}<span class="visually-hidden"> of the run of {{ time(run.started_at) }}</span>
                </button>
              </td>
            </tr>
            <tr v-if="open === run.id">
              <td colspan="7" class="details"><RunDetails :id="id" :run="run.id" :fresh="fresh" :titles="titles" /></td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <ProblemNote :error="error" />
  </section>
</template>

<style scoped>
.wide {
  overflow-x: auto;
}
.details {
  padding: 8px 0 14px 14px;
}
</style>
