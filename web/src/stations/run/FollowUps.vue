<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import { counted, number } from '@/parts/format'
import type { State } from '@/parts/marks'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import FollowUpDialog from '@/stations/run/FollowUpDialog.vue'
import ListDialog from '@/stations/run/ListDialog.vue'
import { said, useFollowUps, type FollowUpState } from '@/stations/run/useFollowUps'

/** What follows for the records of a run that is over: actions of the site, mail, and lists to take away. */
const props = defineProps<{ id: number; run: number; headers: string[] }>()
const { found, rehearse, carryOut } = useFollowUps(toRef(props, 'id'), toRef(props, 'run'))
/** The one that is open: by its number, or a new one. */
const open = ref<number | 'new' | null>(null)
const listing = ref(false)
const shown = computed(() => found.data.value?.find((one) => one.plan_id === open.value) ?? null)

function outcome(one: FollowUpState): { state: State; text: string } {
  if (one.run_id !== null) {
    const text = `${number(one.done)} of ${counted(one.records, 'record')} done`
    if (one.failed) return { state: 'held', text: `${text}, ${number(one.failed)} refused` }
    return one.state === 'done' ? { state: 'good', text } : { state: 'same', text: `${one.state}: ${text}` }
  }
  if (one.state === 'ready') return { state: 'same', text: `rehearsed for ${counted(one.records, 'record')}` }
  return one.state === 'failed' ? { state: 'held', text: one.error } : { state: 'same', text: 'the site is being read' }
}
function begun(all: FollowUpState[] | undefined) {
  open.value = all?.[0]?.plan_id ?? null
}
</script>

<template>
  <section class="mt-3" aria-label="Follow-ups">
    <h3 class="panel-heading"><span>Follow-ups</span></h3>
    <ul v-if="found.data.value?.length" class="list">
      <li v-for="one in found.data.value" :key="one.plan_id">
        <BButton variant="link" class="p-0" @click="open = one.plan_id">{{ said(one.asked) }}</BButton>
        <span class="slate"> <StateMark :state="outcome(one).state" /> {{ outcome(one).text }}</span>
      </li>
    </ul>
    <p v-else class="slate mb-1">Nothing was done for these records since.</p>
    <BButton variant="outline-primary" size="sm" class="me-2" @click="open = 'new'">Follow up …</BButton>
    <BButton variant="outline-primary" size="sm" @click="listing = true">Take a list away …</BButton>
    <ProblemNote :error="found.error.value" class="mt-2" />
    <FollowUpDialog
      v-if="open !== null"
      :id="id"
      :run="run"
      :shown="shown"
      :busy="rehearse.isPending.value || carryOut.isPending.value"
      :error="rehearse.error.value ?? carryOut.error.value"
      @rehearse="rehearse.mutate($event, { onSuccess: (all) => begun(all as FollowUpState[]) })"
      @carry-out="carryOut.mutate($event)"
      @anew="open = 'new'"
      @close="open = null"
    />
    <ListDialog v-if="listing" :id="id" :run="run" :headers="headers" @close="listing = false" />
  </section>
</template>

<style scoped>
.list {
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}
.list li {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
</style>
