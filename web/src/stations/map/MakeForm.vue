<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import type { FieldMapping } from '@/stations/map/useMapping'

/** What feeds the records that a link makes where it finds none: a small mapping of its own. */
type Made = Record<string, FieldMapping>
const props = defineProps<{
  one: string
  /** What its key is called, which it has in any case. */
  keyTitle: string
  made: Made
  fields: Schemas['FieldToFeed'][]
  steps: Record<string, string[]>
  columns: string[]
  disabled: boolean
}>()
const emit = defineEmits<{ change: [Made] }>()
const OWN_KEY = 'its key'
const SAME = '\u0000same'
const shown = computed(() => props.fields.filter((field) => field.required || field.path in props.made))
const others = computed(() => [
  { value: '', text: 'Feed another field' },
  ...props.fields
    .filter((field) => !shown.value.includes(field))
    .map((field) => ({ value: field.path, text: field.title })),
])
const feeds = computed(() => [
  { value: '', text: 'nothing' },
  { value: SAME, text: 'the same for all' },
  { value: OWN_KEY, text: `its ${props.keyTitle.toLowerCase()}` },
  ...props.columns.map((name) => ({ value: name, text: name })),
])
const fed = (path: string): FieldMapping | undefined => props.made[path]
function feedOf(path: string) {
  const one = fed(path)
  return one?.constant != null ? SAME : (one?.columns[0] ?? '')
}
function feed(path: string, by: string) {
  const rest = Object.fromEntries(Object.entries(props.made).filter(([other]) => other !== path))
  if (by === '') return emit('change', rest)
  const fresh = { columns: by === SAME ? [] : [by], constant: by === SAME ? '' : null }
  emit('change', { ...rest, [path]: { ...fresh, steps: [], blank: 'keep', reasons: [] } })
}
const same = (path: string, text: string) =>
  emit('change', { ...props.made, [path]: { ...props.made[path]!, constant: text } })
/** A field that is to be fed, by nothing yet. */
const add = (path: string) => path && feed(path, props.columns[0] ?? SAME)
</script>

<template>
  <div class="made" role="group" :aria-label="`What a ${one} has that is made`">
    <p class="row-of">
      <span>{{ keyTitle }}</span><span class="slate">its key</span>
    </p>
    <div v-for="field in shown" :key="field.path" class="row-of">
      <span class="clip" :title="field.title"
        >{{ field.title }}<span v-if="field.required" class="brick" title="The site requires it"> •</span></span
      >
      <div>
        <BFormSelect
          size="sm"
          :model-value="feedOf(field.path)"
          :options="feeds"
          :disabled="disabled"
          :aria-label="`What feeds ${field.title}`"
          @update:model-value="feed(field.path, String($event))"
        />
        <BFormInput
          v-if="feedOf(field.path) === SAME"
          size="sm"
          lazy
          class="mt-1"
          :model-value="fed(field.path)?.constant ?? ''"
          :disabled="disabled"
          :aria-label="`${field.title}, the same for all`"
          @update:model-value="same(field.path, String($event ?? ''))"
        />
        <p v-for="(step, at) in steps[field.path] ?? []" :key="at" class="slate small m-0">
          {{ step }}
        </p>
      </div>
    </div>
    <BFormSelect
      v-if="!disabled && others.length > 1"
      size="sm"
      model-value=""
      :options="others"
      aria-label="Feed another field"
      @update:model-value="add(String($event))"
    />
    <BButton
      v-if="!disabled && Object.keys(made).length"
      size="sm"
      variant="link"
      class="p-0"
      @click="emit('change', {})"
      >Feed nothing but the key</BButton
    >
  </div>
</template>

<style scoped>
.made {
  margin-top: 4px;
  padding-left: 10px;
  border-left: 2px solid var(--rule);
}
.row-of {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 3fr);
  gap: 8px;
  align-items: baseline;
  margin: 0 0 4px;
}
</style>
