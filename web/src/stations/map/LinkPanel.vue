<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, watch } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import ShareBar from '@/parts/ShareBar.vue'
import { isReading, useReadSite, useSnapshot } from '@/sites/useSnapshot'
import StateMark from '@/parts/StateMark.vue'
import LinkKeys from '@/stations/map/LinkKeys.vue'
import LookOrder from '@/stations/map/LookOrder.vue'
import MakeForm from '@/stations/map/MakeForm.vue'
import type { Mapping } from '@/stations/map/useMapping'

/** A link as a join: by which key it is looked for and where, how many were found, and what is found nowhere. */
type Rule = Schemas['LinkRule']
const props = defineProps<{
  id: number
  siteId: number
  path: string
  mapping: Mapping
  columns: string[]
  disabled: boolean
}>()
const emit = defineEmits<{ change: [Rule]; pair: [string, string] }>()
const { data: link, error } = useQuery({
  queryKey: ['ledger', computed(() => props.id), 'link', computed(() => props.path), computed(() => props.mapping)],
  queryFn: ({ signal }) =>
    answer(
      api.POST('/api/imports/{import_id}/link', {
        params: { path: { import_id: props.id } },
        body: { field: props.path, mapping: props.mapping },
        signal,
      }),
    ),
  placeholderData: keepPreviousData,
})
const read = useReadSite()
const { data: snapshot } = useSnapshot(() => props.siteId)
const reading = computed(() => isReading(snapshot.value))
// What the site holds is known once it has been read.
watch(reading, (now, before) => {
  if (before && !now) void queries.invalidateQueries({ queryKey: ['ledger', props.id] })
})
const rule = computed(() => link.value?.rule)
const set = (part: Partial<Rule>) => rule.value && emit('change', { ...rule.value, ...part })
const called = computed(() => link.value?.one ?? 'record')
const missing = computed(() => [
  { value: 'hold', text: 'hold the record' },
  { value: 'blank', text: 'leave the field blank' },
  { value: 'fixed', text: `mean the ${called.value} with the id` },
  ...(link.value?.makes.length || rule.value?.missing === 'make'
    ? [{ value: 'make', text: `make the ${called.value}, once` }]
    : []),
])
const several = computed(() => [
  { value: 'hold', text: 'hold the record' },
  { value: 'newest', text: 'mean the newest' },
  { value: 'oldest', text: 'mean the oldest' },
  ...(link.value?.active ? [{ value: 'active', text: `mean the active one, by ${link.value.active}` }] : []),
])
/** What is to be done where none is found; what could feed one that is made is suggested. */
async function setMissing(what: Rule['missing']) {
  const part: Partial<Rule> = { missing: what, fixed: what === 'fixed' ? rule.value?.fixed || '?' : '' }
  if (what === 'make' && !Object.keys(rule.value?.made ?? {}).length)
    part.made = await answer(
      api.GET('/api/imports/{import_id}/link/made', {
        params: { path: { import_id: props.id }, query: { field: props.path } },
      }),
    )
  set(part)
}
/** Whether what is found nowhere holds nothing: it is yet to be looked for, or it is known what is done then. */
const settled = computed(() => link.value?.unread || rule.value?.missing !== 'hold')
const found = computed(() =>
  (link.value?.places ?? []).filter((one) => !one.awaited).reduce((sum, one) => sum + one.count, 0),
)
const awaited = computed(() =>
  (link.value?.places ?? []).filter((one) => one.awaited).reduce((sum, one) => sum + one.count, 0),
)
</script>

