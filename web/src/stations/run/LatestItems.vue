<script setup lang="ts">
import type { Schemas } from '@/api/client'
import StateMark from '@/parts/StateMark.vue'

/** The records that were sent last, each with what became of it. */
defineProps<{ latest: Schemas['LatestItem'][] }>()
</script>

<template>
  <section aria-label="The last records">
    <h3 class="panel-heading"><span>Just now</span></h3>
    <table>
      <tbody>
        <tr v-for="one in latest" :key="one.item">
          <td>
            <StateMark :state="one.state === 'failed' ? 'held' : 'good'" />
            {{ one.state === 'failed' ? 'refused' : one.action }}
          </td>
          <td class="mono key">{{ one.key }}</td>
          <td class="mono slate">{{ one.took_ms === null ? '' : `${one.took_ms} ms` }}</td>
          <td>
            <a v-if="one.page && one.action !== 'delete'" :href="one.page" target="_blank" rel="noopener">open ↗</a>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
table {
  width: 100%;
}
td {
  padding: 3px 14px 3px 0;
  border-bottom: 1px solid var(--rule-faint);
  white-space: nowrap;
}
.key {
  width: 100%;
}
td:nth-child(3) {
  text-align: right;
}
</style>
