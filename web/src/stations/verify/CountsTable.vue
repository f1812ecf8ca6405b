<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, toRef } from 'vue'
import { answer, api } from '@/api/client'
import { counted, number } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'
import type { Overview } from '@/workbench/useImport'

/** The counts of an import side by side, over its pilot and the rest; `fresh` changes with whatever is known of them. */
const props = defineProps<{ overview: Overview; fresh: string }>()
const { data: account } = useQuery({
  queryKey: ['account', computed(() => props.overview.id), toRef(props, 'fresh')],
  queryFn: () =>
    answer(api.GET('/api/imports/{import_id}/account', { params: { path: { import_id: props.overview.id } } })),
})
type Row = [name: string, count: number]
const rows = computed<Row[]>(() => {
  const { rehearse, sheet } = props.overview
  const sent = account.value
  if (!sent) return []
  const counts = rehearse?.counts ?? {}
  const planned = Object.values(counts).reduce((sum, count) => sum + count, 0)
  const made = Object.values(rehearse?.made ?? {}).reduce((sum, count) => sum + count, 0)
  const some = (name: string, count: number): Row[] => (count ? [[name, count]] : [])
  return [
    ['rows in the sheet', sheet.rows],
    // Where rows and records are not the same, what follows is of records.
    ...some('records that they make', planned === sheet.rows ? 0 : planned),
    ...some('made for links besides', made),
    ['held, left out or unchanged', (counts.held ?? 0) + (counts['left out'] ?? 0) + (counts.unchanged ?? 0)],
    [sent.runs > 1 ? `sent, in ${number(sent.runs)} runs` : 'sent', sent.sent],
    ['taken by the site', sent.taken],
    ['refused', sent.refused],
    ...some('not known whether they arrived', sent.in_question),
    ...some('undone', sent.undone),
    ...some('still to be sent', sent.to_come),
    ['records on the site before', sent.before],
    ['created', sent.created],
    ...some('deleted', sent.deleted),
    ...((sent.now == null ? [] : [['records on the site now', sent.now]]) as Row[]),
  ]
})
const amiss = computed(() => account.value?.unexplained ?? 0)
</script>

<template>
  <table class="counts">
    <tbody>
      <tr v-for="[name, count] in rows" :key="name">
        <th scope="row">{{ name }}</th>
        <td class="mono">{{ number(count) }}</td>
      </tr>
    </tbody>
  </table>
  <p v-if="amiss" class="mt-2">
    <StateMark state="warned" /> The site has {{ counted(Math.abs(amiss), 'record') }}
    {{ amiss > 0 ? 'more' : 'fewer' }} than these outcomes add up to<template v-if="account?.in_question"
      >; {{ counted(account.in_question, 'record') }} may have arrived without an answer</template
    >. Somebody else may have {{ amiss > 0 ? 'added' : 'deleted' }} them meanwhile.
  </p>
</template>

<style scoped>
.counts {
  width: 100%;
}
th {
  font-weight: 400;
}
th,
td {
  padding: 4px 0;
  border-bottom: 1px solid var(--rule-faint);
}
td {
  text-align: right;
}
</style>
