<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'

const props = defineProps<{
  values: Schemas['ValueCount'][]
  accepted: string[]
  distinct: number
  pairs: Record<string, string>
  disabled: boolean
}>()
const emit = defineEmits<{ change: [Record<string, string>]; suggest: []; remove: [] }>()
const openOnly = ref(false)
const open = computed(() => props.values.filter((one) => !(one.value in props.pairs)))
// Those still open come first: they are what is to be settled.
const shown = computed(() =>
  openOnly.value ? open.value : [...open.value, ...props.values.filter((one) => one.value in props.pairs)],
)
const options = computed(() => [
  { value: '\0', text: 'not set' },
  ...props.accepted.map((value) => ({ value, text: value })),
  { value: '', text: 'left blank' },
])
const named = (value: string) => props.pairs[value] ?? '\0'

function set(value: string, chosen: string) {
  const pairs = { ...props.pairs }
  if (chosen === '\0') delete pairs[value]
  else pairs[value] = chosen
  emit('change', pairs)
}
</script>

<template>
  <h3 id="value-table" class="panel-heading" tabindex="-1">
    <span>Value table</span>
    <span v-if="open.length" class="brick"><StateMark state="held" /> {{ counted(open.length, 'value') }} open</span>
    <span v-else class="moss"><StateMark state="good" /> all {{ number(values.length) }} set</span>
  </h3>
  <table class="pairs">
    <thead class="visually-hidden">
      <tr>
        <th>Supplied</th>
        <th>Rows</th>
        <th>On the site</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in shown" :key="one.value">
        <td class="mono clip" :title="one.value">{{ one.value }}</td>
        <td class="mono slate count">{{ number(one.count) }}</td>
        <td>
          <BFormSelect
            size="sm"
            :class="{ open: !(one.value in pairs) }"
            :model-value="named(one.value)"
            :options="options"
            :disabled="disabled"
            :aria-label="`Site value for ${one.value}`"
            @update:model-value="set(one.value, String($event ?? ''))"
          />
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="distinct > values.length" class="slate small mb-1">
    The {{ number(values.length) }} commonest of {{ number(distinct) }} values.
  </p>
  <div v-if="!disabled" class="buttons">
    <BButton v-if="open.length" variant="link" size="sm" @click="emit('suggest')">Set those beyond doubt</BButton>
    <BButton variant="link" size="sm" @click="emit('remove')">Do without a table</BButton>
  </div>
</template>

<style scoped>
.pairs {
  width: 100%;
  table-layout: fixed;
}
.pairs td {
  padding: 2px 6px 2px 0;
}
.count {
  width: 48px;
  text-align: right;
}
.pairs td:last-child {
  width: 128px;
  padding-right: 0;
}
.pairs :deep(select) {
  padding-top: 0;
  padding-bottom: 0;
}
.pairs :deep(select.open) {
  border-color: var(--brick);
}
.buttons {
  display: flex;
  gap: 14px;
}
</style>
