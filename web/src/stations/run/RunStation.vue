<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import type { Schemas } from '@/api/client'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, number, span, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import StationFooter from '@/parts/StationFooter.vue'
import { useSession } from '@/session/useSession'
import { useMappingFields } from '@/stations/map/useMapping'
import RunDialog from '@/stations/rehearse/RunDialog.vue'
import { usePreflight } from '@/stations/rehearse/usePreflight'
import FollowUps from '@/stations/run/FollowUps.vue'
import LatestItems from '@/stations/run/LatestItems.vue'
import PacePlot from '@/stations/run/PacePlot.vue'
import RefusalList from '@/stations/run/RefusalList.vue'
import RefusedRows from '@/stations/run/RefusedRows.vue'
import RunHistory from '@/stations/run/RunHistory.vue'
import RunParts from '@/stations/run/RunParts.vue'
import UndoDialog from '@/stations/run/UndoDialog.vue'
import { useRunProgress } from '@/stations/run/useRun'
import WhatHappened from '@/stations/run/WhatHappened.vue'
import { sendsMail } from '@/workbench/summaries'
import { isFinishing, isUnderWay, useActions, type Overview } from '@/workbench/useImport'
import { useOnward } from '@/workbench/useOnward'

const props = defineProps<{ overview: Overview }>()
const id = computed(() => props.overview.id)
const onward = useOnward()
const { mayEdit } = useSession()
const { pause, resume, end, verify } = useActions(id)
const run = computed(() => props.overview.run)
const left = computed(() => (run.value ? run.value.total - run.value.done - run.value.failed : 0))
const going = computed(() => isUnderWay(run.value))
const stopped = computed(() => ['paused', 'failed'].includes(run.value?.state ?? ''))
const finishing = computed(() => isFinishing(run.value))
const states: Record<string, string> = {
  waiting: 'Waiting for a worker',
  running: 'Running',
  paused: 'Paused',
  done: 'Done',
  failed: 'Stopped by an error',
  ended: 'Ended before all was sent',
}
const kinds: Record<string, string> = { pilot: 'Pilot', undo: 'Taking it back' }
const title = computed(() => {
  const state = states[run.value?.state ?? ''] ?? run.value?.state ?? ''
  const kind = kinds[run.value?.kind ?? '']
  return kind ? `${kind}: ${state.toLowerCase()}` : state
})
const { data: progress, error } = useRunProgress(id, run)
/** Whatever changes about the run or what was proven of it. */
const fresh = computed(() =>
  [run.value?.id, run.value?.state, run.value?.failed, props.overview.verify?.state].join('/'),
)
const { data: mapping } = useMappingFields(id)
const fieldTitles = computed(() => Object.fromEntries(mapping.value?.fields.map((one) => [one.path, one.title]) ?? []))
const took = computed(() =>
  run.value?.started_at && run.value.ended_at
    ? (Date.parse(run.value.ended_at) - Date.parse(run.value.started_at)) / 1000
    : null,
)
const silenced = computed(
  () =>
    props.overview.site_can_be_silenced &&
    (run.value?.kind === 'undo' || (!!props.overview.rehearse && !sendsMail(props.overview.rehearse.policy))),
)
const refusal = ref<Schemas['Refusal'] | null>(null)
const undoing = ref(false)

function begin() {
  return onward(
    () => verify.mutateAsync(run.value?.id ?? 0),
    () => `/imports/${id.value}/verify`,
  )
}
/** After a pilot, the rest of its plan. */
const rest = usePreflight(toRef(props, 'overview'), (start) => start())
</script>

