<script setup lang="ts">
import { BButton, BFormCheckbox, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { number } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'
import { isGuess, reason, seenOf } from '@/sites/sampled'

/** The fields of a record type: what each takes, which other record it says, whether it tells two records apart; and
 * what the records that were read say of all that. */
const props = defineProps<{
  type: Schemas['TypeView']
  types: Schemas['TypeView'][]
  sample: Schemas['SampleView'] | undefined
  disabled: boolean
  busy: boolean
}>()
const emit = defineEmits<{ keep: [Partial<Schemas['Correction']>] }>()
/** Types of field that can say which other record is meant. */
const POINTING = ['text', 'integer', 'list']
const editing = ref('')
const typed = ref('')
watch(
  () => props.type,
  () => (editing.value = ''),
)

const links = computed(() => new Map(props.type.links.map((link) => [link.field, link])))
const rows = computed(() =>
  props.type.fields.map((field) => ({
    field,
    link: links.value.get(field.path),
    seen: seenOf(field, props.sample),
    mayPoint: POINTING.includes(field.type) && !field.read_only && !field.values.length,
  })),
)
const kinds = computed(() => [
  { value: '', text: 'no other record' },
  ...props.types.map((type) => ({ value: type.name, text: type.title })),
])
const title = (name: string) => props.types.find((type) => type.name === name)?.title ?? name

function edit(path: string, to: string) {
  editing.value = path
  typed.value = to
}
const keepLink = (path: string) => emit('keep', { links: { [path]: { to: typed.value || null } } })
const takeLink = (link: Schemas['LinkSampleView']) =>
  emit('keep', { links: { [link.field]: { to: link.to, by: link.by } } })
function keepKey(path: string, on: unknown) {
  const others = props.type.fields.filter((field) => field.key && field.path !== path).map((field) => field.path)
  emit('keep', { unique: on ? [...others, path] : others })
}
</script>

<template>
  <table class="fields">
    <thead>
      <tr>
        <th scope="col">Field</th>
        <th scope="col">What it takes</th>
        <th scope="col">Key</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ field, link, seen, mayPoint } in rows" :key="field.path">
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
          <span v-if="editing === field.path" class="edit">
            <BFormSelect v-model="typed" size="sm" :options="kinds" :aria-label="`What ${field.title} points at`" />
            <BButton size="sm" variant="outline-primary" :disabled="busy" @click="keepLink(field.path)">Keep</BButton>
            <BButton size="sm" variant="link" @click="editing = ''">Cancel</BButton>
          </span>
          <template v-else>
            <span v-if="link" :title="link.why">
              <StateMark :state="isGuess(link.confidence) ? 'warned' : ''" />
              → {{ title(link.to) }}, by {{ link.by }}
              <span class="slate">({{ reason(link) }})</span>
            </span>
            <span v-if="seen.lost" class="seen"><StateMark state="warned" /> {{ seen.lost }}</span>
            <span v-if="seen.points" class="seen">
              <StateMark state="warned" /> {{ number(seen.points.found) }} of {{ number(seen.points.values) }} values
              stand in {{ seen.points.by }} of {{ title(seen.points.to) }}
              <BButton
                v-if="!disabled"
                variant="link"
                size="sm"
                class="quiet"
                :disabled="busy"
                @click="takeLink(seen.points)"
                >It points there<span class="visually-hidden">: {{ field.title }}</span></BButton
              >
            </span>
            <span v-if="seen.shared" class="seen"><StateMark state="held" /> {{ seen.shared }}</span>
            <span v-if="seen.differs" class="slate seen">{{ seen.differs }}</span>
            <BButton
              v-if="!disabled && mayPoint"
              variant="link"
              size="sm"
              class="quiet"
              :aria-label="`Correct what ${field.title} points at`"
              @click="edit(field.path, link?.to ?? '')"
              >{{ link ? 'Correct' : 'Points at …' }}</BButton
            >
          </template>
        </td>
        <td>
          <BFormCheckbox
            v-if="!field.read_only"
            :model-value="field.key"
            :disabled="disabled || busy"
            :aria-label="`${field.title} tells two records apart`"
            @update:model-value="keepKey(field.path, $event)"
          />
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
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
.seen {
  margin-top: 3px;
}
.quiet {
  padding: 0;
}
.edit {
  display: flex !important;
  gap: 6px;
  align-items: center;
}
</style>
