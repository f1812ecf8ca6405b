<script setup lang="ts">
import StationFooter from '@/parts/StationFooter.vue'
import StateMark from '@/parts/StateMark.vue'
import { useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { answer, api } from '@/api/client'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, number, percent, span, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import { useMappingFields } from '@/stations/map/useMapping'
import RunHistory from '@/stations/run/RunHistory.vue'
import { useActions, type Overview } from '@/workbench/useImport'
import { useOnward } from '@/workbench/useOnward'

const props = defineProps<{ overview: Overview }>()
const id = computed(() => props.overview.id)
const onward = useOnward()
const { mayEdit } = useSession()
const { pause, resume, end, verify } = useActions(id)
const run = computed(() => props.overview.run)
const left = computed(() => (run.value ? run.value.total - run.value.done - run.value.failed : 0))
const going = computed(() => ['waiting', 'running'].includes(run.value?.state ?? ''))
const titles: Record<string, string> = {
  waiting: 'Waiting for a worker',
  running: 'Running',
  paused: 'Paused',
  done: 'Done',
  failed: 'Stopped by an error',
  ended: 'Ended before all was sent',
}
const failedCount = computed(() => run.value?.failed ?? 0)
const { data: failed, error } = useQuery({
  queryKey: ['failed', id, computed(() => run.value?.id), failedCount],
  enabled: computed(() => run.value !== null),
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/runs/{run_id}/failed', {
        params: { path: { import_id: id.value, run_id: run.value?.id ?? 0 } },
      }),
    ),
})
/** Whatever changes about the run or what was proven of it. */
const fresh = computed(() =>
  [run.value?.id, run.value?.state, failedCount.value, props.overview.verify?.state].join('/'),
)
const { data: mapping } = useMappingFields(id)
const fieldTitles = computed(() => Object.fromEntries(mapping.value?.fields.map((one) => [one.path, one.title]) ?? []))
const took = computed(() =>
  run.value?.started_at && run.value.ended_at
    ? (Date.parse(run.value.ended_at) - Date.parse(run.value.started_at)) / 1000
    : null,
)
const mail = computed(() => props.overview.rehearse?.policy.send_mail === false && props.overview.site_can_be_silenced)

function begin() {
  return onward(
    () => verify.mutateAsync(run.value?.id ?? 0),
    () => `/imports/${id.value}/verify`,
  )
}
</script>

