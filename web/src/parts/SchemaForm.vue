<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, useId } from 'vue'
import type { Input, Kind } from '@/parts/forms'
import KeyPairs from '@/parts/KeyPairs.vue'
import SetsEditor from '@/parts/SetsEditor.vue'

/** What can be set of a step or a shape: one form, whatever the kind, from what the server says of it. */
const props = defineProps<{
  kind: Kind
  value: Record<string, unknown>
  columns: string[]
  lists?: string[]
  sheets?: { name: string; columns: string[] }[]
}>()
const emit = defineEmits<{ change: [Record<string, unknown>] }>()
const id = useId()
/** Keys of another sheet are chosen beside those of this one. */
const inputs = computed(() =>
  Object.entries(props.kind.schema.properties).filter(([, input]) => input.editor !== 'keys there'),
)
const there = computed(() => props.sheets?.find((one) => one.name === props.value.sheet)?.columns ?? [])

function shown(name: string): string {
  const value = props.value[name]
  return Array.isArray(value) ? value.join(', ') : String(value ?? '')
}
const set = (name: string, value: unknown) => emit('change', { ...props.value, [name]: value })
function type(name: string, input: Input, text: string) {
  if (input.type === 'array')
    set(
      name,
      text.split(',').flatMap((word) => word.trim() || []),
    )
  else set(name, input.type === 'number' || input.type === 'integer' ? Number(text) || 0 : text)
}
/** What is chosen from, where it is. */
function choices(input: Input): { value: string; text: string }[] | undefined {
  if (input.options) return Object.entries(input.options).map(([value, text]) => ({ value, text }))
  const names = { column: props.columns, list: props.lists ?? [], sheet: (props.sheets ?? []).map((one) => one.name) }
  const found = names[input.editor as 'column']
  return found && ['', ...found].map((name) => ({ value: name, text: name.replaceAll('_', ' ') }))
}
const picked = (event: Event) => [...(event.target as HTMLSelectElement).selectedOptions].map((option) => option.value)
const isSets = (input: Input) => input.editor === 'sets' || input.editor === 'named sets'
const isWide = (input: Input) => ['formula', 'columns', 'keys'].includes(input.editor ?? '') || isSets(input)
</script>

<template>
  <div v-if="inputs.length" class="inputs">
    <slot name="first" />
    <component
      :is="input.editor === 'formula' || input.editor === 'keys' || isSets(input) ? 'div' : 'label'"
      v-for="[name, input] in inputs"
      :key="name"
      class="input"
      :class="{ wide: isWide(input) }"
      :title="input.description"
    >
      <span class="slate">{{ input.title }}</span>
      <slot
        v-if="input.editor === 'formula'"
        name="formula"
        :text="shown(name)"
        :input="input"
        :set="(text: string) => set(name, text)"
      />
      <SetsEditor
        v-else-if="isSets(input)"
        :named="input.editor === 'named sets'"
        :value="value[name]"
        :columns="columns"
        @change="set(name, $event)"
      />
      <KeyPairs
        v-else-if="input.editor === 'keys'"
        :ours="(value.ours ?? []) as string[]"
        :theirs="(value.theirs ?? []) as string[]"
        :columns="columns"
        :others="there"
        @change="emit('change', { ...value, ...$event })"
      />
      <select
        v-else-if="input.editor === 'columns'"
        multiple
        size="5"
        class="form-select form-select-sm"
        :aria-label="input.title"
        @change="set(name, picked($event))"
      >
        <option
          v-for="one in columns"
          :key="one"
          :value="one"
          :selected="((value[name] ?? []) as string[]).includes(one)"
        >
          {{ one }}
        </option>
      </select>
      <input
        v-else-if="input.type === 'boolean'"
        type="checkbox"
        class="tick"
        :aria-label="input.title"
        :checked="value[name] === true"
        @change="set(name, ($event.target as HTMLInputElement).checked)"
      />
      <BFormSelect
        v-else-if="choices(input)"
        size="sm"
        :aria-label="input.title"
        :model-value="shown(name)"
        :options="choices(input)"
        @update:model-value="set(name, String($event))"
      />
      <BFormInput
        v-else
        size="sm"
        class="mono"
        :lazy="input.type !== 'string'"
        :aria-label="input.title"
        :list="input.usual && `${id}-${name}`"
        :model-value="shown(name)"
        @update:model-value="type(name, input, String($event ?? ''))"
      />
      <datalist v-if="input.usual" :id="`${id}-${name}`">
        <option v-for="one in input.usual" :key="one" :value="one" />
      </datalist>
      <span v-if="input.description && input.editor !== 'formula'" class="hint slate small">{{
        input.description
      }}</span>
    </component>
  </div>
</template>

<style scoped>
.inputs {
  display: grid;
  gap: 4px;
  margin: 4px 0;
}
.inputs :deep(.input) {
  display: grid;
  grid-template-columns: 92px 1fr;
  align-items: center;
  gap: 0 8px;
}
.inputs :deep(.input.wide) {
  grid-template-columns: 1fr;
}
.tick {
  justify-self: start;
}
.hint {
  grid-column: 2;
}
.wide .hint {
  grid-column: 1;
}
</style>
