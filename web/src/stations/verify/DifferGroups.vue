<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { toRef } from 'vue'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'
import { counted, shown } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** What differs, by field and by what the site does to values; what is accepted counts as no difference any more. */
const props = defineProps<{ id: number; run: number; fresh: string; mayEdit: boolean }>()
const { data: groups } = useQuery({
  queryKey: ['differ groups', toRef(props, 'id'), toRef(props, 'run'), toRef(props, 'fresh')],
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/runs/{run_id}/mismatches/groups', {
        params: { path: { import_id: props.id, run_id: props.run } },
      }),
    ),
})
const { data: accepted } = useQuery({
  queryKey: ['tolerances', toRef(props, 'id'), toRef(props, 'fresh')],
  queryFn: () => answer(api.GET('/api/imports/{import_id}/tolerances', { params: { path: { import_id: props.id } } })),
})
const refresh = () =>
  queries.invalidateQueries({
    predicate: ({ queryKey: [what] }) =>
      ['import', 'differ groups', 'tolerances', 'mismatches', 'ledger'].includes(String(what)),
  })
const accept = useMutation({
  mutationFn: (body: { field: string; rule: string }) =>
    answer(
      api.POST('/api/imports/{import_id}/runs/{run_id}/mismatches/accepted', {
        params: { path: { import_id: props.id, run_id: props.run } },
        body,
      }),
    ),
  onSuccess: refresh,
})
const takeBack = useMutation({
  mutationFn: (number: number) =>
    answer(
      api.DELETE('/api/imports/{import_id}/tolerances/{number}', { params: { path: { import_id: props.id, number } } }),
    ),
  onSuccess: refresh,
})
</script>

<template>
  <section v-if="groups?.length" aria-label="What differs, together">
    <h3 class="panel-heading"><span>What differs, together</span></h3>
    <article v-for="one in groups" :key="`${one.field}/${one.rule}`">
      <p class="mb-0">
        <StateMark state="held" class="me-1" />
        <template v-if="one.field">
          <b>{{ one.title }}</b>, in {{ counted(one.records, 'record')
          }}<template v-if="one.says">: the site {{ one.says }}</template
          >.
        </template>
        <template v-else>{{ counted(one.records, 'record') }} not on the site as planned.</template>
      </p>
      <p v-if="one.field" class="mono slate mb-0">{{ shown(one.sent) }} → {{ shown(one.found) }}</p>
      <button
        v-if="one.rule && mayEdit"
        type="button"
        class="visually-plain petrol"
        :disabled="accept.isPending.value"
        @click="accept.mutate({ field: one.field, rule: one.rule })"
      >
        Accept that the site {{ one.says }} here
      </button>
    </article>
  </section>
  <section v-if="accepted?.length" aria-label="What is accepted">
    <h3 class="panel-heading"><span>Accepted of this site</span></h3>
    <p v-for="one in accepted" :key="one.id" class="slate mb-1">
      {{ one.title }}: the site {{ one.says }} ({{ one.by }}).
      <button v-if="mayEdit" type="button" class="visually-plain petrol" @click="takeBack.mutate(one.id)">
        Count it again<span class="visually-hidden"> that the site {{ one.says }} of {{ one.title }}</span>
      </button>
    </p>
  </section>
  <ProblemNote :error="accept.error.value ?? takeBack.error.value" />
</template>

<style scoped>
article {
  padding: 4px 0 8px;
}
.mono {
  overflow-wrap: anywhere;
}
</style>
