<script setup lang="ts">
import StationFooter from '@/parts/StationFooter.vue'
import StateMark from '@/parts/StateMark.vue'
import { useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api, type Schemas } from '@/api/client'
import { meaning } from '@/help/guide'
import LedgerTable from '@/ledger/LedgerTable.vue'
import RecordChooser from '@/ledger/RecordChooser.vue'
import { useStationLedger } from '@/ledger/useStationLedger'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import CheckUnderWay from '@/stations/check/CheckUnderWay.vue'
import FieldFills from '@/stations/check/FieldFills.vue'
import FindingList from '@/stations/check/FindingList.vue'
import FindingRows from '@/stations/check/FindingRows.vue'
import FindingRemedies from '@/stations/check/FindingRemedies.vue'
import RuleDialog from '@/stations/check/RuleDialog.vue'
import UnreadLinks from '@/stations/check/UnreadLinks.vue'
import { useFindings } from '@/stations/check/useFindings'
import { useUnread } from '@/stations/check/useUnread'
import { useMappingFields } from '@/stations/map/useMapping'
import { useActions, type Overview } from '@/workbench/useImport'
import { useOnward } from '@/workbench/useOnward'

const PANEL = 360

const props = defineProps<{ overview: Overview }>()
const id = computed(() => props.overview.id)
const route = useRoute()
const { mayEdit } = useSession()
const { check, rehearse, stopCheck } = useActions(id)
const state = computed(() => props.overview.check)
const underWay = computed(() => (props.overview.checking?.state === 'failed' ? null : props.overview.checking))
const failed = computed(() => (props.overview.checking?.error ? new Error(props.overview.checking.error) : null))
const {
  data: found,
  error: foundError,
  refetch,
} = useQuery({
  queryKey: ['check', id],
  queryFn: async () =>
    // The client widens tuples; the schema does not.
    (await answer(api.GET('/api/imports/{import_id}/check', { params: { path: { import_id: id.value } } }))) as
      Schemas['CheckView'] | null,
})
const group = computed(() => found.value?.groups.find((one) => key(one) === route.query.group))
const { ledger, error, records, question } = useStationLedger(
  id,
  'check',
  'held',
  PANEL,
  () => (group.value ? { records: 'finding', field: group.value.field, rule: group.value.rule } : {}),
  state,
)
// A check that a worker has made is there once it is no longer under way.
watch(underWay, (now, before) => {
  if (before && !now) void refetch()
})
const types = computed(() => props.overview.map.unread)
const unread = useUnread(
  () => props.overview.site_id,
  () => types.value,
  () => !!underWay.value || check.isPending.value,
  () => check.mutate(),
)
const onward = useOnward()
const rehearseRows = () =>
  onward(
    () => rehearse.mutateAsync(),
    () => `/imports/${id.value}/rehearse`,
  )
const selected = ref<string | null>(null)
const choices = computed(() => [
  { value: 'held', text: `held (${number(state.value?.held ?? 0)})` },
  ...(state.value?.left_out ? [{ value: 'left out', text: `left out (${number(state.value.left_out)})` }] : []),
  { value: 'first', text: 'first' },
  { value: 'random', text: 'random' },
  ...(group.value ? [{ value: 'finding', text: 'of this finding' }] : []),
])

const shownRows = computed(() => (ledger.value?.records ?? []).map((record) => record.row))
const router = useRouter()
/** In the address, so that it can be gone to. */
const rules = computed({
  get: () => route.query.show === 'rules',
  set: (open) => void router.replace({ query: { ...route.query, show: open ? 'rules' : undefined } }),
})
const { patch, leaveOut } = useFindings(id)
const byHand = computed(() => props.overview.sheet.by_hand.left_out)
async function change(which: Parameters<typeof leaveOut.mutateAsync>[0]) {
  await leaveOut.mutateAsync(which)
  check.mutate()
}
const { data: mapping } = useMappingFields(id)
/** What is counted: a record of several rows is one. */
const noun = computed(() => (mapping.value?.mapping.shape?.length ? 'record' : 'row'))
const columnsOf = (field: string) => mapping.value?.mapping.fields?.[field]?.columns ?? []

async function takeCorrected(file: File | undefined) {
  if (!file) return
  await patch.mutateAsync(file)
  check.mutate()
}
function key(one: Schemas['FindingGroup']) {
  return `${one.field}/${one.rule}`
}
function choose(one: Schemas['FindingGroup']) {
  selected.value = one.field
  records.show({ records: 'finding', group: key(one) })
}
</script>

