<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import ShareBar from '@/parts/ShareBar.vue'
import StateMark from '@/parts/StateMark.vue'
import type { Mapping } from '@/stations/map/useMapping'

/** Addresses of the site that is left, within texts: to which records they lead, and what leads nowhere. */
type Rule = Schemas['TextAddresses']
const props = defineProps<{ id: number; path: string; mapping: Mapping; disabled: boolean }>()
const emit = defineEmits<{ change: [Rule | null] }>()
const { data: view, error } = useQuery({
  queryKey: [
    'ledger',
    computed(() => props.id),
    'addresses',
    computed(() => props.path),
    computed(() => props.mapping),
  ],
  queryFn: ({ signal }) =>
    answer(
      api.POST('/api/imports/{import_id}/addresses', {
        params: { path: { import_id: props.id } },
        body: { field: props.path, mapping: props.mapping },
        signal,
      }),
    ),
  placeholderData: keepPreviousData,
})
const rule = computed(() => view.value?.rule)
const set = (part: Partial<Rule>) => rule.value && emit('change', { ...rule.value, ...part })
const hosts = (text: string) => text.split(/[\s,;]+/).filter(Boolean)
const name = (one: { record_type: string; by: string; column: string }) =>
  JSON.stringify([one.record_type, one.by, one.column])
const ways = computed(() =>
  (view.value?.ways ?? []).map((one) => ({
    value: name(one),
    text: `${one.record_type.replaceAll('-', ' ')}, by ${one.title}`,
  })),
)
const way = (one: Rule['to'][number]) =>
  name({ record_type: one.record_type, by: one.by ?? '', column: one.column ?? '' })
const adding = ref(false)
/** What a person has chosen from the list, in the place of one of the rule's, or behind them. */
function choose(at: number, chosen: string) {
  const [record_type, by, column] = JSON.parse(chosen) as [string, string, string]
  const to = [...(rule.value?.to ?? [])]
  to[at] = { record_type, by, column, under: to[at]?.under ?? '' }
  adding.value = false
  if (rule.value) set({ to })
  else emit('change', { hosts: named.value, to, missing: 'keep' })
}
function below(at: number, under: string) {
  set({ to: (rule.value?.to ?? []).map((one, place) => (place === at ? { ...one, under } : one)) })
}
function remove(at: number) {
  const to = (rule.value?.to ?? []).filter((_, place) => place !== at)
  if (to.length) set({ to })
  else emit('change', null)
}
/** The servers that the addresses name. */
const named = computed(() => (view.value?.hosts ?? []).map((one) => one.host).filter(Boolean))
const total = computed(() => (view.value?.hosts ?? []).reduce((sum, one) => sum + one.count, 0))
const missing = [
  { value: 'keep', text: 'keep the address as it is' },
  { value: 'take off', text: 'take it off: the words stay, a picture goes' },
  { value: 'hold', text: 'hold the record' },
]
const reads = computed(() => (view.value?.unread ?? []).map((one) => one.replaceAll('-', ' ')).join(' and '))
</script>

