<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'

/** Records a second and how long the site takes to answer, over the time of a run; where it asked for time is marked. */
const props = defineProps<{
  pace: Schemas['Pace'][]
  happened: Schemas['Happened'][]
  workers: number
  concurrency: number
}>()
const WIDTH = 860
const HEIGHT = 150
const LEFT = 44
const RIGHT = 54

const times = computed(() => props.pace.map((one) => Date.parse(one.at)))
const begins = computed(() => times.value[0] ?? 0)
const lasts = computed(() => Math.max((times.value.at(-1) ?? 0) - begins.value, 1))
const fastest = computed(() => nice(Math.max(...props.pace.map((one) => one.rate), 1)))
const slowest = computed(() => nice(Math.max(...props.pace.map((one) => one.response_ms ?? 0), 1)))
const x = (at: number) => LEFT + ((at - begins.value) / lasts.value) * (WIDTH - LEFT - RIGHT)
const y = (share: number) => 8 + (1 - share) * (HEIGHT - 12)

/** The least round number that a value does not exceed. */
function nice(value: number): number {
  const step = 10 ** Math.floor(Math.log10(value))
  return [1, 2, 4, 5, 8, 10].map((times) => times * step).find((round) => round >= value) ?? value
}
const path = (share: (one: Schemas['Pace']) => number | null) =>
  props.pace
    .map((one, index) => ({ at: x(times.value[index] ?? 0), share: share(one) }))
    .filter((one) => one.share !== null)
    .map(({ at, share }, index) => `${index ? 'L' : 'M'}${at.toFixed(1)} ${y(share ?? 0).toFixed(1)}`)
    .join('')
const rate = computed(() => path((one) => one.rate / fastest.value))
const answers = computed(() => path((one) => (one.response_ms === null ? null : one.response_ms / slowest.value)))
const asked = computed(() =>
  props.happened
    .filter((one) => one.mark === 'warned')
    .map((one) => ({ at: x(Date.parse(one.at)), text: one.text }))
    .filter((one) => one.at >= LEFT && one.at <= WIDTH - RIGHT + 1),
)
const clock = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', second: '2-digit' })
const ends = computed(() =>
  [begins.value, begins.value + lasts.value].map((at, index) => ({ text: clock.format(at), last: index === 1 })),
)
const last = computed(() => props.pace.at(-1))
const told = computed(() =>
  last.value
    ? `${number(Math.round(last.value.rate))} records a second, answers in ${Math.round(last.value.response_ms ?? 0)} ms`
    : '',
)
</script>

<template>
  <section aria-label="How fast it goes">
    <h3 class="panel-heading">
      <span>Records a second, and how long the site takes to answer (dashed)</span
      ><span v-if="workers">{{ counted(workers, 'worker') }}, up to {{ concurrency }} at a time</span>
    </h3>
    <svg v-if="pace.length > 1" :viewBox="`0 0 ${WIDTH} ${HEIGHT + 20}`" role="img" :aria-label="told">
      <g v-for="share in [0, 0.5, 1]" :key="share">
        <line :x1="LEFT" :x2="WIDTH - RIGHT" :y1="y(share)" :y2="y(share)" class="grid" />
        <text :x="LEFT - 8" :y="y(share) + 4" text-anchor="end">{{ number(fastest * share) }}</text>
        <text :x="WIDTH - RIGHT + 8" :y="y(share) + 4">{{ number(slowest * share) }} ms</text>
      </g>
      <line v-for="one in asked" :key="one.at" :x1="one.at" :x2="one.at" :y1="y(1)" :y2="y(0)" class="asked">
        <title>{{ one.text }}</title>
      </line>
      <path :d="answers" class="answers" />
      <path :d="rate" class="rate" />
      <text
        v-for="one in ends"
        :key="one.text + one.last"
        :x="one.last ? WIDTH - RIGHT : LEFT"
        :y="HEIGHT + 16"
        :text-anchor="one.last ? 'end' : 'start'"
      >
        {{ one.text }}
      </text>
    </svg>
    <p v-else class="slate mb-0">Nothing to draw yet.</p>
  </section>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
}
text {
  fill: var(--slate-text);
  font-size: 11px;
  font-variant-numeric: tabular-nums;
}
.grid {
  stroke: var(--rule-faint);
}
.rate,
.answers {
  fill: none;
  stroke: var(--petrol);
  stroke-width: 2;
  stroke-linejoin: round;
}
.answers {
  stroke: var(--slate);
  stroke-width: 1;
  stroke-dasharray: 3 3;
}
.asked {
  stroke: var(--marigold);
  stroke-width: 3;
  opacity: 0.45;
}
</style>
