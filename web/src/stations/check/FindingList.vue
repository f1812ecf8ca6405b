<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { number, spaced } from '@/parts/format'
import type { Group } from '@/stations/check/useFindings'

defineProps<{ groups: Group[]; chosen: Group | undefined }>()
const emit = defineEmits<{ choose: [Group] }>()

const settled = (group: Group) => group.accepted === group.count
const state = (group: Group) => (settled(group) ? 'same' : group.blocks ? 'held' : 'warned')
const effect = (group: Group) =>
  settled(group) ? 'Accepted; the rows can go.' : group.blocks ? 'Holds the rows.' : 'Warns; the rows can go.'
</script>

<template>
  <p v-if="!groups.length"><StateMark state="good" /> Nothing was found.</p>
  <ul class="groups">
    <li
      v-for="group in groups"
      :key="group.field + group.rule"
      :class="{ chosen: group === chosen, settled: settled(group) }"
    >
      <button
        type="button"
        class="visually-plain title"
        :aria-pressed="group === chosen"
        @click="emit('choose', group)"
      >
        <StateMark :state="state(group)" />
        <span>{{ group.title }}</span>
        <span class="mono">{{ number(group.count) }}</span>
      </button>
      <div v-if="group === chosen" class="detail">
        <p class="slate">{{ effect(group) }} {{ settled(group) ? '' : group.remedy }}</p>
        <ul v-if="group.values.length" class="values">
          <li v-for="[value, count] in group.values" :key="value">
            <span class="mono clip" :title="value">{{ spaced(value) }}</span>
            <span class="mono slate">{{ number(count) }}</span>
          </li>
        </ul>
        <p v-else class="slate">
          Rows {{ group.first_rows.map(number).join(', ') }}{{ group.sheet ? ` of ${group.sheet}` : ''
          }}<template v-if="group.count > group.first_rows.length"> …</template>
        </p>
        <slot :group="group" />
      </div>
    </li>
  </ul>
</template>

<style scoped>
.groups,
.values {
  margin: 0;
  padding: 0;
  list-style: none;
}
.groups > li {
  border-bottom: 1px solid var(--rule);
}
.groups > li.chosen {
  margin: 0 -18px;
  padding: 0 18px;
  background: var(--petrol-tint);
  box-shadow: inset 3px 0 0 var(--petrol);
}
.groups > li.settled .title {
  color: var(--slate-text);
}
.title {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto;
  gap: 4px;
  width: 100%;
  padding: 8px 0;
}
.detail {
  padding: 0 0 10px 20px;
}
.detail p {
  margin-bottom: 6px;
}
.values li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 10px;
}
.values {
  margin-bottom: 6px;
}
</style>
