<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { counted, origin } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** What one run changed, what the site refused of it, and what it holds otherwise. */
const props = defineProps<{ id: number; run: number; fresh: string; titles: Record<string, string> }>()
const { data: report, error } = useQuery({
  queryKey: ['run report', toRef(props, 'id'), toRef(props, 'run'), toRef(props, 'fresh')],
  queryFn: async () =>
    // The client widens tuples; the schema does not.
    (await answer(
      api.GET('/api/imports/{import_id}/runs/{run_id}', {
        params: { path: { import_id: props.id, run_id: props.run } },
      }),
    )) as Schemas['RunReport'],
})
const named = (path: string) => props.titles[path] ?? path
const shown = (value: unknown) => (value == null || value === '' ? 'blank' : String(value))
</script>

<template>
  <ProblemNote :error="error" />
  <template v-if="report">
    <p v-if="report.changed_fields.length">
      Fields that changed:
      {{ report.changed_fields.map((one) => `${named(one.field)} in ${counted(one.records, 'record')}`).join(', ') }}.
    </p>
    <p v-else>No record that was on the site changed.</p>
    <ul v-if="report.failed.length">
      <li v-for="row in report.failed" :key="row.item">
        <StateMark state="held" /> {{ origin(row) }}, <span class="mono">{{ row.key }}</span>, was to {{ row.action }}:
        {{ row.message }}
      </li>
    </ul>
    <ul v-if="report.mismatches.length">
      <li v-for="one in report.mismatches" :key="`${one.item}/${one.field}`">
        <StateMark state="held" /> {{ origin(one) }},
        <template v-if="one.field"
          >{{ named(one.field) }}: sent <span class="mono">{{ shown(one.sent) }}</span>, found
          <span class="mono">{{ shown(one.found) }}</span></template
        >
        <template v-else
          ><span class="mono">{{ one.key }}</span>
          {{ one.found == null ? 'was not on the site' : 'was still on the site' }}</template
        >
      </li>
    </ul>
    <p v-if="!report.failed.length" class="slate mb-0">The site refused nothing.</p>
  </template>
</template>

<style scoped>
p {
  margin-bottom: 4px;
}
ul {
  margin: 0 0 4px;
  padding: 0;
  list-style: none;
}
</style>
