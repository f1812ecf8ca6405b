<script setup lang="ts">
import { computed } from 'vue'
import { counted, number, span } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { said, type FollowUpState } from '@/stations/run/useFollowUps'

/** What a follow-up would do for which records, and for which not; once it was begun, how far it has come. */
const props = defineProps<{ shown: FollowUpState }>()
/** How long mail takes at the pace that was chosen, while it is still to go. */
const takes = computed(() => {
  const { asked, records, done, failed } = props.shown
  const left = records - done - failed
  return asked.what.kind === 'mail' && left > asked.what.per_minute ? (60 * left) / asked.what.per_minute : 0
})
const why = computed(() => Object.entries(props.shown.why))
</script>

<template>
  <p v-if="shown.state === 'reading'" role="status">The site is being read.</p>
  <ProblemNote v-if="shown.error" :error="new Error(shown.error)" />
  <template v-if="shown.state !== 'reading'">
    <p>
      <StateMark :state="shown.records ? 'good' : 'same'" /> {{ counted(shown.records, 'record') }}:
      {{ said(shown.asked) }}<template v-if="takes">. It takes {{ span(takes) }}</template
      >.
    </p>
    <p v-if="shown.run_id" role="status">
      <StateMark :state="shown.failed ? 'held' : shown.state === 'done' ? 'good' : 'same'" />
      {{ number(shown.done) }} of {{ number(shown.records) }} done<template v-if="shown.failed"
        >, {{ number(shown.failed) }} refused</template
      >.
    </p>
    <ul v-if="why.length" class="lines">
      <li v-for="[reason, count] in why" :key="reason">
        <StateMark state="warned" /> {{ counted(count, 'record') }} left: {{ reason }}
      </li>
    </ul>
    <template
      v-for="[heading, lines] in [
        ['Refused', shown.refused],
        ['Left', shown.left],
      ] as const"
      :key="heading"
    >
      <template v-if="lines.length">
        <h3 class="panel-heading">
          <span>{{ heading }}</span>
        </h3>
        <ul class="lines many">
          <li v-for="one in lines" :key="one.item">
            <span class="mono">{{ one.key }}</span> {{ one.reason }}
            <a v-if="one.page" :href="one.page" target="_blank" rel="noopener">open ↗</a>
          </li>
        </ul>
      </template>
    </template>
    <template v-if="shown.examples.some((one) => Object.keys(one.says).length)">
      <h3 class="panel-heading"><span>The first of them</span></h3>
      <dl v-for="one in shown.examples" :key="one.item" class="example">
        <template v-for="(text, name) in one.says" :key="name">
          <dt>{{ name }}</dt>
          <dd>{{ text }}</dd>
        </template>
      </dl>
    </template>
  </template>
</template>

<style scoped>
.lines {
  margin: 0 0 10px;
  padding: 0;
  list-style: none;
}
.many {
  max-height: 160px;
  overflow-y: auto;
}
.many li {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.example {
  display: grid;
  grid-template-columns: 70px minmax(0, 1fr);
  gap: 2px 10px;
  padding: 8px 10px;
  background: var(--paper);
}
.example dt {
  color: var(--slate-text);
  font-weight: 400;
}
.example dd {
  margin: 0;
  white-space: pre-wrap;
}
</style>
