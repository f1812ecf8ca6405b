<script setup lang="ts">
import { useIntervalFn, useNow } from '@vueuse/core'
import { BButton, BProgress } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { number, span, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import {
  age,
  isReading,
  useCheckSnapshot,
  useForgetSnapshot,
  useReadSite,
  useStopReadingSite,
} from '@/sites/useSnapshot'

/** All records of a site as they were read: how many of each type, how old that is, and whether it is still so. */
const props = defineProps<{
  site: number
  types: Schemas['TypeView'][]
  snapshot: Schemas['SnapshotView'][]
  mayEdit: boolean
}>()
const read = useReadSite()
const stop = useStopReadingSite()
const check = useCheckSnapshot()
const forget = useForgetSnapshot()
const now = useNow({ scheduler: (tick) => useIntervalFn(tick, 30_000) })

const found = computed(() => new Map(props.snapshot.map((one) => [one.record_type, one])))
const looked = computed(() => new Map((check.data.value ?? []).map((one) => [one.record_type, one])))
const rows = computed(() =>
  props.types
    .filter((type) => !type.out_of_reach)
    .map((type) => ({ type, one: found.value.get(type.name), said: looked.value.get(type.name) })),
)
const reading = computed(() => isReading(props.snapshot))
const kept = computed(() => props.snapshot.some((one) => one.as_of !== null))
const MARKS = { 'as it was': 'good', 'brought up to date': 'good', changed: 'held', 'not told': 'warned' } as const
type Verdict = keyof typeof MARKS

function told(said: Schemas['FreshnessView']): string {
  if (said.verdict === 'as it was') return 'still so'
  if (said.verdict === 'brought up to date') return `brought up to date, ${number(said.changed)} had changed`
  return said.verdict === 'changed' ? `changed: ${said.why}` : `cannot be told: ${said.why}`
}
</script>

<template>
  <section class="panel" aria-label="Snapshot">
    <p class="slate mb-2">
      All records of the site as they were when it was read. Download it before anything changes there; keys, links and
      the names of open fields are told from it.
    </p>
    <table class="rows">
      <thead>
        <tr>
          <th scope="col">Record type</th>
          <th scope="col" class="count">Records</th>
          <th scope="col">As of</th>
          <th scope="col">State</th>
          <th v-if="mayEdit" scope="col"><span class="visually-hidden">Read</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ type, one, said } in rows" :key="type.name">
          <th scope="row">{{ type.title }}</th>
          <td class="count">{{ one?.kept === null || !one ? '–' : number(one.kept!) }}</td>
          <td>
            <span v-if="one?.as_of" :title="time(one.as_of)">{{ age(one.as_of, now.getTime()) }}</span>
            <span v-else class="slate">not read yet</span>
          </td>
          <td>
            <template v-if="one?.state === 'reading'">
              <BProgress
                class="bar"
                :value="one.on_site ? one.records : 1"
                :max="one.on_site || 1"
                :striped="!one.on_site"
                :aria-label="`Reading ${type.title}`"
              />
              {{ number(one.records)
              }}<template v-if="one.on_site"> of {{ number(one.on_site) }}</template> read<template
                v-if="one.seconds_left !== null"
                >, {{ span(one.seconds_left) }} left</template
              >
            </template>
            <template v-else-if="one?.state === 'failed'"><StateMark state="held" /> {{ one.error }}</template>
            <template v-else-if="one?.state === 'stopped'">
              <StateMark state="warned" /> stopped after {{ number(one.records) }}; reading goes on from there
            </template>
            <template v-else-if="said"><StateMark :state="MARKS[said.verdict as Verdict]" /> {{ told(said) }}</template>
            <template v-else-if="one"><StateMark state="good" /> all of it</template>
          </td>
          <td v-if="mayEdit" class="act">
            <BButton
              v-if="one?.state !== 'reading'"
              variant="link"
              size="sm"
              class="p-0"
              :disabled="read.isPending.value"
              @click="read.mutate({ site, types: [type.name] })"
              >{{ one?.state === 'stopped' || one?.state === 'failed' ? 'Go on' : one ? 'Read again' : 'Read'
              }}<span class="visually-hidden"> {{ type.title }}</span></BButton
            >
          </td>
        </tr>
      </tbody>
    </table>
    <ProblemNote :error="read.error.value ?? stop.error.value ?? check.error.value ?? forget.error.value" />
    <p v-if="mayEdit" class="acts">
      <BButton v-if="reading" variant="outline-primary" size="sm" @click="stop.mutate(site)">Stop reading</BButton>
      <BButton
        v-if="kept"
        variant="outline-primary"
        size="sm"
        :disabled="check.isPending.value"
        @click="check.mutate(site)"
        >{{ check.isPending.value ? 'Asking it …' : 'Is it still so?' }}</BButton
      >
      <BButton v-if="kept && !reading" variant="link" size="sm" @click="forget.mutate(site)">Forget it</BButton>
    </p>
  </section>
</template>

<style scoped>
.panel {
  padding: 16px 18px;
}
.rows {
  width: 100%;
  margin-bottom: 12px;
}
.rows th,
.rows td {
  padding: 4px 12px 4px 0;
  border-bottom: 1px solid var(--rule-faint);
  vertical-align: baseline;
}
.rows thead th {
  color: var(--slate-text);
  font-weight: 400;
}
.rows .count {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.rows .act {
  padding-right: 0;
  text-align: right;
  white-space: nowrap;
}
.bar {
  height: 4px;
  margin: 3px 0;
}
.acts {
  display: flex;
  gap: 12px;
  align-items: center;
}
</style>
