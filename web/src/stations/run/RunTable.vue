<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { number, time } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'
import { outcome, planned, verified } from '@/stations/run/outcomes'

/** Runs that are over or under way, each with its plan, what came of it and what was proven: `from` heads the column that
 * tells where it came from. */
defineProps<{ runs: Schemas['PastRun'][]; from: string; more: string }>()
defineSlots<{
  from: (given: { run: Schemas['PastRun'] }) => unknown
  more: (given: { run: Schemas['PastRun'] }) => unknown
  below?: (given: { run: Schemas['PastRun'] }) => unknown
}>()
</script>

<template>
  <div class="wide">
    <table class="listing">
      <thead>
        <tr>
          <th>Started</th>
          <th>By</th>
          <th>{{ from }}</th>
          <th>Planned</th>
          <th>Came of it</th>
          <th>Read back</th>
          <th>{{ more }}</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="run in runs" :key="run.id">
          <tr>
            <td>{{ time(run.started_at) }}</td>
            <td>{{ run.started_by }}</td>
            <td><slot name="from" :run="run" /></td>
            <td>{{ planned(run) }}</td>
            <td>
              <StateMark :state="outcome(run).state" /> {{ outcome(run).text
              }}<template v-if="run.taken_back">, {{ number(run.taken_back) }} taken back</template>
            </td>
            <td><StateMark :state="verified(run).state" /> {{ verified(run).text }}</td>
            <td><slot name="more" :run="run" /></td>
          </tr>
          <slot name="below" :run="run" />
        </template>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.wide {
  overflow-x: auto;
}
</style>
