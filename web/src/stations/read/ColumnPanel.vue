<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { number, percent, spaced } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import SidePanel from '@/parts/SidePanel.vue'
import BarPlot from '@/stations/map/BarPlot.vue'

/** What one column holds: how full, how varied, of which kinds. */
const props = defineProps<{ id: number; column: string; sheet: string }>()
const emit = defineEmits<{ close: [] }>()
const { data: profile, error } = useQuery({
  queryKey: ['profile', toRef(props, 'id'), toRef(props, 'column'), toRef(props, 'sheet')],
  queryFn: async () =>
    // The client widens tuples; the schema does not.
    (await answer(
      api.GET('/api/imports/{import_id}/profile', {
        params: { path: { import_id: props.id }, query: { column: props.column, sheet: props.sheet } },
      }),
    )) as Schemas['ColumnProfile'],
  staleTime: Infinity,
})
const bars = computed(() => (profile.value?.plot ?? []).map(([label, count]) => ({ label, count })))
const ofNumbers = computed(() => (profile.value?.numbers ?? 0) > 0.5)
const ofDates = computed(() => (profile.value?.dates ?? 0) > 0.5)
const spread = computed(() => (ofDates.value ? 'Years' : ofNumbers.value ? 'Numbers' : 'Lengths'))
const range = computed(() =>
  ofDates.value || ofNumbers.value
    ? `${bars.value[0]?.label} … ${bars.value.at(-1)?.label}`
    : `${profile.value?.shortest} to ${profile.value?.longest} characters`,
)
const top = computed(() => (profile.value?.top ?? []).filter(([, count]) => count > 1))
</script>

<template>
  <SidePanel :title="column" :label="`Column ${column}`" @close="emit('close')">
    <ProblemNote :error="error" />
    <template v-if="profile">
      <dl>
        <dt>Filled</dt>
        <dd>
          {{ number(profile.filled) }} of {{ number(profile.rows) }} ({{ percent(profile.filled, profile.rows) }})
        </dd>
        <dt>Distinct</dt>
        <dd>{{ profile.distinct_exact ? '' : 'about ' }}{{ number(profile.distinct) }}</dd>
        <dt>Length</dt>
        <dd>{{ number(profile.shortest) }} to {{ number(profile.longest) }} characters</dd>
        <template v-if="profile.stray_spaces">
          <dt>Stray spaces</dt>
          <dd class="marigold">◐ in {{ number(profile.stray_spaces) }}</dd>
        </template>
        <template v-if="profile.ambiguous_dates">
          <dt>Day or month</dt>
          <dd class="marigold">◐ no value tells which stands first</dd>
        </template>
      </dl>
      <template v-if="profile.kinds.length">
        <h3 class="panel-heading"><span>Looks like</span><span>share of the values</span></h3>
        <ul class="rows">
          <li v-for="kind in profile.kinds" :key="kind.name + kind.detail">
            <span
              >{{ kind.name }} <span class="mono slate">{{ kind.detail }}</span></span
            >
            <span class="mono">{{ percent(kind.share, 1) }}</span>
          </li>
        </ul>
      </template>
      <template v-if="bars.length">
        <h3 class="panel-heading">
          <span>{{ spread }}</span><span>{{ range }}</span>
        </h3>
        <BarPlot :bars="bars" />
      </template>
      <h3 class="panel-heading">
        <span>{{ top.length ? 'Commonest' : 'Samples' }}</span><span v-if="top.length">rows</span>
      </h3>
      <ul class="rows mono">
        <template v-if="top.length">
          <li v-for="[value, count] in top" :key="value">
            <span class="clip" :title="value">{{ spaced(value) }}</span><span class="slate">{{ number(count) }}</span>
          </li>
        </template>
        <template v-else>
          <li v-for="value in profile.samples" :key="value">
            <span class="clip" :title="value">{{ spaced(value) }}</span>
          </li>
        </template>
      </ul>
    </template>
  </SidePanel>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 96px 1fr;
  gap: 2px 8px;
  margin: 8px 0 0;
}
dt {
  color: var(--slate-text);
  font-weight: 400;
}
dd {
  margin: 0;
}
.rows {
  margin: 0;
  padding: 0;
  list-style: none;
}
.rows li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 10px;
}
</style>
