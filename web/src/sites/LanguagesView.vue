<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { BButton, BFormCheckbox } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import EmptyState from '@/parts/EmptyState.vue'
import FactRow from '@/parts/FactRow.vue'
import { counted, number } from '@/parts/format'
import { plain, type Fact, type State } from '@/parts/marks'
import PageWalk from '@/parts/PageWalk.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { useSession } from '@/session/useSession'
import { isReading, useReadSite, useSnapshot } from '@/sites/useSnapshot'
import TopBar from '@/workbench/TopBar.vue'

/** The completeness view: originals down the side, languages across. */
const props = defineProps<{ id: number; type: string }>()
const COUNT = 50
const { mayEdit } = useSession()
const onlyOpen = ref(false)
const offset = ref(0)
watch(onlyOpen, () => (offset.value = 0))
const { data: snapshot } = useSnapshot(() => props.id)
const read = useReadSite()
const reading = computed(() => read.isPending.value || isReading(snapshot.value))
const kept = computed(() => snapshot.value?.find((one) => one.record_type === props.type)?.as_of ?? '')
const { data: seen, error } = useQuery({
  queryKey: ['languages', props.id, props.type, kept, onlyOpen, offset],
  queryFn: () =>
    answer(
      api.GET('/api/sites/{site_id}/languages/{record_type}', {
        params: {
          path: { site_id: props.id, record_type: props.type },
          query: { only_open: onlyOpen.value, offset: offset.value, count: COUNT },
        },
      }),
    ),
  enabled: computed(() => !!kept.value),
  placeholderData: keepPreviousData,
})
const MARKS: Record<Schemas['InLanguage']['state'], State> = {
  original: 'good',
  there: 'good',
  partly: 'warned',
  missing: 'same',
  older: 'warned',
  twice: 'held',
}
const sum = (of: 'missing' | 'partly' | 'older') => (seen.value?.languages ?? []).reduce((all, one) => all + one[of], 0)
const facts = computed((): Fact<never>[] => {
  if (!seen.value) return []
  const { originals, languages, lost } = seen.value
  const there = languages.reduce((all, one) => all + one.there, 0)
  const marked = (mark: State, count: number): Fact<never>['parts'] =>
    count ? [{ mark, text: number(count) }] : plain('none')
  return [
    {
      head: `${counted(originals, 'original')}, ${counted(languages.length, 'language')}`,
      parts: plain(`${number(there)} of ${number(originals * languages.length)} there`),
    },
    { head: 'Missing', parts: marked('same', sum('missing')) },
    ...(sum('partly') ? [{ head: 'There in part', parts: marked('warned', sum('partly')) }] : []),
    { head: 'Older than the original', parts: marked('warned', sum('older')) },
    { head: 'Original not there', parts: marked('held', lost) },
  ]
})
function says(cell: Schemas['InLanguage']): string {
  if (cell.state === 'missing') return 'missing'
  if (cell.state === 'partly') return 'some of it is missing'
  if (cell.state === 'older') return 'the original changed since'
  if (cell.state === 'twice') return 'there twice'
  if (cell.state === 'original') return 'the original'
  if (cell.days == null) return 'there'
  return cell.days ? `${counted(cell.days, 'day')} later` : 'same day'
}
</script>

<template>
  <div class="shell">
    <TopBar>
      <h1 class="title">
        <RouterLink :to="`/sites/${id}`">The site</RouterLink> / <b>{{ seen?.title ?? type }}</b>
        <span class="slate"> in their languages</span>
      </h1>
    </TopBar>
    <ProblemNote :error="error ?? read.error.value" class="m-3" />
    <EmptyState v-if="snapshot && !kept" :title="`The site’s ${type} have not been read`">
      <BButton v-if="mayEdit" variant="primary" :disabled="reading" @click="read.mutate({ site: id, types: [type] })">{{
        reading ? 'Reading' : 'Read them'
      }}</BButton>
    </EmptyState>
    <template v-else-if="seen">
      <FactRow :facts="facts" :shown="undefined as never" label="Languages at a glance" />
      <main class="body">
        <table aria-label="Originals and languages">
          <thead>
            <tr>
              <th scope="col">{{ counted(seen.total, 'original') }}</th>
              <th v-for="one in seen.languages" :key="one.language" scope="col">
                <b>{{ one.language }}</b> {{ number(one.there)
                }}<template v-if="one.partly">, {{ number(one.partly) }} in part</template
                ><template v-if="one.older">, {{ number(one.older) }} older</template>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in seen.rows" :key="row.record_id">
              <th scope="row">
                <a v-if="row.page" :href="row.page" target="_blank" rel="noreferrer">{{ row.label }}</a>
                <template v-else>{{ row.label }}</template>
              </th>
              <td v-for="(cell, at) in row.cells" :key="at" :class="cell.state">
                <StateMark :state="MARKS[cell.state]" class="me-1" />
                <a v-if="cell.page && cell.state !== 'original'" :href="cell.page" target="_blank" rel="noreferrer">{{
                  says(cell)
                }}</a>
                <template v-else> {{ says(cell) }}</template>
              </td>
            </tr>
          </tbody>
        </table>
        <div class="foot">
          <BFormCheckbox v-model="onlyOpen">Only what is missing, in part or older</BFormCheckbox>
          <PageWalk v-model="offset" :total="seen.total" :at-once="COUNT" />
        </div>
      </main>
    </template>
  </div>
</template>

<style scoped>
.shell {
  display: flex;
  flex-direction: column;
  height: 100vh;
}
.title {
  margin: 0;
  font-size: 1rem;
}
.body {
  flex: 1;
  min-height: 0;
  overflow: auto;
  background: var(--sheet);
}
table {
  width: 100%;
  table-layout: fixed;
}
th,
td {
  padding: 6px 12px;
  border-right: 1px solid var(--rule-faint);
  border-bottom: 1px solid var(--rule-faint);
  text-align: left;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--bs-body-bg);
  color: var(--slate-text);
  font-weight: 400;
}
tbody a {
  text-decoration: underline;
}
.missing {
  color: var(--slate-text);
}
.older a {
  color: var(--marigold-text);
}
.foot {
  display: flex;
  align-items: center;
  gap: 24px;
  padding: 10px 12px;
}
</style>
