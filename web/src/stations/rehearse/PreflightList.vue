<script setup lang="ts">
import { computed } from 'vue'
import StateMark, { type State } from '@/parts/StateMark.vue'
import { counted, span } from '@/parts/format'
import type { Overview } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview }>()
const FRESH = 3600

const points = computed<{ state: State; text: string }[]>(() => {
  const plan = props.overview.rehearse
  if (!plan) return []
  const age = plan.snapshot_at ? (Date.now() - Date.parse(plan.snapshot_at)) / 1000 : 0
  const mail = props.overview.policy.send_mail
    ? { state: 'warned' as State, text: 'The site will send its mail' }
    : props.overview.site_can_be_silenced
      ? { state: 'good' as State, text: 'Mail silenced' }
      : { state: 'warned' as State, text: 'The site does not say how to silence its mail' }
  return [
    mail,
    plan.stale
      ? { state: 'held', text: `Plan stale: ${plan.stale}` }
      : { state: 'good', text: 'Plan is what the sheet and mapping say' },
    {
      state: age < FRESH ? 'good' : 'warned',
      text: `Snapshot taken ${span(age)} ago, ${counted(plan.records_read, 'record')}`,
    },
    props.overview.map.unplaced.length
      ? {
          state: 'warned',
          text: `${counted(props.overview.map.unplaced.length, 'column')} neither placed nor left out`,
        }
      : { state: 'good', text: 'Every column placed or left out' },
  ]
})
</script>

<template>
  <ul class="points">
    <li v-for="point in points" :key="point.text"><StateMark :state="point.state" /> {{ point.text }}</li>
  </ul>
</template>

<style scoped>
.points {
  margin: 0;
  padding: 0;
  list-style: none;
}
.points li {
  padding: 2px 0;
}
</style>
