<script setup lang="ts">
import { computed } from 'vue'
import type { State } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'
import { counted, number, percent } from '@/parts/format'
import { proof } from '@/workbench/summaries'
import type { Overview, Station } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview; station: Station }>()

interface Told {
  station: Station
  title: string
  parts: { mark: State; text: string }[]
  strip?: { colour: string; share: number }[]
}

const plain = (text: string) => [{ mark: '' as State, text }]

const check = computed<Told>(() => {
  const found = props.overview.check
  const told: Told = { station: 'check', title: 'Check', parts: plain('not yet') }
  const under = props.overview.checking
  if (under && under.state !== 'failed')
    return { ...told, parts: plain(`${percent(under.done, under.total)} of ${number(under.total)}`) }
  if (!found) return told
  if (found.stale) return { ...told, parts: plain(`stale: ${found.stale}`) }
  const parts: Told['parts'] = [
    found.held ? { mark: 'held', text: `${number(found.held)} held` } : { mark: 'good', text: 'none held' },
    { mark: '', text: `${number(found.ready)} ready` },
  ]
  if (found.left_out) parts.push({ mark: 'same', text: `${number(found.left_out)} out` })
  if (found.warned) parts.push({ mark: 'warned', text: number(found.warned) })
  const strip = [
    { colour: 'var(--moss)', share: (found.ready - found.warned) / found.rows },
    { colour: 'var(--marigold)', share: found.warned / found.rows },
    { colour: 'var(--brick)', share: found.held / found.rows },
    { colour: 'var(--slate)', share: found.left_out / found.rows },
  ]
  return { ...told, parts, strip }
})

const rehearse = computed(() => {
  const plan = props.overview.rehearse
  if (!plan) return plain('not yet')
  if (plan.state === 'reading') return plain(`reading the site: ${counted(plan.records_read, 'record')}`)
  if (plan.state === 'stopped') return plain('stopped')
  if (plan.state === 'failed') return [{ mark: 'held' as State, text: 'the site could not be read' }]
  if (plan.stale && !props.overview.run) return plain(`stale: ${plan.stale}`)
  return [
    { mark: 'good' as State, text: `${number(plan.counts.create ?? 0)} create` },
    { mark: 'changed' as State, text: `${number(plan.counts.update ?? 0)} update` },
  ]
})

const run = computed(() => {
  const found = props.overview.run
  if (!found) return plain('not yet')
  const came = { pilot: 'in the pilot', undo: 'taken back' }[found.kind] ?? 'done'
  const parts: Told['parts'] = [{ mark: 'good', text: `${number(found.done)} ${came}` }]
  if (found.failed) parts.push({ mark: 'held', text: `${number(found.failed)} failed` })
  if (found.state === 'done') return parts
  if (found.state === 'running')
    return plain(`${percent(found.done + found.failed, found.total)} of ${number(found.total)}`)
  return [...parts, { mark: '' as State, text: found.state }]
})

const verify = computed(() => {
  const found = props.overview.verify
  if (!found) return plain('not yet')
  if (found.state === 'reading') return plain(`reading back: ${counted(found.records_read, 'record')}`)
  if (found.state === 'stopped') return plain('stopped')
  if (found.state === 'failed') return [{ mark: 'held' as State, text: 'could not be read back' }]
  const { state, text } = proof(props.overview)
  return [{ mark: state, text: text.replace(' on the site as sent', ' as sent') }]
})

const told = computed<Told[]>(() => [
  {
    station: 'read',
    title: 'Read',
    parts: plain(`${counted(props.overview.sheet.rows, 'row')}, ${counted(props.overview.sheet.columns, 'column')}`),
  },
  {
    station: 'map',
    title: 'Map',
    parts: plain(`${props.overview.map.fed} of ${props.overview.map.fields} fields fed`),
  },
  check.value,
  { station: 'rehearse', title: 'Rehearse', parts: rehearse.value },
  { station: 'run', title: 'Run', parts: run.value },
  { station: 'verify', title: 'Verify', parts: verify.value },
])
</script>

<template>
  <nav class="ribbon" aria-label="Stations">
    <RouterLink
      v-for="one in told"
      :key="one.station"
      :to="`/imports/${overview.id}/${one.station}`"
      :class="{ on: one.station === station }"
      :aria-current="one.station === station ? 'page' : undefined"
    >
      <b>{{ one.title }}</b>
      <span class="told clip">
        <span v-for="part in one.parts" :key="part.text" class="part"
          ><StateMark :state="part.mark" /> {{ part.text }}</span
        >
      </span>
      <span v-if="one.strip" class="strip" aria-hidden="true">
        <i
          v-for="part in one.strip"
          :key="part.colour"
          :style="{ width: `${part.share * 100}%`, background: part.colour }"
        ></i>
      </span>
    </RouterLink>
  </nav>
</template>

<style scoped>
.ribbon {
  display: grid;
  grid-template-columns: repeat(6, 1fr);
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
a {
  position: relative;
  min-width: 0;
  padding: 7px 7px 0 14px;
  border-right: 1px solid var(--rule-faint);
  color: var(--slate-text);
  text-decoration: none;
}
a:hover {
  background: var(--bs-body-bg);
}
a b {
  display: block;
  color: var(--bs-body-color);
}
.told {
  display: block;
}
.part + .part {
  margin-left: 7px;
}
a.on {
  background: var(--petrol-tint);
}
a.on::after {
  content: '';
  position: absolute;
  inset: auto 0 -1px;
  height: 3px;
  background: var(--petrol);
}
.strip {
  position: absolute;
  inset: auto 16px 5px;
  display: flex;
  height: 3px;
  background: var(--rule-faint);
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .ribbon {
    grid-template-columns: repeat(auto-fit, minmax(148px, 1fr));
  }
  a {
    min-height: 52px;
    padding-bottom: 8px;
    border-bottom: 1px solid var(--rule-faint);
  }
  .told {
    white-space: normal;
  }
}
</style>
