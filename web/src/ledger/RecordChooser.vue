<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { useDebounceFn, useEventListener } from '@vueuse/core'
import { computed, ref } from 'vue'
import { counted } from '@/parts/format'
import { isTyping } from '@/workbench/useDialogs'

const props = defineProps<{
  modelValue: string
  choices: { value: string; text: string }[]
  total: number
  offset: number
  count: number
  search?: string
}>()
const emit = defineEmits<{ 'update:modelValue': [string]; walk: [1 | -1]; search: [string] }>()
const field = ref<InstanceType<typeof BFormInput> | null>(null)
const last = computed(() => Math.min(props.offset + props.count, props.total))
const find = useDebounceFn((text: string) => emit('search', text), 200)

useEventListener(window, 'keydown', (event) => {
  if (event.key === '/' && !isTyping(event) && props.search !== undefined) {
    event.preventDefault()
    field.value?.element?.focus()
  }
})
</script>

<template>
  <span class="chooser">
    <BFormInput
      v-if="search !== undefined"
      ref="field"
      :model-value="search"
      size="sm"
      type="search"
      class="search"
      placeholder="find  /"
      aria-label="Find records"
      @update:model-value="find(String($event ?? ''))"
      @keydown.esc.stop="field?.element?.blur()"
      @keydown.enter="field?.element?.blur()"
    />
    <label>
      records
      <BFormSelect
        size="sm"
        class="select"
        :model-value="modelValue"
        :options="choices"
        aria-label="Records shown"
        @update:model-value="emit('update:modelValue', String($event))"
      />
    </label>
    <button
      type="button"
      class="visually-plain"
      aria-label="Earlier records"
      :disabled="offset === 0"
      @click="emit('walk', -1)"
    >
      ‹
    </button>
    <span :title="counted(total, 'record')"
      >{{ total ? `${(offset + 1).toLocaleString('en')}–${last.toLocaleString('en')}` : '0' }} of
      {{ total.toLocaleString('en') }}</span
    >
    <button
      type="button"
      class="visually-plain"
      aria-label="Later records"
      :disabled="last >= total"
      @click="emit('walk', 1)"
    >
      ›
    </button>
  </span>
</template>

<style scoped>
.chooser {
  display: inline-flex;
  align-items: center;
  gap: 8px;
  color: var(--slate-text);
}
.chooser label {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
.select,
.search {
  width: auto;
  min-height: 0;
  padding-top: 0;
  padding-bottom: 0;
  font-size: 0.75rem;
}
.search {
  width: 108px;
  padding-left: 6px;
}
.chooser button {
  padding: 0 4px;
}
.chooser button:disabled {
  opacity: 0.35;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .chooser {
    flex-wrap: wrap;
  }
}
</style>
