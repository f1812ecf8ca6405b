<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** By which field of the other record a link finds it, or by which several together: each has a column of its own. */
const props = defineProps<{
  keys: Schemas['LinkKeyView'][]
  further: Schemas['LinkKeyView'][]
  by: string[]
  /** In the place of these, a column of the sheet that brings it. */
  column: string
  columns: string[]
  disabled: boolean
}>()
type Way = { by: string[]; column: string }
const emit = defineEmits<{ change: [Way] }>()
const written = (by: string[], column = '') => JSON.stringify({ by, column })
const change = (by: string[]) => emit('change', { by, column: '' })
const MOST = 4
const alone = computed(() => props.keys.filter((one) => one.by.length < 2))
const together = computed(() => props.keys.filter((one) => one.by.length > 1))
const first = computed(() => [
  ...[...alone.value, ...together.value].map((one) => ({ value: written(one.by, one.column), text: one.title })),
])
/** Beside the first, any field that is not there yet. */
const others = (at: number) =>
  props.further
    .filter(({ by: [path] }) => path && (path === props.by[at] || !props.by.includes(path)))
    .map((one) => ({ value: one.by[0]!, text: one.title }))
const more = computed(() => props.by.length && props.by.length < MOST && others(-1).length > 0)
const set = (at: number, path: string) => change(props.by.with(at, path))
const misfit = computed(() => props.by.length > 1 && props.columns.length !== props.by.length)
</script>

<template>
  <div class="keys">
    <BFormSelect
      size="sm"
      :model-value="written(by.slice(0, 1), column)"
      :options="first"
      :disabled="disabled"
      aria-label="Found by"
      @update:model-value="emit('change', JSON.parse(String($event)))"
    />
    <small v-if="by.length > 1" class="slate clip" :title="columns[0]">{{ columns[0] ?? 'no column' }}</small>
    <template v-for="(path, index) in by.slice(1)" :key="path">
      <BFormSelect
        size="sm"
        :model-value="path"
        :options="others(index + 1)"
        :disabled="disabled"
        :aria-label="`and by ${index + 2}`"
        @update:model-value="set(index + 1, String($event))"
      />
      <span class="clip">
        <small class="slate" :title="columns[index + 1]">{{ columns[index + 1] ?? 'no column' }}</small>
        <BButton
          v-if="!disabled"
          variant="link"
          size="sm"
          class="p-0 ms-1"
          :aria-label="`Not by ${others(index + 1).find((one) => one.value === path)?.text ?? path}`"
          @click="change(by.toSpliced(index + 1, 1))"
          >×</BButton
        >
      </span>
    </template>
  </div>
  <BButton v-if="more && !disabled" variant="link" size="sm" class="p-0" @click="change([...by, others(-1)[0]!.value])"
    >and by another field</BButton
  >
  <p v-if="misfit" class="mb-1">
    <StateMark state="warned" /> Feed it from {{ counted(by.length, 'column') }}, one for each, in this order.
  </p>
</template>

<style scoped>
.keys {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 0.8fr);
  align-items: center;
  gap: 4px 8px;
}
.keys > :first-child:last-child {
  grid-column: 1 / -1;
}
</style>
