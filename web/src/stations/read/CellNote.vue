<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { time } from '@/parts/format'

/** The cell that the cursor is on: where it stands, what was supplied, and what can be done. */
const props = defineProps<{
  row: Schemas['SheetRow']
  column: string
  value: string | null | undefined
  correction: Schemas['CorrectedCell'] | undefined
  disabled: boolean
  leavesOut: boolean
}>()
const emit = defineEmits<{ 'take-back': []; 'leave-out': []; edit: [] }>()
const shown = computed(() =>
  props.value == null ? 'the row has no such cell' : props.value === '' ? 'blank' : `“${props.value}”`,
)
</script>

<template>
  <div class="cell-note" role="status">
    <b>Row {{ row[0].toLocaleString('en') }}</b>
    <span>{{ column }}</span>
    <span class="mono clip value" :title="value ?? ''">{{ shown }}</span>
    <span v-if="correction" class="marigold"
      >◐ corrected by {{ correction.by }}, {{ time(correction.at) }}; supplied:
      <span class="mono">{{ correction.supplied || 'blank' }}</span></span
    >
    <span v-if="row[4]" class="slate">– left out by {{ row[4] }}</span>
    <span v-else-if="row[1]" class="brick">■ {{ row[1] }}</span>
    <span v-if="!disabled" class="does">
      <BButton v-if="correction" variant="link" size="sm" class="p-0" @click="emit('take-back')"
        >Take the correction back</BButton
      >
      <BButton variant="link" size="sm" class="p-0" @click="emit('edit')">Correct <kbd>↵</kbd></BButton>
      <BButton v-if="leavesOut" variant="link" size="sm" class="p-0" @click="emit('leave-out')"
        >{{ row[4] ? 'Take the row in' : 'Leave the row out' }} <kbd>x</kbd></BButton
      >
    </span>
  </div>
</template>

<style scoped>
.cell-note {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 12px;
  padding: 5px 14px;
  border-top: 1px solid var(--rule);
  background: var(--bs-body-bg);
}
.value {
  max-width: 320px;
}
.does {
  display: flex;
  gap: 14px;
  margin-left: auto;
}
</style>
