<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { CORRECTABLE, useCorrectType } from '@/sites/useSites'

/** All that is known of a record type, and what an administrator knows better. */
const props = defineProps<{
  site: number
  type: Schemas['TypeView']
  types: Schemas['TypeView'][]
  disabled: boolean
}>()
const correct = useCorrectType()
/** Types of field that can say which other record is meant. */
const POINTING = ['text', 'integer', 'list']
const mayPoint = (field: Schemas['SiteFieldView']) =>
  POINTING.includes(field.type) && !field.read_only && !field.values.length
/** What is being corrected: a part by its name, or the link of a field. */
const editing = ref('')
const typed = ref('')
watch(
  () => props.type.name,
  () => (editing.value = ''),
)

const links = computed(() => new Map(props.type.links.map((link) => [link.field, link])))
const said = computed(() => props.type.corrected as Partial<Record<string, unknown>>)
const kinds = computed(() => [
  { value: '', text: 'no other record' },
  ...props.types.map((type) => ({ value: type.name, text: type.title })),
])
const parts = computed(() =>
  Object.entries(CORRECTABLE).map(([name, label]) => ({
    name,
    label,
    value: props.type.correctable[name] ?? '',
    yours: name in said.value,
  })),
)

function edit(what: string, value: string) {
  correct.reset()
  editing.value = what
  typed.value = value
}
function keep(said: Partial<Schemas['Correction']>) {
  const { site, type } = props
  const correction = { links: {}, ...said }
  correct.mutate({ site, type: type.name, correction }, { onSuccess: () => (editing.value = '') })
}
function keepPart(name: string) {
  const value = name === 'size_most' ? Number(typed.value) || null : typed.value.trim()
  keep({ [name]: value })
}
const keepLink = (field: string) => keep({ links: { [field]: { to: typed.value || null } } })
function keepKey(path: string, on: unknown) {
  const others = props.type.fields.filter((field) => field.key && field.path !== path).map((field) => field.path)
  keep({ unique: on ? [...others, path] : others })
}
const title = (name: string) => props.types.find((type) => type.name === name)?.title ?? name
</script>

<template>
  <aside class="panel" :aria-label="`Record type ${type.title}`">
    <h2>{{ type.title }}</h2>
    <p v-if="type.out_of_reach" class="mb-2">
      <StateMark state="held" /> Nothing can be imported into these: {{ type.out_of_reach }}.
    </p>
    <ProblemNote :error="correct.error.value" />

    <table class="fields">
      <thead>
        <tr>
          <th scope="col">Field</th>
          <th scope="col">What it takes</th>
          <th scope="col">Key</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="field in type.fields" :key="field.path">
          <th scope="row">
            <span :title="field.path">{{ field.title }}</span>
          </th>
          <td>
            <span class="what"
              >{{ field.type }}{{ field.required ? ', demanded' : ''
              }}{{ field.read_only ? ', given by the site' : '' }}</span
            >
            <span v-if="field.values.length" class="slate clip" :title="field.values.join(', ')">
              {{ field.values.join(', ') }}
            </span>
            <span v-if="editing === `link ${field.path}`" class="edit">
              <BFormSelect v-model="typed" size="sm" :options="kinds" :aria-label="`What ${field.title} points at`" />
              <BButton
                size="sm"
                variant="outline-primary"
                :disabled="correct.isPending.value"
                @click="keepLink(field.path)"
                >Keep</BButton
              >
              <BButton size="sm" variant="link" @click="editing = ''">Cancel</BButton>
            </span>
            <template v-else>
              <span v-if="links.get(field.path)" :title="links.get(field.path)!.why">
                <StateMark :state="links.get(field.path)!.confidence < 0.85 ? 'warned' : ''" />
                → {{ title(links.get(field.path)!.to) }}, by {{ links.get(field.path)!.by }}
                <span class="slate"
                  >({{ links.get(field.path)!.confidence === 1 ? 'you said so' : links.get(field.path)!.why }})</span
                >
              </span>
              <BButton
                v-if="!disabled && mayPoint(field)"
                variant="link"
                size="sm"
                class="quiet"
                :aria-label="`Correct what ${field.title} points at`"
                @click="edit(`link ${field.path}`, links.get(field.path)?.to ?? '')"
                >{{ links.get(field.path) ? 'Correct' : 'Points at …' }}</BButton
              >
            </template>
          </td>
          <td>
            <BFormCheckbox
              v-if="!field.read_only"
              :model-value="field.key"
              :disabled="disabled || correct.isPending.value"
              :aria-label="`${field.title} tells two records apart`"
              @update:model-value="keepKey(field.path, $event)"
            />
          </td>
        </tr>
      </tbody>
    </table>

    <h3>How it is reached</h3>
    <dl class="ways">
      <template v-for="way in type.ways" :key="way.what + way.how">
        <dt>{{ way.what }}</dt>
        <dd class="mono">{{ way.how }}</dd>
      </template>
    </dl>

    <h3>What was understood</h3>
    <dl class="parts">
      <template v-for="part in parts" :key="part.name">
        <dt>{{ part.label }}</dt>
        <dd v-if="editing === part.name" class="edit">
          <BFormInput
            v-model="typed"
            size="sm"
            class="mono"
            :aria-label="part.label"
            @keydown.enter="keepPart(part.name)"
            @keydown.esc="editing = ''"
          />
          <BButton size="sm" variant="outline-primary" :disabled="correct.isPending.value" @click="keepPart(part.name)"
            >Keep</BButton
          >
          <BButton size="sm" variant="link" @click="editing = ''">Cancel</BButton>
        </dd>
        <dd v-else>
          <span class="mono wrap">{{ part.value || '–' }}</span>
          <span v-if="part.yours" class="slate"> you said so</span>
          <BButton
            v-if="!disabled"
            variant="link"
            size="sm"
            class="quiet"
            :aria-label="`Correct: ${part.label}`"
            @click="edit(part.name, part.value)"
            >Correct</BButton
          >
        </dd>
      </template>
    </dl>
  </aside>
</template>

<style scoped>
.panel {
  padding: 14px 18px 24px;
  overflow-y: auto;
  border-left: 1px solid var(--rule);
}
h3 {
  margin: 18px 0 4px;
  color: var(--slate-text);
  font-weight: 400;
}
.fields {
  width: 100%;
  table-layout: fixed;
}
.fields th:first-child {
  width: 34%;
}
.fields th:last-child {
  width: 38px;
}
.fields th,
.fields td {
  padding: 4px 8px 4px 0;
  border-bottom: 1px solid var(--rule-faint);
  vertical-align: top;
}
.fields thead th {
  color: var(--slate-text);
  font-weight: 400;
}
.fields td:last-child {
  min-width: 34px;
  height: 36px;
}
.fields td > span {
  display: block;
}
.fields td > .what {
  display: inline;
}
.fields td > .quiet {
  margin-left: 8px;
  vertical-align: baseline;
}
.fields th[scope='row'] {
  overflow-wrap: break-word;
}
.wrap {
  overflow-wrap: anywhere;
}
.quiet {
  padding: 0;
}
.edit {
  display: flex !important;
  gap: 6px;
  align-items: center;
}
dl {
  display: grid;
  grid-template-columns: minmax(90px, 42%) minmax(0, 1fr);
  gap: 3px 10px;
  margin: 0;
}
.ways {
  grid-template-columns: 90px minmax(0, 1fr);
}
dt {
  color: var(--slate-text);
  font-weight: 400;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
dd .quiet {
  margin-left: 8px;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .panel {
    border-left: 0;
    padding: 14px 12px;
  }
}
</style>