<template>
  <section v-if="link && rule" aria-label="Link">
    <h3 class="panel-heading"><span>Found by</span></h3>
    <LinkKeys
      :keys="link.keys"
      :further="link.further"
      :by="rule.by ?? []"
      :column="rule.column ?? ''"
      :columns="mapping.fields?.[path]?.columns ?? []"
      :disabled="disabled"
      @change="set({ ...$event, ...($event.by.length > 1 || $event.column ? { parted_by: '', of_files: false } : {}) })"
    />

    <label v-if="link.in_tree && rule.by.length < 2 && !rule.column && !rule.of_files" class="path">
      <input
        type="checkbox"
        :checked="rule.parted_by !== ''"
        :disabled="disabled"
        @change="set({ parted_by: rule.parted_by ? '' : '>' })"
      />
      as a path from the top<template v-if="rule.parted_by"
        >, parted by
        <BFormInput
          size="sm"
          lazy
          class="mono parted"
          :model-value="rule.parted_by"
          :disabled="disabled"
          aria-label="What parts the path"
          @update:model-value="set({ parted_by: String($event ?? '').trim() || '>' })"
        />
      </template>
    </label>

    <label v-if="link.has_file && rule.by.length === 1 && !rule.column" class="path">
      <input
        type="checkbox"
        :checked="rule.of_files"
        :disabled="disabled"
        @change="set({ of_files: !rule.of_files, ...(rule.of_files ? {} : { parted_by: '' }) })"
      />
      as the name of a file, by its path or address
    </label>

    <h3 class="panel-heading">
      <span>Looked for</span><span>{{ number(link.total) }}</span>
    </h3>
    <ShareBar
      :good="found"
      :later="awaited + (settled ? link.missing : 0)"
      :bad="(settled ? 0 : link.missing) + link.several"
      :total="link.total"
      :label="`${found} found, ${awaited} to be brought, ${link.missing} found nowhere`"
    />
    <ul class="places">
      <li v-for="one in link.places" :key="`${one.place} ${one.awaited}`">
        <StateMark :state="one.awaited ? 'changed' : 'good'" /> <span>{{ one.place }}</span><span class="mono">{{
          number(one.count)
        }}</span>
      </li>
      <li v-if="link.missing">
        <StateMark :state="settled ? 'changed' : 'held'" />
        <span v-if="link.unread">not looked for: {{ link.to }} have not been read</span>
        <span v-else>nowhere: {{ missing.find((one) => one.value === rule?.missing)?.text }}</span>
        <span class="mono">{{ number(link.missing) }}</span>
      </li>
      <li v-if="link.several">
        <StateMark state="held" /> <span>several have it</span><span class="mono">{{ number(link.several) }}</span>
      </li>
      <li v-if="link.blank">
        <StateMark state="same" /> <span>blank</span><span class="mono">{{ number(link.blank) }}</span>
      </li>
    </ul>
    <BButton
      v-if="link.unread && !disabled"
      size="sm"
      variant="link"
      class="p-0"
      :disabled="read.isPending.value || reading"
      @click="read.mutate({ site: siteId, types: [link.to] })"
      >{{ reading ? 'Reading' : 'Read' }} the site’s {{ link.to.replaceAll('-', ' ') }}</BButton
    >

    <h3 class="panel-heading"><span>In this order</span></h3>
    <LookOrder :look="rule.look ?? []" :disabled="disabled" @change="set({ look: $event })" />

    <h3 class="panel-heading"><span>When nowhere</span></h3>
    <BFormSelect
      size="sm"
      :model-value="rule.missing"
      :options="missing"
      :disabled="disabled"
      aria-label="When it is found nowhere"
      @update:model-value="setMissing($event as Rule['missing'])"
    />
    <MakeForm
      v-if="rule.missing === 'make'"
      :one="link.one"
      :key-title="link.title"
      :made="rule.made ?? {}"
      :fields="link.makes"
      :steps="link.steps"
      :columns="columns"
      :disabled="disabled"
      @change="set({ made: $event })"
    />
    <BFormInput
      v-if="rule.missing === 'fixed'"
      size="sm"
      lazy
      class="mono mt-1"
      :model-value="rule.fixed"
      :disabled="disabled"
      aria-label="Id of the record that is meant then"
      @update:model-value="set({ fixed: String($event ?? '').trim() || '?' })"
    />
    <h3 class="panel-heading"><span>When several have the key</span></h3>
    <BFormSelect
      size="sm"
      :model-value="rule.several"
      :options="several"
      :disabled="disabled"
      aria-label="When several have the key"
      @update:model-value="set({ several: $event as 'hold' })"
    />

    <template v-if="link.misses.length && !link.unread">
      <h3 class="panel-heading">
        <span>Found nowhere</span><span>{{ link.misses.length }} of {{ counted(link.distinct_missing, 'value') }}</span>
      </h3>
      <p v-for="miss in link.misses" :key="miss.value" class="miss">
        <span class="clip mono" :title="miss.value">{{ miss.value }}</span>
        <span class="mono">{{ number(miss.count) }}</span>
        <BButton
          v-if="miss.near && !disabled && !link.many"
          size="sm"
          variant="link"
          class="p-0 clip"
          :title="`Take ${miss.value} for ${miss.near}, by the value table`"
          @click="emit('pair', miss.value, miss.near)"
          >→ {{ miss.near }}</BButton
        >
      </p>
    </template>
    <template v-if="link.doubles.length">
      <h3 class="panel-heading"><span>Several have it</span></h3>
      <p v-for="one in link.doubles" :key="one.value" class="miss">
        <span class="clip mono">{{ one.value }}</span><span class="mono">{{ number(one.count) }}</span>
      </p>
    </template>
  </section>
  <ProblemNote :error="error ?? read.error.value" class="mt-2" />
</template>

<style scoped>
.path {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: baseline;
  margin-top: 4px;
}
.parted {
  width: 56px;
}
.places {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}
.places li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto;
  align-items: baseline;
  gap: 4px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.miss {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto minmax(0, 1fr);
  gap: 8px;
  margin: 0;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
</style>
