<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { stepKinds } from '@/stations/map/stepKinds'
import type { Step } from '@/stations/map/useMapping'

const props = defineProps<{ step: Step }>()
const emit = defineEmits<{ change: [Step] }>()
const kind = computed(() => stepKinds[props.step.kind])

function shown(name: string): string {
  const value = (props.step as unknown as Record<string, unknown>)[name]
  return Array.isArray(value) ? value.join(', ') : String(value ?? '')
}
function set(name: string, text: string, list?: boolean) {
  const value = list
    ? text
        .split(',')
        .map((word) => word.trim())
        .filter(Boolean)
    : text
  emit('change', { ...props.step, [name]: value } as Step)
}
</script>

<template>
  <div v-if="kind.inputs.length" class="inputs">
    <label v-for="input in kind.inputs" :key="input.name" :title="input.hint">
      <span class="slate">{{ input.label }}</span>
      <BFormSelect
        v-if="input.options"
        size="sm"
        :aria-label="input.label"
        :model-value="shown(input.name)"
        :options="input.options"
        @update:model-value="set(input.name, String($event))"
      />
      <BFormInput
        v-else
        size="sm"
        class="mono"
        :lazy="input.list"
        :aria-label="input.label"
        :model-value="shown(input.name)"
        @update:model-value="set(input.name, String($event ?? ''), input.list)"
      />
      <span v-if="input.hint" class="hint slate small">{{ input.hint }}</span>
    </label>
  </div>
</template>

<style scoped>
.inputs {
  display: grid;
  gap: 4px;
  margin: 4px 0;
}
label {
  display: grid;
  grid-template-columns: 92px 1fr;
  align-items: center;
  gap: 0 8px;
}
.hint {
  grid-column: 2;
}
</style>
