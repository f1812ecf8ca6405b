<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import StateMark from '@/parts/StateMark.vue'

/** That the mapping has no match key, and the fields that can be it. */
const props = defineProps<{ keys: Schemas['Field'][]; disabled: boolean }>()
const emit = defineEmits<{ choose: [string] }>()
const options = computed(() => [
  { value: '', text: 'choose a field' },
  ...props.keys.map((field) => ({ value: field.path, text: field.title + (field.unique ? ', unique' : '') })),
])
</script>

<template>
  <div role="status">
    <StateMark state="warned" />
    <span><b>No match key.</b> It tells that a row and a record on the site are the same.</span>
    <BFormSelect
      v-if="keys.length && !disabled"
      class="w-auto"
      size="sm"
      model-value=""
      :options="options"
      aria-label="Match key"
      @update:model-value="$event && emit('choose', String($event))"
    />
    <span v-else-if="!keys.length" class="slate"
      >Feed a field that differs in every record, such as a number or an e-mail.</span
    >
  </div>
</template>
