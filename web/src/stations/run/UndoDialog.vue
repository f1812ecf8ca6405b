<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, toRef, watch } from 'vue'
import DialogBox from '@/parts/DialogBox.vue'
import { counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { rowsIn } from '@/parts/rows'
import StateMark from '@/parts/StateMark.vue'
import { useUndo } from '@/stations/run/useRun'
import { isUnderWay } from '@/workbench/useImport'

/** A run undone, or `all` runs of an import, of which this is the latest: what that would do is rehearsed and shown
 * before anything happens. `fresh` changes with whatever is known of it. */
const props = defineProps<{ id: number; run: number; fresh: string; all?: boolean }>()
const open = defineModel<boolean>({ required: true })
const { state, rehearse, carryOut } = useUndo(toRef(props, 'id'), toRef(props, 'run'), toRef(props, 'fresh'))
/** What was rehearsed for one run says nothing of all of them. */
const undo = computed(() => {
  const found = state.data.value
  const other = found && !found.run_id && found.state !== 'none' && found.runs > 1 !== !!props.all
  return other ? { ...found, state: 'none', left: [], meant: [], counts: {} } : found
})
const done = computed(() => undo.value?.counts ?? {})
const titles: Record<string, string> = {
  delete: 'deleted, because the import created them',
  update: 'get back the earlier values of the fields that were changed',
  create: 'created again, with new ids',
  unchanged: 'gone already',
  held: 'left as they are',
}
const lines = computed(() => Object.entries(titles).filter(([action]) => done.value[action]))
/** The rows whose records alone are taken back. */
const only = ref('')
const wrong = computed(() => only.value.trim() !== '' && rowsIn(only.value) === null)
const going = computed(() => isUnderWay(undo.value))
/** What others point at is not deleted. */
const hold = ref(false)
watch(
  () => undo.value?.hold_meant,
  (asked) => (hold.value = asked ?? false),
  { immediate: true },
)
/** What was shown is carried out, and nothing else: what is wanted otherwise is to be shown first. */
const shownFor = ref('')
const isOther = computed(() => only.value.trim() !== shownFor.value || hold.value !== (undo.value?.hold_meant ?? false))
function show() {
  const wanted = only.value.trim()
  rehearse.mutate(
    { items: props.all ? null : rowsIn(only.value), with_earlier: !!props.all, hold_meant: hold.value },
    { onSuccess: () => (shownFor.value = wanted) },
  )
}
</script>

<template>
  <DialogBox v-model="open" wide :title="all ? 'Undo all runs of this import' : 'Undo this run'">
    <template v-if="undo">
      <template v-if="['none', 'stopped'].includes(undo.state)">
        <p>
          The site is read first, and you see what would be undone before anything happens. Records that
          {{ all ? 'the runs' : 'the run' }} created are deleted, and records that were changed get their earlier values
          back. Records that somebody has changed since then stay as they are and are listed.
        </p>
      </template>
      <p v-else-if="undo.state === 'reading'" role="status">The site is being read.</p>
      <template v-else-if="undo.state === 'failed' && !undo.run_id">
        <ProblemNote :error="new Error(undo.error)" />
      </template>
      <template v-else>
        <ul class="counts">
          <li v-for="[action, title] in lines" :key="action">
            <StateMark :state="action === 'held' ? 'warned' : 'good'" /> {{ counted(done[action] ?? 0, 'record') }}
            {{ title }}
          </li>
        </ul>
        <template v-if="undo.meant?.length">
          <h3 class="panel-heading"><span>Deleted although others point at them</span></h3>
          <ul class="left">
            <li v-for="one in undo.meant" :key="one.item">
              <StateMark state="warned" /> <span class="mono">{{ one.key }}</span> {{ one.reason }}
              <a v-if="one.page" :href="one.page" target="_blank" rel="noopener">open ↗</a>
            </li>
          </ul>
        </template>
        <template v-if="undo.left.length">
          <h3 class="panel-heading"><span>What cannot be undone</span></h3>
          <ul class="left">
            <li v-for="one in undo.left" :key="one.item">
              <span class="mono">{{ one.key }}</span> {{ one.reason }}
              <a v-if="one.page" :href="one.page" target="_blank" rel="noopener">open ↗</a>
            </li>
          </ul>
        </template>
        <p v-if="undo.run_id" role="status">
          <StateMark :state="undo.failed ? 'held' : undo.state === 'done' ? 'good' : 'same'" />
          {{ number(undo.done) }} of {{ counted(undo.total, 'record') }} undone<template v-if="undo.failed"
            >, the site refused {{ number(undo.failed) }}</template
          >. {{ undo.error }}
        </p>
      </template>
    </template>
    <label v-if="undo && !all && !undo.run_id && undo.state !== 'reading'" class="only">
      Only the records of rows
      <BFormInput v-model="only" size="sm" placeholder="all of them; else 12, 15–20" :state="wrong ? false : null" />
    </label>
    <BFormCheckbox v-if="undo && !undo.run_id && undo.state !== 'reading'" v-model="hold" class="mb-2">
      Keep records that other records of the site point at
    </BFormCheckbox>
    <ProblemNote :error="state.error.value ?? rehearse.error.value ?? carryOut.error.value" />
    <div v-if="undo" class="end">
      <BButton variant="link" @click="open = false">{{ undo.run_id ? 'Close' : 'Cancel' }}</BButton>
      <BButton
        v-if="!undo.run_id && undo.state !== 'reading'"
        :variant="undo.state === 'ready' && !isOther ? 'link' : 'primary'"
        :disabled="rehearse.isPending.value || wrong"
        @click="show"
        >{{ undo.state === 'none' || isOther ? 'Show what would be undone' : 'Read the site again' }}</BButton
      >
      <BButton
        v-if="undo.state === 'ready' && undo.total && !isOther"
        variant="danger"
        :disabled="carryOut.isPending.value || going"
        @click="carryOut.mutate(undefined, { onSuccess: () => (open = false) })"
        >Undo {{ counted(undo.total, 'record') }}</BButton
      >
    </div>
  </DialogBox>
</template>

<style scoped>
.end {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
}
.only {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 10px;
  align-items: baseline;
  margin-bottom: 12px;
}
.counts,
.left {
  margin: 0 0 10px;
  padding: 0;
  list-style: none;
}
.left {
  max-height: 220px;
  overflow-y: auto;
}
.left li {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
</style>
