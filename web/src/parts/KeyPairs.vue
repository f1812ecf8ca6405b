<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'

/** The columns of two sheets by which their rows belong together, one pair after the other. */
const props = defineProps<{ ours: string[]; theirs: string[]; columns: string[]; others: string[] }>()
const emit = defineEmits<{ change: [{ ours: string[]; theirs: string[] }] }>()
const pairs = computed(() => {
  const found = props.ours.map((one, at) => [one, props.theirs[at] ?? ''] as const)
  return found.length ? found : [['', ''] as const]
})
const menu = (names: string[]) => ['', ...names].map((name) => ({ value: name, text: name }))
const give = (all: (readonly [string, string])[]) =>
  emit('change', { ours: all.map(([one]) => one), theirs: all.map(([, other]) => other) })
/** A column that the other sheet has as well is most likely the one that is meant. */
function set(at: number, side: 0 | 1, name: string) {
  const changed = pairs.value.map((pair) => [...pair] as [string, string])
  changed[at]![side] = name
  if (side === 0 && !changed[at]![1] && props.others.includes(name)) changed[at]![1] = name
  give(changed)
}
</script>

<template>
  <div class="pairs">
    <div v-for="([one, other], at) in pairs" :key="at" class="pair">
      <BFormSelect
        size="sm"
        :model-value="one"
        :options="menu(columns)"
        :aria-label="`this sheet’s key ${at + 1}`"
        @update:model-value="set(at, 0, String($event))"
      />
      <span class="slate">is</span>
      <BFormSelect
        size="sm"
        :model-value="other"
        :options="menu(others)"
        :aria-label="`that sheet’s key ${at + 1}`"
        @update:model-value="set(at, 1, String($event))"
      />
      <BButton
        v-if="pairs.length > 1"
        variant="link"
        size="sm"
        class="p-0"
        :aria-label="`Without key ${at + 1}`"
        @click="give(pairs.filter((_, place) => place !== at))"
        >×</BButton
      >
    </div>
    <BButton variant="link" size="sm" class="p-0" @click="give([...pairs, ['', '']])">and another column</BButton>
  </div>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto minmax(0, 1fr) 16px;
  align-items: center;
  gap: 6px;
  margin-bottom: 4px;
}
</style>
