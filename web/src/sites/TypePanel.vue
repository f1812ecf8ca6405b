<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import FieldTable from '@/sites/FieldTable.vue'
import LearntList from '@/sites/LearntList.vue'
import OpenFieldList from '@/sites/OpenFieldList.vue'
import RelationList from '@/sites/RelationList.vue'
import { CORRECTABLE, useCorrectType } from '@/sites/useSites'

/** All that is known of a record type, and what an administrator knows better. */
const props = defineProps<{
  site: number
  type: Schemas['TypeView']
  types: Schemas['TypeView'][]
  sample: Schemas['SampleView'] | undefined
  disabled: boolean
  mayEdit: boolean
}>()
const correct = useCorrectType()
/** The part that is being corrected, by its name. */
const editing = ref('')
const typed = ref('')
watch(
  () => props.type.name,
  () => (editing.value = ''),
)

const said = computed(() => props.type.corrected as Partial<Record<string, unknown>>)
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
const together = computed(() =>
  props.type.keys_together.map((paths) => {
    const names = paths.map((path) => props.type.fields.find((field) => field.path === path)?.title ?? path)
    const key = props.sample?.keys.find((one) => one.fields.join() === paths.join())
    return { names: names.join(' and '), shared: key?.shared ?? 0, records: key?.records ?? 0 }
  }),
)
</script>

<template>
  <aside class="panel" :aria-label="`Record type ${type.title}`">
    <h2>{{ type.title }}</h2>
    <p v-if="type.translated" class="mb-1">
      <RouterLink :to="`/sites/${site}/languages/${type.name}`">What is there in which language</RouterLink>
    </p>
    <p v-if="type.out_of_reach" class="mb-2">
      <StateMark state="held" /> Nothing can be imported into these: {{ type.out_of_reach }}.
    </p>
    <ProblemNote :error="correct.error.value" />

    <FieldTable
      :type="type"
      :types="types"
      :sample="sample"
      :disabled="disabled"
      :busy="correct.isPending.value"
      @keep="keep"
    />

    <p v-for="key in together" :key="key.names" class="mt-2 mb-0">
      {{ key.names }} together tell two records apart.
      <template v-if="key.shared"
        ><StateMark state="held" /> {{ counted(key.shared, 'pair') }} stand more than once.</template
      >
    </p>
    <RelationList
      :key="`held ${type.name}`"
      :type="type"
      :disabled="disabled"
      :busy="correct.isPending.value"
      @keep="keep({ relations: $event })"
    />
    <OpenFieldList
      :key="`open ${type.name}`"
      :type="type"
      :names="sample?.names ?? {}"
      :disabled="disabled"
      :busy="correct.isPending.value"
      @keep="keep({ added: $event })"
    />

    <h3 class="part-head">How it is reached</h3>
    <dl class="ways">
      <template v-for="way in type.ways" :key="way.what + way.how">
        <dt>{{ way.what }}</dt>
        <dd class="mono">{{ way.how }}</dd>
      </template>
    </dl>

    <h3 class="part-head">What was understood</h3>
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
    <LearntList :key="`learnt ${type.name}`" :site="site" :type="type.name" :may-edit="mayEdit" />
  </aside>
</template>

<style scoped>
.panel {
  padding: 14px 18px 24px;
  overflow-y: auto;
  border-left: 1px solid var(--rule);
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
