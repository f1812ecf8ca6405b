<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import type { Schemas } from '@/api/client'

type Policy = Schemas['Policy']

const props = defineProps<{ policy: Policy; disabled: boolean }>()
const emit = defineEmits<{ change: [Policy] }>()
const set = (part: Partial<Policy>) => emit('change', { ...props.policy, ...part })
</script>

<template>
  <div class="policy">
    <label>
      On a match
      <BFormSelect
        size="sm"
        :disabled="disabled"
        :model-value="policy.on_match"
        :options="[
          { value: 'update', text: 'update the record' },
          { value: 'skip', text: 'leave it as it is' },
        ]"
        @update:model-value="set({ on_match: $event as Policy['on_match'] })"
      />
    </label>
    <label>
      On no match
      <BFormSelect
        size="sm"
        :disabled="disabled"
        :model-value="policy.on_no_match"
        :options="[
          { value: 'create', text: 'create a record' },
          { value: 'skip', text: 'leave the row out' },
        ]"
        @update:model-value="set({ on_no_match: $event as Policy['on_no_match'] })"
      />
    </label>
    <label>
      Mail from the site
      <BFormSelect
        size="sm"
        :disabled="disabled"
        :model-value="String(policy.send_mail)"
        :options="[
          { value: 'false', text: 'silenced' },
          { value: 'true', text: 'sent to every customer' },
        ]"
        @update:model-value="set({ send_mail: $event === 'true' })"
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
