<script setup lang="ts">
import StationFooter from '@/parts/StationFooter.vue'
import StateMark from '@/parts/StateMark.vue'
import { useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answer, api } from '@/api/client'
import LedgerTable from '@/ledger/LedgerTable.vue'
import RecordChooser from '@/ledger/RecordChooser.vue'
import { useStationLedger } from '@/ledger/useStationLedger'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, number, origin, percent, shown } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import SiteReading from '@/parts/SiteReading.vue'
import { useSession } from '@/session/useSession'
import CountsTable from '@/stations/verify/CountsTable.vue'
import DifferGroups from '@/stations/verify/DifferGroups.vue'
import FieldProofs from '@/stations/verify/FieldProofs.vue'
import KeyStrip from '@/stations/verify/KeyStrip.vue'
import { useProof } from '@/stations/verify/useProof'
import UseProof from '@/stations/verify/UseProof.vue'
import { proof } from '@/workbench/summaries'
import { useActions, type Overview } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview }>()
const id = computed(() => props.overview.id)
const { mayEdit } = useSession()
const { verify, stopVerifying } = useActions(id)
const state = computed(() => props.overview.verify)
const done = computed(() => state.value?.state === 'done')
const stateKey = computed(() => `${state.value?.id}/${state.value?.state}`)
const { ledger, error, records, question } = useStationLedger(id, 'verify', 'first', 340, () => ({}), stateKey)
const { data: mismatches } = useQuery({
  queryKey: ['mismatches', id, stateKey],
  enabled: done,
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/runs/{run_id}/mismatches', {
        params: { path: { import_id: id.value, run_id: props.overview.run?.id ?? 0 } },
      }),
    ),
})
const runId = computed(() => props.overview.run?.id ?? 0)
const fresh = computed(() => (done.value ? `${stateKey.value}/${state.value?.tolerated}` : ''))
const { found, signIn } = useProof(id, runId, fresh)
const looked = computed(() => found.data.value)
const byField = ref(false)
/** Whether somebody could sign in by what was sent. */
const hasPeople = computed(
  () => looked.value?.fields.some((one) => /user_?name|login|password/i.test(one.field)) ?? false,
)
const SUMMARIES = [
  ['pdf', '.pdf', 'PDF'],
  ['html', '.html', 'HTML'],
  ['json', '', 'JSON'],
] as const
const held = computed(() => props.overview.rehearse?.counts.held ?? 0)
const proven = computed(() => proof(props.overview))
const selected = ref<string | null>(null)
const titles = computed(() => Object.fromEntries(ledger.value?.lines.map((line) => [line.path, line.title]) ?? []))
const choices = computed(() => [
  { value: 'first', text: 'first' },
  { value: 'random', text: 'random' },
  ...(state.value?.mismatches ? [{ value: 'mismatched', text: 'that differ' }] : []),
])
</script>

