<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, useId, useTemplateRef } from 'vue'
import type { Schemas } from '@/api/client'
import { usePicked } from '@/parts/usePicked'

const props = defineProps<{
  /** The values that the field takes, where they are few. */
  accepted: string[]
  candidates: Schemas['Candidate'][]
  columns: Schemas['ColumnView'][]
  chosen: string[]
  constant: string | null | undefined
}>()
const emit = defineEmits<{ feed: [string[]]; constant: [string]; close: [] }>()
const search = ref('')
const same = ref(props.constant ?? '')
const input = useTemplateRef('input')
const id = useId()

interface Option {
  key: string
  title: string
  note: string
  score?: number
  pick: () => void
}

const sample = (name: string) => props.columns.find((column) => column.name === name)?.sample ?? ''
const options = computed<Option[]>(() => {
  const wanted = search.value.trim().toLowerCase()
  const fits = (text: string) => text.toLowerCase().includes(wanted)
  const scored = props.candidates.map((one) => ({
    key: one.columns.join(' + '),
    title: one.columns.join(' + '),
    note: one.reasons.join(' · '),
    score: one.score,
    pick: () => emit('feed', one.columns),
  }))
  const listed = new Set(scored.map((one) => one.key))
  const rest = props.columns
    .filter((column) => !listed.has(column.name))
    .map((column) => ({
      key: column.name,
      title: column.name,
      note: column.sample || 'blank throughout',
      pick: () => emit('feed', [column.name]),
    }))
  const found: Option[] = [...scored, ...rest].filter((one) => fits(one.title))
  const more = props.columns
    .filter((column) => props.chosen.length && !props.chosen.includes(column.name) && fits(column.name))
    .map((column) => ({
      key: `+${column.name}`,
      title: `${props.chosen.join(' + ')} + ${column.name}`,
      note: `joined; ${sample(column.name)}`,
      pick: () => emit('feed', [...props.chosen, column.name]),
    }))
  return [...found, ...more].slice(0, 60)
})
// The best of what has a score is highlighted, and the first of what was searched for; else nothing, until it is moved to.
const { at, move, active } = usePicked(options, id, (now, at) => {
  if (search.value.trim()) return now.length ? 0 : -1
  return at > 0 && at < now.length ? at : now[0]?.score ? 0 : -1
})
const sureness = (score: number) => (score >= 0.9 ? 'likely' : score >= 0.62 ? 'perhaps' : 'hardly')
function takeSame() {
  if (same.value.trim()) emit('constant', same.value.trim())
}
defineExpose({ focus: () => input.value?.focus() })
function pick(index: number) {
  options.value[index]?.pick()
}
</script>

<template>
  <div class="picker">
    <BFormInput
      ref="input"
      v-model="search"
      size="sm"
      role="combobox"
      aria-expanded="true"
      aria-label="Column"
      :aria-controls="`${id}-list`"
      placeholder="find a column"
      :aria-activedescendant="active()"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent.stop="pick(at)"
      @keydown.esc.prevent.stop="emit('close')"
    />
    <ul :id="`${id}-list`" role="listbox" aria-label="What can feed this field">
      <li
        v-for="(option, index) in options"
        :id="`${id}-${index}`"
        :key="option.key"
        role="option"
        :aria-selected="index === at"
        :class="{ at: index === at }"
        @click="pick(index)"
      >
        <span class="clip">{{ option.title }}</span>
        <span v-if="option.score" class="slate">{{ sureness(option.score) }}</span>
        <small class="slate clip">{{ option.note }}</small>
      </li>
      <li v-if="!options.length" class="slate">No column is called so.</li>
    </ul>
    <form class="same" @submit.prevent="takeSame">
      <label :for="`${id}-same`">or the same for every row</label>
      <BFormSelect
        v-if="accepted.length"
        :id="`${id}-same`"
        size="sm"
        :model-value="same"
        :options="['', ...accepted]"
        @update:model-value="same = String($event ?? '')"
        @keydown.esc.prevent.stop="emit('close')"
      />
      <BFormInput v-else :id="`${id}-same`" v-model="same" size="sm" @keydown.esc.prevent.stop="emit('close')" />
      <BButton type="submit" size="sm" variant="outline-secondary" :disabled="!same.trim()">Take it</BButton>
    </form>
  </div>
</template>

<style scoped>
ul {
  max-height: 236px;
  margin: 4px 0 0;
  padding: 2px;
  overflow-y: auto;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--sheet);
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 6px;
  padding: 3px 7px;
  cursor: pointer;
}
.same {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 2px 6px;
  margin-top: 6px;
}
.same label {
  grid-column: 1 / 3;
  color: var(--slate-text);
}
li.at,
li:hover {
  background: var(--petrol-tint);
}
small {
  grid-column: 1 / 3;
}
</style>
