<script setup lang="ts">
import type { Schemas } from '@/api/client'

/** What one mapping says otherwise than another, a line each. */
defineProps<{ differences: Schemas['Difference'][]; titles: Record<string, string> }>()
</script>

<template>
  <table class="differences">
    <tbody>
      <tr v-for="one in differences" :key="one.field + one.what">
        <td>{{ one.field ? (titles[one.field] ?? one.field) : 'Mapping' }}</td>
        <td class="slate">{{ one.what }}</td>
        <td class="mono slate">{{ one.before || 'nothing' }}</td>
        <td class="mono">{{ one.after || 'nothing' }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.differences {
  width: 100%;
  table-layout: fixed;
}
.differences td {
  padding: 2px 10px 2px 0;
  overflow-wrap: anywhere;
  vertical-align: top;
}
</style>
