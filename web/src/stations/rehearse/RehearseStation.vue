<script setup lang="ts">
import StationFooter from '@/parts/StationFooter.vue'
import StateMark from '@/parts/StateMark.vue'
import { useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import { useRoute } from 'vue-router'
import { answer, api, type Schemas } from '@/api/client'
import LedgerTable from '@/ledger/LedgerTable.vue'
import RecordChooser from '@/ledger/RecordChooser.vue'
import { useStationLedger } from '@/ledger/useStationLedger'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, number, span, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import SiteReading from '@/parts/SiteReading.vue'
import { useSession } from '@/session/useSession'
import ChangedFields from '@/stations/rehearse/ChangedFields.vue'
import DriftNote from '@/stations/rehearse/DriftNote.vue'
import MadeList from '@/stations/rehearse/MadeList.vue'
import PolicyForm from '@/stations/rehearse/PolicyForm.vue'
import PreflightList from '@/stations/rehearse/PreflightList.vue'
import RunDialog from '@/stations/rehearse/RunDialog.vue'
import ProportionStrip from '@/stations/rehearse/ProportionStrip.vue'
import TreeAfter from '@/stations/rehearse/TreeAfter.vue'
import { usePreflight } from '@/stations/rehearse/usePreflight'
import SentBehind from '@/stations/rehearse/SentBehind.vue'
import { planFoot } from '@/workbench/summaries'
import { useActions, type Overview } from '@/workbench/useImport'
import { useOnward } from '@/workbench/useOnward'

const props = defineProps<{ overview: Overview }>()
const id = computed(() => props.overview.id)
const route = useRoute()
const onward = useOnward()
const { mayEdit } = useSession()
const { rehearse, setPolicy, stopRehearsal } = useActions(id)
const plan = computed(() => props.overview.rehearse)
const ready = computed(() => plan.value?.state === 'ready')
const planKey = computed(() => `${plan.value?.id}/${plan.value?.state}`)
const { data: rehearsal } = useQuery({
  queryKey: ['rehearsal', id, planKey],
  queryFn: async () =>
    // The client widens tuples; the schema does not.
    (await answer(
      api.GET('/api/imports/{import_id}/rehearsal', { params: { path: { import_id: id.value } } }),
    )) as Schemas['RehearsalView'],
})
/** Shown first: what would change something that is there, or else what would be new. */
const telling = computed(
  () => ['update', 'create', 'unchanged', 'held'].find((action) => plan.value?.counts[action]) ?? 'left out',
)
const { ledger, error, records, question } = useStationLedger(
  id,
  'rehearse',
  'first',
  336,
  (query) => {
    if (query.changed) return { records: 'finding', field: query.changed }
    if (query.action) return { records: 'action', action: query.action }
    return query.records ? {} : { records: 'action', action: telling.value }
  },
  planKey,
)
/** A policy that was just chosen is kept before anything is rehearsed by it. */
const busy = computed(() => rehearse.isPending.value || setPolicy.isPending.value)
const selected = ref<string | null>(null)
const foot = computed(() => planFoot(props.overview))
const titles = computed(() => Object.fromEntries(ledger.value?.lines.map((line) => [line.path, line.title]) ?? []))
const sending = computed(() => plan.value?.to_send ?? 0)
const chosen = computed(() =>
  String(route.query.changed ? 'finding' : (route.query.action ?? route.query.records ?? telling.value)),
)
const choices = computed(() => [
  { value: 'first', text: 'first' },
  { value: 'random', text: 'random' },
  ...Object.entries(plan.value?.counts ?? {})
    .filter(([, count]) => count)
    .map(([action, count]) => ({ value: action, text: `${action} (${number(count)})` })),
  ...(route.query.changed ? [{ value: 'finding', text: 'with this change' }] : []),
])

function choose(value: string) {
  if (value === 'first' || value === 'random') records.choose(value)
  else if (value !== 'finding') records.choose('action', { action: value })
}
/** What goes first, where there is more to send than that. */
const { data: pilot } = useQuery({
  queryKey: ['pilot', id, planKey],
  enabled: computed(() => ready.value && sending.value > 0 && !plan.value?.stale && !props.overview.run),
  queryFn: () =>
    answer(api.GET('/api/imports/{import_id}/rehearsal/pilot', { params: { path: { import_id: id.value } } })),
})
const first = computed(() => {
  const count = pilot.value?.items.length ?? 0
  return count < sending.value ? count : 0
})
const chosenItems = ref<number[]>([])
const { points, amiss, asking, ask, begin, run } = usePreflight(toRef(props, 'overview'), (start) =>
  onward(start, () => `/imports/${id.value}/run`),
)
const GOES = new Set(['create', 'update', 'delete'])
/** The record that the ledger shows first of those that go, which may be had go with the pilot. */
const shownFirst = computed(() =>
  ledger.value?.records.find((one) => GOES.has(one.note) && !chosenItems.value.includes(one.row)),
)
</script>

<template>
  <main v-if="!plan || plan.state === 'stopped'" class="none">
    <EmptyState :title="plan ? 'The rehearsal was stopped' : 'Nothing is rehearsed yet'">
      <p class="slate">
        The site is read, every ready row is matched by its key, and what would happen to each is frozen as a plan. The
        site is not changed.
      </p>
      <PolicyForm
        :id="id"
        :policy="overview.policy"
        :mails="overview.mails"
        :can-be-silenced="overview.site_can_be_silenced"
        :disabled="!mayEdit"
        class="mb-3 text-start"
        @change="setPolicy.mutate($event)"
      />
      <BButton v-if="mayEdit" variant="primary" :disabled="busy" @click="rehearse.mutate()">Rehearse</BButton>
      <ProblemNote :error="rehearse.error.value ?? setPolicy.error.value" class="mt-3" />
    </EmptyState>
  </main>
  <main v-else-if="plan.state === 'reading'" class="none">
    <SiteReading
      title="The site is being read"
      :read="plan.records_read"
      :on-site="plan.records_on_site"
      :may-stop="mayEdit"
      :stopping="stopRehearsal.isPending.value"
      @stop="stopRehearsal.mutate()"
    />
  </main>
  <main v-else class="rehearse">
    <section class="summary">
      <ProblemNote v-if="plan.state === 'failed'" :error="new Error(plan.error)" />
      <ProportionStrip v-else :counts="plan.counts" @choose="choose" />
    </section>
    <div class="records">
      <LedgerTable
        v-if="ready && ledger"
        :id="id"
        :ledger="ledger"
        :question="question"
        station="rehearse"
        :selected="selected"
        @line="records.line.value = $event"
        @select="selected = $event"
      >
        <template #chooser>
          <span class="slate me-3">upper: on the site now · lower: after the run</span>
          <RecordChooser
            :model-value="chosen"
            :choices="choices"
            :total="ledger.total"
            :offset="ledger.offset"
            :count="records.count.value"
            @update:model-value="choose"
            @walk="records.walk"
          />
        </template>
      </LedgerTable>
      <ProblemNote :error="error" />
    </div>
    <aside aria-label="Preflight">
      <h2>Before the run</h2>
      <PreflightList :points="points ?? []" />
      <template v-if="ready">
        <TreeAfter v-if="plan.in_tree" :id="id" :plan-key="planKey" />
        <MadeList :id="id" :plan-key="planKey" :made="plan.made" />
        <SentBehind :plan="plan" />
        <h3 class="panel-heading"><span>What changes on the site</span></h3>
        <ChangedFields
          :changes="rehearsal?.changed_fields ?? []"
          :counts="plan.counts"
          :titles="titles"
          :chosen="route.query.changed as string"
          @choose="records.show({ changed: $event, records: undefined, action: undefined })"
        />
      </template>
      <p v-if="first && mayEdit" class="small mt-3 mb-0">
        A pilot of {{ counted(first, 'record') }} shows all that the plan does: every action, field, step and number of
        lines.
        <button
          v-if="shownFirst"
          type="button"
          class="visually-plain petrol"
          @click="chosenItems = [...chosenItems, shownFirst.row]"
        >
          Have {{ shownFirst.label || shownFirst.place }} go with it
        </button>
      </p>
      <DriftNote v-if="ready" :id="id" :plan-key="planKey" />
      <p v-if="ready" class="small mt-3 mb-0">
        The whole plan, to look through and sign:
        <a :href="`/api/imports/${id}/rehearsal/plan.xlsx`" download class="text-decoration-underline">workbook</a>,
        <a :href="`/api/imports/${id}/rehearsal/plan.csv`" download class="text-decoration-underline">CSV</a>
      </p>
      <h3 class="panel-heading"><span>Policy</span></h3>
      <PolicyForm
        :id="id"
        :policy="overview.policy"
        :mails="overview.mails"
        :can-be-silenced="overview.site_can_be_silenced"
        :disabled="!mayEdit"
        @change="setPolicy.mutate($event)"
      />
      <p class="slate small mt-3">
        Rehearsed {{ time(plan.created_at) }}. The plan is frozen: what it says is what runs.
      </p>
      <ProblemNote :error="rehearse.error.value ?? run.error.value ?? setPolicy.error.value" />
    </aside>
    <RunDialog
      v-if="asking"
      :overview="overview"
      :points="amiss"
      :pilot="asking === 'pilot'"
      :count="asking === 'pilot' ? first : sending"
      @run="(agreed, deletes) => begin(agreed, deletes, chosenItems)"
      @close="asking = null"
    />
    <StationFooter>
      <span :class="{ slate: !foot.state }"
        ><StateMark :state="foot.state" /> {{ foot.text
        }}<template v-if="ready && plan.seconds_expected != null && sending && !overview.run">
          It takes {{ span(plan.seconds_expected) }} or so, as fast as the last run.</template
        ></span
      >
      <template v-if="mayEdit" #end>
        <BButton
          :variant="plan.stale || !ready || overview.run ? 'primary' : 'link'"
          :disabled="busy"
          @click="rehearse.mutate()"
          >Rehearse again</BButton
        >
        <template v-if="ready && !plan.stale && !overview.run && sending">
          <BButton
            v-if="first"
            variant="outline-primary"
            :disabled="run.isPending.value || busy"
            title="The fewest records that show all that the plan does, with all that they mean"
            @click="ask('pilot', chosenItems)"
            >Pilot: {{ counted(first + chosenItems.length, 'record') }} first</BButton
          >
          <BButton variant="primary" :disabled="run.isPending.value || busy" @click="ask('main')"
            >Run {{ counted(sending, 'record') }}</BButton
          >
        </template>
      </template>
    </StationFooter>
  </main>
</template>

<style scoped>
.none {
  overflow: auto;
}
.rehearse {
  display: grid;
  grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr) 336px;
}
.summary {
  padding: 14px 18px;
  border-bottom: 1px solid var(--rule);
}
.records {
  display: grid;
  grid-row: 2;
  min-width: 0;
  min-height: 0;
}
aside {
  grid-row: 1 / 3;
  grid-column: 2;
  padding: 14px 18px;
  overflow-y: auto;
  border-left: 1px solid var(--rule);
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .rehearse {
    display: block;
  }
}
</style>
