<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answer, api } from '@/api/client'
import { said } from '@/audit/said'
import { counted, number, time } from '@/parts/format'
import PageShell from '@/parts/PageShell.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** Who did what to what, and when; and whether anything of it was removed or altered since. */
const search = ref('')
const { data, error, fetchNextPage, hasNextPage } = useInfiniteQuery({
  queryKey: ['audit', search],
  initialPageParam: undefined as number | undefined,
  queryFn: ({ pageParam }) =>
    answer(api.GET('/api/audit', { params: { query: { search: search.value, before: pageParam, count: 100 } } })),
  getNextPageParam: (page) => (page.entries.length === 100 ? page.entries.at(-1)?.id : undefined),
  placeholderData: keepPreviousData,
})
const entries = computed(() => data.value?.pages.flatMap((page) => page.entries) ?? [])
const total = computed(() => data.value?.pages[0]?.total ?? 0)
const { data: chain } = useQuery({ queryKey: ['audit chain'], queryFn: () => answer(api.GET('/api/audit/chain')) })
const download = computed(() => `/api/audit/audit.csv?${new URLSearchParams({ search: search.value })}`)
</script>

<template>
  <PageShell title="Audit log">
    <p v-if="chain" :class="chain.faults.length ? 'brick' : 'slate'">
      <StateMark :state="chain.faults.length ? 'held' : 'good'" class="me-1" />
      <template v-if="chain.faults.length">
        The chain of the log is broken in {{ counted(chain.faults.length, 'place') }}:
        <span v-for="one in chain.faults.slice(0, 20)" :key="one.number"
          >seal {{ number(one.number) }}, {{ one.what }};
        </span>
      </template>
      <template v-else
        >{{ counted(chain.sealed, 'entry') }} sealed, none removed or altered since. The last seal is
        <span class="mono seal">{{ chain.last }}</span></template
      >
    </p>
    <div class="bar">
      <BFormInput
        v-model="search"
        size="sm"
        type="search"
        placeholder="a person, an action, import 7, …"
        aria-label="Search the audit log"
        :debounce="250"
      />
      <span class="slate">{{ counted(total, 'entry') }}</span>
      <a :href="download" download>Download as CSV</a>
    </div>
    <ProblemNote :error="error" />
    <table class="listing">
      <thead>
        <tr>
          <th>When</th>
          <th>Who</th>
          <th>What</th>
          <th>To what</th>
          <th>How</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in entries" :key="one.id">
          <td class="when">{{ time(one.at) }}</td>
          <td>{{ one.person }}</td>
          <td>{{ one.action }}</td>
          <td>{{ one.subject }}</td>
          <td class="mono slate how">{{ said(one.detail) }}</td>
        </tr>
      </tbody>
    </table>
    <BButton v-if="hasNextPage" variant="link" class="mt-2" @click="fetchNextPage()">Show earlier ones</BButton>
  </PageShell>
</template>

<style scoped>
.bar {
  display: grid;
  grid-template-columns: minmax(160px, 340px) auto 1fr;
  align-items: center;
  gap: 16px;
  margin: 10px 0 14px;
}
.bar a {
  justify-self: end;
}
.when {
  white-space: nowrap;
}
.how,
.seal {
  overflow-wrap: anywhere;
}
</style>