<template>
  <main v-if="!run" class="none">
    <EmptyState title="Nothing has run">
      <p class="slate">A run carries out the rehearsed plan, no more and no less.</p>
      <RouterLink class="btn btn-primary" :to="`/imports/${id}/rehearse`">Go to Rehearse</RouterLink>
      <RunHistory :id="id" class="mt-4 text-start" :fresh="fresh" :titles="fieldTitles" />
    </EmptyState>
  </main>
  <main v-else class="run">
    <section class="progress-part">
      <h2 class="h1">{{ titles[run.state] ?? run.state }}</h2>
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
        <i :style="{ flexGrow: left }"></i>
      </div>
      <dl class="figures">
        <div>
          <dt>done</dt>
          <dd><StateMark state="good" /> {{ number(run.done) }}</dd>
        </div>
        <div>
          <dt>failed</dt>
          <dd><StateMark :state="run.failed ? 'held' : 'same'" /> {{ number(run.failed) }}</dd>
        </div>
        <div>
          <dt>{{ run.state === 'ended' ? 'not sent' : 'to come' }}</dt>
          <dd>{{ number(left - run.in_doubt) }}</dd>
        </div>
        <div v-if="run.in_doubt">
          <dt>in doubt</dt>
          <dd><StateMark state="warned" /> {{ number(run.in_doubt) }}</dd>
        </div>
        <div>
          <dt>of</dt>
          <dd>{{ counted(run.total, 'record') }}, {{ percent(run.done + run.failed, run.total) }}</dd>
        </div>
        <div v-if="run.rate">
          <dt>rate</dt>
          <dd>{{ run.rate.toFixed(0) }} records a second</dd>
        </div>
        <div v-if="run.response_ms">
          <dt>site answers in</dt>
          <dd>{{ run.response_ms.toFixed(0) }} ms, {{ run.concurrency }} at a time</dd>
        </div>
        <div v-if="going && run.seconds_left != null">
          <dt>time left</dt>
          <dd>{{ span(run.seconds_left) }}</dd>
        </div>
        <div v-else-if="took != null">
          <dt>took</dt>
          <dd>{{ span(took) }}</dd>
        </div>
      </dl>
      <ProblemNote v-if="run.error" :error="new Error(run.error)" />
      <p v-if="run.in_doubt" class="marigold">
        <StateMark state="warned" />
        {{ counted(run.in_doubt, 'record') }} {{ run.in_doubt === 1 ? 'was' : 'were' }} on the way when the run stopped.
        {{
          run.state === 'ended'
            ? 'A new rehearsal reads the site, and shows whether they arrived.'
            : 'When it goes on, the site is asked for them before anything is sent again.'
        }}
      </p>
      <p :class="mail ? '' : 'marigold'">
        <StateMark :state="mail ? 'good' : 'warned'" />
        {{
          mail
            ? 'Mail is silenced: the site is told, with every record, not to send any.'
            : 'The site may send mail about these records.'
        }}
      </p>
      <p class="slate">
        Started by {{ run.started_by }}<template v-if="run.started_at">, {{ time(run.started_at) }}</template
        >. {{ going ? 'You can close this tab; the run goes on.' : '' }}
      </p>
    </section>
    <section class="problems" aria-label="Refused rows and earlier runs">
      <h2 v-if="failed?.length">What the site refused</h2>
      <table v-if="failed?.length">
        <thead>
          <tr>
            <th>Row</th>
            <th>Key</th>
            <th>Was to</th>
            <th>The site said</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in failed" :key="row.item">
            <td class="mono">{{ row.record_type ? row.record_type.replaceAll('_', ' ') : number(row.row ?? 0) }}</td>
            <td class="mono">{{ row.key }}</td>
            <td>{{ row.action }}</td>
            <td class="brick"><StateMark state="held" /> {{ row.message }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="failed?.length" class="slate mt-3">
        Settle what the site said, then rehearse again: rows that went are unchanged then, and only the rest is sent.
      </p>
      <RunHistory :id="id" class="mt-3" :fresh="fresh" :titles="fieldTitles" />
      <ProblemNote :error="error ?? pause.error.value ?? resume.error.value ?? end.error.value ?? verify.error.value" />
    </section>
    <StationFooter>
      <span class="slate">Every row’s outcome is kept. A run that is interrupted goes on where it stopped.</span>
      <template v-if="mayEdit" #end>
        <BButton v-if="going" variant="outline-primary" @click="pause.mutate(run.id)">Pause</BButton>
        <BButton
          v-if="run.state === 'paused' || run.state === 'failed'"
          variant="primary"
          @click="resume.mutate(run.id)"
          >Continue</BButton
        >
        <BButton v-if="run.state === 'paused' || run.state === 'failed'" variant="link" @click="end.mutate(run.id)"
          >End it here</BButton
        >
        <BButton
          v-if="!going"
          :variant="run.state === 'done' ? 'primary' : 'link'"
          :disabled="verify.isPending.value"
          @click="begin"
          >Verify {{ counted(run.done, 'record') }}</BButton
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
  grid-template-rows: auto minmax(0, 1fr) auto;
}
.progress-part {
  padding: 22px 24px 6px;
}
.strip {
  display: flex;
  height: 26px;
  margin: 12px 0;
  background: var(--rule-faint);
  border: 1px solid var(--rule);
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 34px;
}
.figures dt {
  color: var(--slate-text);
  font-size: 0.78rem;
  font-weight: 400;
}
.figures dd {
  margin: 0;
  font-size: 1.06rem;
  font-variant-numeric: tabular-nums;
}
.problems {
  padding: 6px 24px;
  overflow: auto;
}
.problems th {
  color: var(--slate-text);
  font-size: 0.78rem;
  font-weight: 400;
}
.problems td,
.problems th {
  padding: 5px 24px 5px 0;
  border-bottom: 1px solid var(--rule);
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .run {
    display: block;
  }
}
</style>