<template>
  <main v-if="!run" class="none">
    <EmptyState title="Nothing has run">
      <p class="slate">A run carries out the rehearsed plan, no more and no less.</p>
      <RouterLink class="btn btn-primary" :to="`/imports/${id}/rehearse`">Go to Rehearse</RouterLink>
      <RunHistory :id="id" class="mt-4 text-start" :fresh="fresh" :titles="fieldTitles" :may-edit="mayEdit" />
    </EmptyState>
  </main>
  <main v-else class="run">
    <section class="going" aria-label="Progress">
      <h2 class="h1">{{ title }}</h2>
      <div
        class="strip"
        role="progressbar"
        aria-label="Run"
        :aria-valuenow="run.done + run.failed"
        aria-valuemin="0"
        :aria-valuemax="run.total"
      >
        <i :style="{ flexGrow: run.done, background: 'var(--moss)' }"></i>
        <i :style="{ flexGrow: run.failed, background: 'var(--brick)' }"></i>
        <i :style="{ flexGrow: run.in_doubt, background: 'var(--marigold)' }"></i>
        <i :style="{ flexGrow: left - run.in_doubt }"></i>
      </div>
      <dl class="figures">
        <div>
          <dt>done</dt>
          <dd class="moss"><StateMark state="good" /> {{ number(run.done) }}</dd>
        </div>
        <div>
          <dt>refused</dt>
          <dd :class="{ brick: run.failed }">
            <StateMark :state="run.failed ? 'held' : 'same'" /> {{ number(run.failed) }}
          </dd>
        </div>
        <div v-if="run.in_doubt">
          <dt>in doubt</dt>
          <dd class="marigold"><StateMark state="warned" /> {{ number(run.in_doubt) }}</dd>
        </div>
        <div>
          <dt>{{ run.state === 'ended' ? 'not sent' : 'to come' }}</dt>
          <dd>{{ number(left - run.in_doubt) }}</dd>
        </div>
        <div>
          <dt>of</dt>
          <dd>{{ counted(run.total, 'record') }}</dd>
        </div>
        <div v-if="going && run.seconds_left != null">
          <dt>time left</dt>
          <dd>{{ span(run.seconds_left) }}</dd>
        </div>
        <div v-else-if="took != null">
          <dt>took</dt>
          <dd>{{ span(took) }}</dd>
        </div>
        <div v-if="run.rate">
          <dt>rate</dt>
          <dd>{{ run.rate.toFixed(0) }} a second</dd>
        </div>
      </dl>
      <ProblemNote v-if="run.error" :error="new Error(run.error)" />
      <p v-if="finishing" class="slate">What was on its way when it was paused is still being finished.</p>
      <p v-if="run.in_doubt" class="marigold">
        <StateMark state="warned" />
        {{ counted(run.in_doubt, 'record') }} {{ run.in_doubt === 1 ? 'was' : 'were' }} on the way when the run stopped.
        {{
          run.state === 'ended'
            ? 'A new rehearsal reads the site, and shows whether they arrived.'
            : 'When it goes on, the site is asked for them before anything is sent again.'
        }}
      </p>
      <RunParts v-if="progress" :parts="progress.parts" :own="overview.record_type" />
      <PacePlot
        v-if="progress && (going || progress.pace.length > 1)"
        :pace="progress.pace"
        :happened="progress.happened"
        :workers="run.workers"
        :concurrency="run.concurrency"
      />
      <LatestItems v-if="progress?.latest.length" class="mt-3" :latest="progress.latest" />
      <RunHistory :id="id" class="mt-3" :fresh="fresh" :titles="fieldTitles" :may-edit="mayEdit" />
    </section>
    <aside>
      <RefusalList
        v-if="progress"
        :id="id"
        :run="run.id"
        :refusals="progress.refusals"
        :left="left + run.left"
        :at-rest="!isUnderWay(run) && !isFinishing(run)"
        :may-edit="mayEdit"
        @see="refusal = $event"
      />
      <p v-if="run.failed && !going" class="slate">
        Settle what the site said, then rehearse again: rows that went are unchanged then, and only the rest is sent.
      </p>
      <p :class="silenced ? '' : 'marigold'">
        <StateMark :state="silenced ? 'good' : 'warned'" />
        {{
          silenced
            ? 'Mail is silenced: the site is told, with every record, not to send any.'
            : 'The site may send mail about these records.'
        }}
      </p>
      <p class="slate">
        Started by {{ run.started_by }}<template v-if="run.started_at">, {{ time(run.started_at) }}</template
        >.
      </p>
      <FollowUps
        v-if="mayEdit && !going && !stopped && run.kind !== 'undo' && run.done"
        :id="id"
        :run="run.id"
        :headers="overview.sheet.headers"
      />
      <WhatHappened v-if="progress" :happened="progress.happened" />
      <ProblemNote
        :error="
          error ??
          pause.error.value ??
          resume.error.value ??
          end.error.value ??
          verify.error.value ??
          rest.run.error.value
        "
      />
    </aside>
    <RefusedRows v-if="refusal" :id="id" :run="run.id" :refusal="refusal" @close="refusal = null" />
    <RunDialog
      v-if="rest.asking.value"
      :overview="overview"
      :points="rest.amiss.value"
      :count="run.left"
      :pilot="false"
      @run="rest.begin"
      @close="rest.asking.value = null"
    />
    <UndoDialog v-if="undoing" :id="id" v-model="undoing" :run="run.id" :fresh="fresh" />
    <StationFooter>
      <span class="slate">{{
        going
          ? 'You can close this tab; the run goes on. It can be undone when it has finished, all or in part.'
          : 'Every record’s outcome is kept. A run that is interrupted goes on where it stopped.'
      }}</span>
      <template v-if="mayEdit" #end>
        <BButton v-if="going" variant="outline-primary" @click="pause.mutate(run.id)">Pause</BButton>
        <BButton v-if="stopped" variant="primary" @click="resume.mutate(run.id)">Continue</BButton>
        <BButton v-if="stopped" variant="link" @click="end.mutate(run.id)">End it here</BButton>
        <BButton
          v-if="!going && !stopped && run.kind !== 'undo' && run.done"
          variant="link"
          class="brick"
          @click="undoing = true"
          >Undo this run …</BButton
        >
        <BButton
          v-if="!going && run.done"
          :variant="run.state === 'done' && !run.left ? 'primary' : 'outline-primary'"
          :disabled="verify.isPending.value"
          @click="begin"
          >Verify {{ counted(run.done, 'record') }}</BButton
        >
        <BButton
          v-if="run.left && !going && !stopped && !overview.rehearse?.stale"
          variant="primary"
          :disabled="rest.run.isPending.value"
          @click="rest.ask('main')"
          >Go on with the other {{ number(run.left) }}</BButton
        >
      </template>
    </StationFooter>
  </main>
</template>

<style scoped>
.none {
  overflow: auto;
}
.run {
  display: grid;
  grid-template: minmax(0, 1fr) auto / minmax(0, 1fr) 362px;
}
.going {
  padding: 16px 20px;
  overflow-y: auto;
  background: var(--sheet);
}
aside {
  padding: 14px 18px;
  overflow-y: auto;
  border-left: 1px solid var(--rule);
}
.strip {
  display: flex;
  height: 22px;
  margin: 8px 0 12px;
  background: var(--rule-faint);
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 34px;
}
.figures dt {
  color: var(--slate-text);
  font-size: 0.75rem;
  font-weight: 400;
}
.figures dd {
  margin: 0;
  font: 1.15rem/1.3 var(--mono);
  font-variant-numeric: tabular-nums;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .run {
    display: block;
  }
}
</style>
