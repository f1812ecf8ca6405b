<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { BDropdown, BDropdownItem } from 'bootstrap-vue-next'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'

defineProps<{
  columns: Schemas['ColumnView'][]
  leftOut: string[]
  field: Schemas['Field'] | undefined
  disabled: boolean
}>()
const emit = defineEmits<{ place: [string]; make: [string]; leaveOut: [string]; bringBack: [string] }>()
</script>

<template>
  <div class="tray" aria-label="Columns that feed nothing" role="group">
    <template v-if="columns.length">
      <span class="slate told"
        >{{ counted(columns.length, 'column') }} that feed{{ columns.length === 1 ? 's' : '' }} nothing yet</span
      >
      <BDropdown
        v-for="column in columns"
        :key="column.name"
        variant="link"
        no-caret
        dropup
        toggle-class="chip"
        :disabled="disabled"
      >
        <template #button-content>
          {{ column.name }} <small class="mono slate">{{ column.sample.slice(0, 14) }}</small>
        </template>
        <BDropdownItem v-if="field" @click="emit('place', column.name)">Feed {{ field.title }}</BDropdownItem>
        <BDropdownItem @click="emit('make', column.name)">Make a field of it on the site …</BDropdownItem>
        <BDropdownItem @click="emit('leaveOut', column.name)">Leave {{ column.name }} out</BDropdownItem>
      </BDropdown>
      <span class="slate told">leave out <kbd>x</kbd></span>
    </template>
    <span v-else class="told"><StateMark state="good" /> Every column is placed or left out.</span>
    <BDropdown v-if="leftOut.length" variant="link" no-caret dropup toggle-class="slate">
      <template #button-content>– {{ counted(leftOut.length, 'column') }} left out</template>
      <BDropdownItem v-for="name in leftOut" :key="name" :disabled="disabled" @click="emit('bringBack', name)"
        >Bring {{ name }} back</BDropdownItem
      >
    </BDropdown>
  </div>
</template>

<style scoped>
.tray {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 5px 10px;
  min-width: 0;
  max-height: 74px;
  overflow-y: auto;
}
.told {
  white-space: nowrap;
}
.tray :deep(.chip) {
  padding: 4px 9px;
  border: 1px dashed var(--slate);
  border-radius: 3px;
  background: var(--bs-body-bg);
  color: var(--bs-body-color);
  white-space: nowrap;
}
</style>
