<script setup lang="ts">
import { useInfiniteQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import EmptyState from '@/parts/EmptyState.vue'
import { number, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { outcome, planned, verified } from '@/stations/run/outcomes'

/** What was done to a site: every run, the latest first, with its plan, what came of it and what was proven. */
const props = defineProps<{ site: number }>()
const MOST = 200
const found = useInfiniteQuery({
  queryKey: ['site runs', toRef(props, 'site')],
  initialPageParam: null as number | null,
  queryFn: async ({ pageParam }) =>
    // The client widens records; the schema does not.
    (await answer(
      api.GET('/api/sites/{site_id}/runs', {
        params: { path: { site_id: props.site }, query: { before: pageParam } },
      }),
    )) as Schemas['PastRun'][],
  getNextPageParam: (last) => (last.length < MOST ? undefined : last.at(-1)?.id),
})
const runs = computed(() => found.data.value?.pages.flat())
</script>

<template>
  <section class="history" aria-label="Runs to this site">
    <EmptyState v-if="runs && !runs.length" title="Nothing was sent to this site yet">
      <p class="slate">Every run stands here, with what came of it.</p>
    </EmptyState>
    <table v-else-if="runs" class="listing">
      <thead>
        <tr>
          <th>Started</th>
          <th>Import</th>
          <th>By</th>
          <th>Planned</th>
          <th>Came of it</th>
          <th>Read back</th>
          <th>Summary</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="run in runs" :key="run.id">
          <td>{{ time(run.started_at) }}</td>
          <td>
            <RouterLink :to="`/imports/${run.import_id}/run`" class="text-decoration-underline">{{
              run.import_name
            }}</RouterLink>
          </td>
          <td>{{ run.started_by }}</td>
          <td>{{ planned(run) }}</td>
          <td>
            <StateMark :state="outcome(run).state" /> {{ outcome(run).text
            }}<template v-if="run.taken_back">, {{ number(run.taken_back) }} taken back</template>
          </td>
          <td><StateMark :state="verified(run).state" /> {{ verified(run).text }}</td>
          <td>
            <a
              :href="`/api/imports/${run.import_id}/runs/${run.id}/summary.pdf`"
              class="text-decoration-underline"
              :aria-label="`Summary of run ${run.id} as PDF`"
              >PDF</a
            >
          </td>
        </tr>
      </tbody>
    </table>
    <BButton
      v-if="found.hasNextPage.value"
      variant="link"
      :disabled="found.isFetchingNextPage.value"
      @click="found.fetchNextPage()"
      >Show those before</BButton
    >
    <ProblemNote :error="found.error.value" />
  </section>
</template>

<style scoped>
.history {
  padding: 12px 16px;
}
</style>
