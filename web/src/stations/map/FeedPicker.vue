<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'

const props = defineProps<{
  candidates: Schemas['Candidate'][]
  columns: Schemas['ColumnView'][]
  chosen: string[]
  constant: string | null | undefined
}>()
const emit = defineEmits<{ feed: [string[]]; constant: [string]; close: [] }>()
const search = ref('')
const at = ref(0)

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
    .filter((column) => props.chosen.length && !props.chosen.includes(column.name) && wanted && fits(column.name))
    .map((column) => ({
      key: `+${column.name}`,
      title: `${props.chosen.join(' + ')} + ${column.name}`,
      note: `joined; ${sample(column.name)}`,
      pick: () => emit('feed', [...props.chosen, column.name]),
    }))
  const constant = search.value.trim()
    ? [
        {
          key: '=',
          title: `The same for every row: “${search.value.trim()}”`,
          note: 'a constant',
          pick: () => emit('constant', search.value.trim()),
        },
      ]
    : []
  return [...found, ...more, ...constant].slice(0, 40)
})

function move(by: number) {
  at.value = (at.value + by + options.value.length) % Math.max(options.value.length, 1)
  document.getElementById(`feed-${at.value}`)?.scrollIntoView({ block: 'nearest' })
}
function pick(index: number) {
  options.value[index]?.pick()
}
</script>

<template>
  <div class="picker">
    <BFormInput
      v-model="search"
      autofocus
      size="sm"
      role="combobox"
      aria-expanded="true"
      aria-label="Column or constant"
      aria-controls="feeds"
      placeholder="a column, or a constant"
      :aria-activedescendant="`feed-${at}`"
      @update:model-value="at = 0"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent.stop="pick(at)"
      @keydown.esc.prevent.stop="emit('close')"
    />
    <ul id="feeds" role="listbox" aria-label="What can feed this field">
      <li
        v-for="(option, index) in options"
        :id="`feed-${index}`"
        :key="option.key"
        role="option"
        :aria-selected="index === at"
        :class="{ at: index === at }"
        @click="pick(index)"
      >
        <span class="clip">{{ option.title }}</span>
        <span v-if="option.score" class="mono">{{ option.score.toFixed(2) }}</span>
        <small class="slate clip">{{ option.note }}</small>
      </li>
    </ul>
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
li.at,
li:hover {
  background: var(--petrol-tint);
}
small {
  grid-column: 1 / 3;
}
</style>