<template>
  <main v-if="!state || state.state === 'stopped'" class="none">
    <EmptyState :title="overview.run ? 'The site is not read back yet' : 'There is nothing to verify'">
      <template v-if="overview.run">
        <p class="slate">Every record that was sent is read back and compared, field by field.</p>
        <BButton
          v-if="mayEdit"
          variant="primary"
          :disabled="verify.isPending.value"
          @click="verify.mutate(overview.run!.id)"
          >Verify</BButton
        >
        <ProblemNote :error="verify.error.value" class="mt-3" />
      </template>
      <template v-else>
        <p class="slate">After a run, the site is read back and compared with what was sent.</p>
        <RouterLink class="btn btn-primary" :to="`/imports/${id}/rehearse`">Go to Rehearse</RouterLink>
      </template>
    </EmptyState>
  </main>
  <main v-else-if="state.state === 'reading'" class="none">
    <SiteReading
      title="The site is being read back"
      :read="state.records_read"
      :on-site="state.records_on_site"
      :may-stop="mayEdit"
      :stopping="stopVerifying.isPending.value"
      @stop="stopVerifying.mutate(overview.run!.id)"
    />
  </main>
  <main v-else class="verify">
    <section class="proof" aria-label="Proof">
      <ProblemNote v-if="state.state === 'failed'" :error="new Error(state.error)" />
      <template v-else>
        <h2 class="h1"><StateMark :state="proven.state" /> {{ proven.text }}</h2>
        <p class="slate">
          {{ counted(state.fields_compared, 'field') }} compared,
          {{ percent(state.fields_compared - state.mismatches - state.tolerated, state.fields_compared) }} the same{{
            state.tolerated ? `, ${counted(state.tolerated, 'field')} otherwise in what is accepted` : ''
          }}.
        </p>
        <CountsTable :overview="overview" :fresh="`${stateKey}/${state.tolerated}`" />
        <DifferGroups
          v-if="done && overview.run"
          :id="id"
          :run="overview.run.id"
          :fresh="`${stateKey}/${state.tolerated}`"
          :may-edit="mayEdit"
        />
        <UseProof
          v-if="looked && overview.run"
          :proof="looked"
          :site="overview.site_address"
          :people="mayEdit && hasPeople"
          :busy="signIn.isPending.value"
          :error="signIn.error.value"
          @sign-in="(asked, then) => signIn.mutate(asked, { onSuccess: then })"
        />
        <section v-if="done && overview.run" class="mt-3" aria-label="For the file">
          <h3 class="panel-heading"><span>For the file</span></h3>
          <p>
            Summary, signed by this installation: who, when, which file, counts, exceptions.
            <a
              v-for="[form, ending, text] in SUMMARIES"
              :key="form"
              :href="`/api/imports/${id}/runs/${overview.run.id}/summary${ending}`"
              :download="`run-${overview.run.id}.${form}`"
              class="text-decoration-underline me-2"
              >{{ text }}</a
            >
          </p>
        </section>
        <template v-if="mismatches?.length">
          <h3 class="panel-heading">
            <span>What differs</span
            ><span v-if="mismatches.length < state.mismatches">first {{ number(mismatches.length) }}</span>
          </h3>
          <ul class="mismatches">
            <li v-for="one in mismatches" :key="`${one.item}/${one.field}`">
              <span class="slate">{{ origin(one) }}</span>
              <template v-if="one.field">
                {{ titles[one.field] ?? one.field }}: sent <span class="mono">{{ shown(one.sent) }}</span>, found
                <span class="mono brick">{{ shown(one.found) }}</span>
              </template>
              <span v-else class="brick"
                ><StateMark state="held" /> {{ one.key }} is {{ one.found == null ? 'not' : 'still' }} on the site</span
              >
              <a v-if="one.page" :href="one.page" target="_blank" rel="noopener">open ↗</a>
            </li>
          </ul>
        </template>
      </template>
    </section>
    <div class="records" :class="{ keyed: looked?.keys }">
      <KeyStrip v-if="looked?.keys" :strip="looked.keys" />
      <div v-if="byField && looked" class="fields">
        <p class="choose">
          <button type="button" class="visually-plain petrol" @click="byField = false">Show it record by record</button>
        </p>
        <FieldProofs :fields="looked.fields" />
      </div>
      <LedgerTable
        v-else-if="done && ledger"
        :id="id"
        :ledger="ledger"
        :question="question"
        station="verify"
        :selected="selected"
        @line="records.line.value = $event"
        @select="selected = $event"
      >
        <template #chooser>
          <button v-if="looked?.fields.length" type="button" class="visually-plain petrol me-3" @click="byField = true">
            Show it field by field
          </button>
          <span class="slate me-3">upper: sent · lower: found on the site</span>
          <RecordChooser
            :model-value="records.records.value"
            :choices="choices"
            :total="ledger.total"
            :offset="ledger.offset"
            :count="records.count.value"
            @update:model-value="records.choose($event as 'first')"
            @walk="records.walk"
          />
        </template>
      </LedgerTable>
      <ProblemNote :error="error" />
    </div>
    <StationFooter>
      <span v-if="held" class="slate"
        >{{ counted(held, 'record') }}, held by the rehearsal, did not go:
        <RouterLink :to="`/imports/${id}/rehearse?action=held`">see why</RouterLink>.</span
      >
      <template #end
        ><BButton
          v-if="mayEdit"
          variant="link"
          :disabled="verify.isPending.value"
          @click="verify.mutate(overview.run!.id)"
          >Verify again</BButton
        >
      </template>
    </StationFooter>
  </main>
</template>

<style scoped>
.none {
  overflow: auto;
}
.verify {
  display: grid;
  grid-template: minmax(0, 1fr) auto / 340px minmax(0, 1fr);
}
.proof {
  padding: 18px 20px;
  overflow-y: auto;
  border-right: 1px solid var(--rule);
}
.records {
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  min-width: 0;
  min-height: 0;
}
.keyed {
  grid-template-rows: auto minmax(0, 1fr);
}
.fields {
  overflow: auto;
  background: var(--sheet);
}
.choose {
  margin: 0;
  padding: 8px 12px;
}
.mismatches {
  margin: 0;
  padding: 0;
  list-style: none;
}
.mismatches li {
  padding: 4px 0;
  border-bottom: 1px solid var(--rule-faint);
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .verify {
    display: block;
  }
}
</style>
