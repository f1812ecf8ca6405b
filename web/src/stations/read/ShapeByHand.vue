<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { begun, isWhole, kindOf, shapes } from '@/parts/forms'
import SchemaForm from '@/parts/SchemaForm.vue'
import type { Shape } from '@/stations/read/useShape'

/** A way in which rows make records, as a person has it: of any kind, new or one that is there. */
const props = defineProps<{ view: Schemas['ShapeView']; headers: string[] }>()
const emit = defineEmits<{ take: [Shape] }>()
const kind = ref('')
const value = ref<Record<string, unknown>>({})
/** Those that the record type and the import have something for. */
const kinds = computed(() =>
  shapes.filter(({ schema }) =>
    Object.entries(schema.properties).every(
      ([name, { editor }]) =>
        !schema.required.includes(name) ||
        !((editor === 'list' && !props.view.lists.length) || (editor === 'sheet' && !props.view.beside.length)),
    ),
  ),
)
const options = computed(() => [
  { value: '', text: 'Choose by hand' },
  ...kinds.value.map((one) => ({ value: one.kind, text: one.label })),
])
function choose(name: string) {
  kind.value = name
  const there = props.view.shapes.find((one) => one.kind === name)
  const into = props.view.lists[0]
  value.value = name ? { ...begun(name), ...(into && wants(name) ? { into } : {}), ...there } : {}
}
const wants = (name: string) => 'into' in kindOf(name).schema.properties
</script>

<template>
  <h3 class="panel-heading"><span>Another way</span></h3>
  <BFormSelect
    size="sm"
    :model-value="kind"
    :options="options"
    aria-label="Choose by hand"
    @update:model-value="choose(String($event))"
  />
  <template v-if="kind">
    <SchemaForm
      :kind="kindOf(kind)"
      :value="value"
      :columns="headers"
      :lists="view.lists"
      :sheets="view.beside"
      @change="value = $event"
    />
    <BButton
      size="sm"
      variant="primary"
      :disabled="!isWhole(kind, value)"
      @click="emit('take', value as unknown as Shape)"
      >Make records so</BButton
    >
  </template>
</template>
