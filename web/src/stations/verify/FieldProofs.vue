<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { number, shown } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** How each field fared: how often it was compared, what was sent first and what the site has of it. */
defineProps<{ fields: Schemas['FieldProof'][] }>()
</script>

<template>
  <table class="rows">
    <thead>
      <tr>
        <th scope="col">Field</th>
        <th scope="col" class="count">Compared</th>
        <th scope="col">First sent</th>
        <th scope="col">On the site</th>
        <th scope="col">What the site did with it</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in fields" :key="one.field">
        <th scope="row">{{ one.title }}</th>
        <td class="count mono">{{ number(one.compared) }}</td>
        <td class="mono slate text">{{ shown(one.sent) }}</td>
        <td class="mono text">{{ shown(one.found) }}</td>
        <td>
          <template v-if="one.differ"><StateMark state="held" /> {{ number(one.differ) }} otherwise</template>
          <template v-else-if="one.tolerated"
            ><StateMark state="same" /> {{ number(one.tolerated) }} otherwise, accepted</template
          >
          <template v-else><StateMark state="good" /> same</template>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.rows {
  width: 100%;
}
.rows th,
.rows td {
  padding: 5px 12px;
  border-bottom: 1px solid var(--rule-faint);
}
.rows thead th {
  color: var(--slate-text);
  font-size: 0.8rem;
  font-weight: 400;
}
.count {
  text-align: right;
}
.text {
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
