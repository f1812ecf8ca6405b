<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { number } from '@/parts/format'
import type { Schemas } from '@/api/client'

type Group = Schemas['FindingGroup']

const props = defineProps<{ importId: number; groups: Group[]; chosen: Group | undefined }>()
const emit = defineEmits<{ choose: [Group] }>()

/** Where the finding can be settled: at Map, on its field. */
const settleAt = (group: Group) => `/imports/${props.importId}/map?field=${group.field}&records=held`
const settles: Record<string, string> = {
  'no value set': 'Open the value table',
  enum: 'Open the value table',
  step: 'Change the steps',
  type: 'Change the steps',
  format: 'Change the steps',
  required: 'Change what feeds it',
}
</script>

<template>
  <p v-if="!groups.length"><StateMark state="good" /> Nothing was found.</p>
  <ul class="groups">
    <li v-for="group in groups" :key="group.field + group.rule" :class="{ chosen: group === chosen }">
      <button
        type="button"
        class="visually-plain title"
        :aria-pressed="group === chosen"
        @click="emit('choose', group)"
      >
        <StateMark :state="group.blocks ? 'held' : 'warned'" />
        <span>{{ group.title }}</span>
        <span class="mono">{{ number(group.count) }}</span>
      </button>
      <div v-if="group === chosen" class="detail">
        <p class="slate">{{ group.blocks ? 'Holds the rows.' : 'Warns; the rows can go.' }} {{ group.remedy }}</p>
        <ul v-if="group.values.length" class="values">
          <li v-for="[value, count] in group.values" :key="value">
            <span class="mono clip" :title="value">{{ value }}</span>
            <span class="mono slate">{{ number(count) }}</span>
          </li>
        </ul>
        <p v-else class="slate">
          Rows {{ group.first_rows.map(number).join(', ')
          }}<template v-if="group.count > group.first_rows.length"> …</template>
        </p>
        <RouterLink v-if="group.field && settles[group.rule]" :to="settleAt(group)">{{
          settles[group.rule]
        }}</RouterLink>
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
