<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { number, time } from '@/parts/format'

/** A line for each import; the slot is what can be done with it. */
defineProps<{ imports: Schemas['ImportView'][] }>()
</script>

<template>
  <table class="list">
    <thead>
      <tr>
        <th>No</th>
        <th>Records</th>
        <th>From</th>
        <th>To</th>
        <th class="num">Rows</th>
        <th>Begun</th>
        <th><span class="visually-hidden">What can be done</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="item in imports" :key="item.id">
        <td class="mono">{{ item.id }}</td>
        <td>
          <RouterLink :to="`/imports/${item.id}/map`">{{ item.name }}</RouterLink>
        </td>
        <td class="mono">{{ item.filename }}</td>
        <td>{{ item.site }}</td>
        <td class="num mono">{{ number(item.rows) }}</td>
        <td class="slate">{{ time(item.created_at) }}, {{ item.created_by }}</td>
        <td class="num"><slot :item="item" /></td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.list {
  width: 100%;
}
.list th {
  color: var(--slate-text);
  font-weight: 400;
  font-size: 0.78rem;
}
.list th,
.list td {
  padding: 6px 12px 6px 0;
  border-bottom: 1px solid var(--rule);
}
.list .num {
  text-align: right;
}
</style>