<template>
  <main v-if="underWay" class="none">
    <CheckUnderWay
      :work="underWay"
      :may-stop="mayEdit"
      :stopping="stopCheck.isPending.value"
      @stop="stopCheck.mutate()"
    />
  </main>
  <main v-else-if="!state" class="none">
    <EmptyState title="The rows are not checked yet">
      <p class="slate">
        Every row is held to what the site accepts: required fields, types, formats, lengths, values, and keys that
        stand twice. Nothing is sent.
      </p>
      <BButton v-if="mayEdit" variant="primary" :disabled="check.isPending.value" @click="check.mutate()"
        >Check {{ counted(overview.sheet.rows, 'row') }}</BButton
      >
      <ProblemNote :error="check.error.value ?? failed" class="mt-3" />
    </EmptyState>
  </main>
  <main v-else class="check">
    <section class="findings" aria-label="Findings">
      <p class="counts">
        <b>{{ counted(state.rows, noun) }}</b>
        <span :title="meaning('ready')"><StateMark state="good" /> {{ number(state.ready) }} ready</span>
        <span :title="meaning('held')"><StateMark state="held" /> {{ number(state.held) }} held</span>
        <span v-if="state.left_out" :title="meaning('left out')"
          ><StateMark state="same" /> {{ number(state.left_out) }} left out</span
        >
        <span v-if="state.warned"><StateMark state="warned" /> {{ number(state.warned) }} with a warning</span>
      </p>
      <p v-if="mayEdit && (state.held || byHand)" class="mb-2">
        <BButton
          v-if="state.held && !state.stale"
          variant="link"
          size="sm"
          class="p-0 me-3"
          :disabled="leaveOut.isPending.value"
          @click="change({ every: 'held' })"
          >Leave out all {{ counted(state.held, 'held row') }}</BButton
        >
        <BButton
          v-if="byHand"
          variant="link"
          size="sm"
          class="p-0"
          :disabled="leaveOut.isPending.value"
          @click="change({ every: 'left out', out: false })"
          >Take in again the {{ counted(byHand, 'row') }} left out by hand</BButton
        >
      </p>
      <p v-if="state.stale" class="stale">
        Stale: {{ state.stale }} since.
        <BButton v-if="mayEdit" variant="link" :disabled="check.isPending.value" @click="check.mutate()"
          >Check again</BButton
        >
      </p>
      <ProblemNote :error="foundError ?? check.error.value ?? leaveOut.error.value ?? failed" />
      <UnreadLinks v-if="types.length" :types="types" :disabled="!mayEdit" :unread="unread" />
      <FindingList v-if="found" v-slot="{ group: one }" :groups="found.groups" :chosen="group" @choose="choose">
        <FindingRemedies :id="id" :group="one" :rows="shownRows" :disabled="!mayEdit" @left-out="check.mutate()" />
        <FindingRows
          v-if="mayEdit && one.accepted < one.count"
          :id="id"
          :group="one"
          :columns="columnsOf(one.field)"
          :sheets="[overview.sheet, ...overview.beside]"
          @changed="check.mutate()"
        />
      </FindingList>
      <FieldFills
        v-if="ledger && !group"
        class="mt-4"
        :lines="ledger.lines"
        :selected="selected"
        @select="selected = $event"
      />
    </section>
    <div class="records">
      <LedgerTable
        v-if="ledger && ledger.total"
        :id="id"
        :ledger="ledger"
        :question="question"
        station="check"
        :selected="selected"
        @line="records.line.value = $event"
        @select="selected = $event"
      >
        <template #chooser>
          <RecordChooser
            :model-value="group ? 'finding' : records.records.value"
            :choices="choices"
            :total="ledger.total"
            :offset="ledger.offset"
            :count="records.count.value"
            @update:model-value="records.choose($event as 'held')"
            @walk="records.walk"
          />
        </template>
      </LedgerTable>
      <EmptyState v-else-if="ledger" title="No record is held">
        <p v-if="types.length" class="slate">
          As far as is known: not all links have been looked for. Have the records read that they mean, or rehearse,
          which reads them too.
        </p>
        <p v-else class="slate">Every {{ noun }} can go. Rehearse to see what would happen to each.</p>
      </EmptyState>
      <ProblemNote :error="error" />
    </div>
    <StationFooter>
      <span v-if="state.held">
        <a :href="`/api/imports/${id}/held.xlsx`" download>Download the {{ counted(state.held, 'held row') }}</a>
        <span class="slate"> as a spreadsheet, each with its reasons</span>
        <label v-if="mayEdit" class="btn btn-link p-0 ms-3"
          >Bring them back corrected
          <input
            type="file"
            class="visually-hidden"
            @change="takeCorrected(($event.target as HTMLInputElement).files?.[0])"
        /></label>
        <span v-if="patch.data.value" class="ms-2" role="status"
          >{{ counted(patch.data.value.cells, 'cell') }} in {{ counted(patch.data.value.rows, 'row') }} corrected</span
        >
      </span>
      <span v-else class="slate">Checked in {{ state.seconds.toFixed(2) }} s</span>
      <template #end>
        <ProblemNote :error="patch.error.value ?? rehearse.error.value" class="mb-0" />
        <BButton variant="link" class="slate" @click="rules = true">Rules of your own</BButton>
        <RuleDialog
          :id="id"
          v-model="rules"
          :site-id="overview.site_id"
          :record-type="overview.record_type"
          :disabled="!mayEdit"
          @changed="check.mutate()"
        />
        <BButton v-if="mayEdit" variant="primary" :disabled="rehearse.isPending.value" @click="rehearseRows"
          >Rehearse {{ counted(state.ready, noun) }}</BButton
        >
      </template>
    </StationFooter>
  </main>
</template>

<style scoped>
.none {
  overflow: auto;
}
.check {
  display: grid;
  grid-template: minmax(0, 1fr) auto / 360px minmax(0, 1fr);
}
.findings {
  padding: 14px 18px;
  overflow-y: auto;
  border-right: 1px solid var(--rule);
}
.records {
  display: grid;
  min-height: 0;
  min-width: 0;
  background: var(--sheet);
}
.counts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.stale {
  padding: 6px 10px;
  border-left: 3px solid var(--marigold);
  background: var(--sheet);
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .check {
    display: block;
  }
}
</style>