<template>
  <section v-if="view && total" aria-label="Addresses in it">
    <h3 class="panel-heading">
      <span>Addresses in it</span><span>{{ number(total) }}</span>
    </h3>
    <ul class="places">
      <li v-for="one in view.hosts" :key="one.host">
        <span class="clip">{{ one.host || 'no server named' }}</span><span class="mono">{{ number(one.count) }}</span>
      </li>
    </ul>
    <template v-if="!rule">
      <p class="mb-1">
        <template v-if="view.suggested"
          >{{ number(view.led) }} of {{ number(view.total) }} lead to records that are here, or come with an
          import.</template
        >
        <template v-else>Most lead to no record that is here, or comes with an import, as far as is known.</template>
      </p>
      <BButton
        v-if="view.suggested && !disabled"
        variant="link"
        size="sm"
        class="p-0"
        @click="emit('change', view.suggested)"
        >Lead them to these records</BButton
      >
      <BFormSelect
        v-else-if="!disabled && ways.length"
        size="sm"
        :model-value="''"
        :options="[{ value: '', text: 'Say what they lead to …' }, ...ways]"
        aria-label="What they lead to"
        @update:model-value="$event && choose(0, String($event))"
      />
    </template>
    <template v-else>
      <ShareBar
        :good="view.led"
        :later="0"
        :bad="view.total - view.led"
        :total="view.total"
        :label="`${view.led} lead to records, ${view.total - view.led} lead nowhere`"
      />
      <h3 class="panel-heading"><span>Lead to</span></h3>
      <div v-for="(one, at) in rule.to" :key="at" class="to">
        <BFormSelect
          size="sm"
          :model-value="way(one)"
          :options="ways"
          :disabled="disabled"
          :aria-label="`What they lead to, ${at + 1}`"
          @update:model-value="choose(at, String($event))"
        />
        <label
          >below /
          <BFormInput
            size="sm"
            lazy
            class="mono"
            :model-value="one.under"
            :disabled="disabled"
            :aria-label="`Below which path, ${at + 1}`"
            placeholder="any path"
            @update:model-value="below(at, String($event ?? '').trim())"
          />
        </label>
        <BButton
          v-if="!disabled"
          size="sm"
          variant="link"
          :aria-label="`Remove what they lead to, ${at + 1}`"
          @click="remove(at)"
          >×</BButton
        >
      </div>
      <BFormSelect
        v-if="adding"
        size="sm"
        class="mt-1"
        :model-value="''"
        :options="[{ value: '', text: 'Choose …' }, ...ways]"
        aria-label="What they lead to as well"
        @update:model-value="$event && choose(rule.to.length, String($event))"
      />
      <BButton v-else-if="!disabled" size="sm" variant="link" class="p-0" @click="adding = true">Add another</BButton>
      <h3 class="panel-heading"><span>Servers of the site that is left</span></h3>
      <BFormInput
        size="sm"
        lazy
        class="mono"
        :model-value="(rule.hosts ?? []).join(', ')"
        :disabled="disabled"
        aria-label="Servers of the site that is left"
        placeholder="only addresses that name no server"
        @update:model-value="set({ hosts: hosts(String($event ?? '')) })"
      />
      <h3 class="panel-heading"><span>When one leads nowhere</span></h3>
      <BFormSelect
        size="sm"
        :model-value="rule.missing"
        :options="missing"
        :disabled="disabled"
        aria-label="When one leads nowhere"
        @update:model-value="set({ missing: $event as 'keep' })"
      />
      <BButton v-if="!disabled" size="sm" variant="link" class="p-0 mt-1" @click="emit('change', null)"
        >Leave all addresses as they are</BButton
      >
    </template>
    <p v-if="reads" class="mt-2 mb-0"><StateMark state="changed" /> The site’s {{ reads }} have not been read.</p>
    <template v-if="view.examples.length">
      <h3 class="panel-heading"><span>Where they lead</span></h3>
      <p v-for="one in view.examples" :key="one.address" class="led">
        <span class="mono address">{{ one.address }}</span><span class="mono">{{ number(one.count) }}</span>
        <a v-if="one.becomes" :href="one.becomes" target="_blank" rel="noopener" class="clip" :title="one.becomes">{{
          one.becomes
        }}</a>
        <span v-else class="slate">the address that its record will have</span>
      </p>
    </template>
    <template v-if="view.nowhere.length">
      <h3 class="panel-heading">
        <span>Lead nowhere</span><span>{{ number(view.total - view.led) }}</span>
      </h3>
      <p v-for="one in view.nowhere" :key="one.address" class="led">
        <span class="mono address">{{ one.address }}</span><span class="mono">{{ number(one.count) }}</span>
      </p>
    </template>
  </section>
  <ProblemNote :error="error" class="mt-2" />
</template>

<style scoped>
.places {
  margin: 0;
  padding: 0;
  list-style: none;
}
.places li,
.led {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 2px 8px;
  margin: 0;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.address {
  overflow-wrap: anywhere;
}
.led > :nth-child(3) {
  grid-column: 1 / 3;
}
.to {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 4px;
  align-items: center;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.to label {
  display: flex;
  gap: 6px;
  align-items: baseline;
  grid-column: 1;
  white-space: nowrap;
}
</style>
