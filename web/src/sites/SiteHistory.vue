<script setup lang="ts">
import { useInfiniteQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import EmptyState from '@/parts/EmptyState.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import RunTable from '@/stations/run/RunTable.vue'

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
    <RunTable v-else-if="runs" :runs="runs" from="Import" more="Summary">
      <template #from="{ run }">
        <RouterLink :to="`/imports/${run.import_id}/run`" class="text-decoration-underline">{{
          run.import_name
        }}</RouterLink>
      </template>
      <template #more="{ run }">
        <a
          :href="`/api/imports/${run.import_id}/runs/${run.id}/summary.pdf`"
          class="text-decoration-underline"
          :aria-label="`Summary of run ${run.id} as PDF`"
          >PDF</a
        >
      </template>
    </RunTable>
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
