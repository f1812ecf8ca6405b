<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import type { Schemas } from '@/api/client'

type Policy = Schemas['Policy']

const props = defineProps<{ policy: Policy; disabled: boolean }>()
const emit = defineEmits<{ change: [Policy] }>()

interface Choice {
  label: string
  name: keyof Policy
  options: { value: string; text: string }[]
  read?: (text: string) => boolean
}
const choices: Choice[] = [
  {
    label: 'On a match',
    name: 'on_match',
    options: [
      { value: 'update', text: 'update the record' },
      { value: 'skip', text: 'leave it as it is' },
    ],
  },
  {
    label: 'On no match',
    name: 'on_no_match',
    options: [
      { value: 'create', text: 'create a record' },
      { value: 'skip', text: 'leave the row out' },
    ],
  },
  {
    label: 'Mail from the site',
    name: 'send_mail',
    options: [
      { value: 'false', text: 'silenced' },
      { value: 'true', text: 'sent as the site does' },
    ],
    read: (text) => text === 'true',
  },
]
function set(choice: Choice, text: string) {
  emit('change', { ...props.policy, [choice.name]: choice.read ? choice.read(text) : text })
}
</script>

<template>
  <div class="policy">
    <label v-for="choice in choices" :key="choice.name">
      {{ choice.label }}
      <BFormSelect
        size="sm"
        :disabled="disabled"
        :model-value="String(policy[choice.name])"
        :options="choice.options"
        @update:model-value="set(choice, String($event))"
      />
    </label>
  </div>
</template>

<style scoped>
.policy {
  display: grid;
  gap: 6px;
}
label {
  display: grid;
  grid-template-columns: 128px 1fr;
  align-items: center;
  gap: 8px;
}
</style>
