<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { stepKinds, type Input } from '@/stations/map/stepKinds'
import type { Step } from '@/stations/map/useMapping'

const props = defineProps<{ step: Step }>()
const emit = defineEmits<{ change: [Step] }>()
const kind = computed(() => stepKinds[props.step.kind])

function shown(name: string): string {
  const value = (props.step as unknown as Record<string, unknown>)[name]
  return Array.isArray(value) ? value.join(', ') : String(value ?? '')
}
function set(input: Input, text: string) {
  const { name } = input
  const value = input.list
    ? text
        .split(',')
        .map((word) => word.trim())
        .filter(Boolean)
    : input.number
      ? Number(text) || 0
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
        @update:model-value="set(input, String($event))"
      />
      <BFormInput
        v-else
        size="sm"
        class="mono"
        :lazy="input.list || input.late || input.number"
        :aria-label="input.label"
        :model-value="shown(input.name)"
        @update:model-value="set(input, String($event ?? ''))"
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
