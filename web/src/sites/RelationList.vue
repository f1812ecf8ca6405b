<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import StateMark from '@/parts/StateMark.vue'
import { isGuess, reason } from '@/sites/sampled'

/** What holds between the fields of a record, which rows are checked by; corrected where it does not. */
const props = defineProps<{ type: Schemas['TypeView']; disabled: boolean; busy: boolean }>()
const emit = defineEmits<{ keep: [Schemas['RelationCorrected'][]] }>()

const DATES = ['date', 'date and time']
const AMOUNTS = ['number', 'integer']
const TEXTS = ['text']
/** The relations that can be added, with the parts that fields play in them. */
const KINDS = [
  { kind: 'in order', words: 'is not after', parts: ['first', 'last'], takes: [DATES, DATES] },
  { kind: 'below', words: 'is below', parts: ['less', 'more'], takes: [AMOUNTS, AMOUNTS] },
  { kind: 'share', words: 'is a share as told by', parts: ['amount', 'kind'], takes: [AMOUNTS, TEXTS] },
] as const

const adding = ref(-1)
const picked = ref<[string, string]>(['', ''])
const title = (path: string) => props.type.fields.find((field) => field.path === path)?.title ?? path
const kind = computed(() => KINDS[adding.value])
const offered = (part: number) =>
  props.type.fields
    .filter((field) => !field.read_only && kind.value?.takes[part]?.includes(field.type))
    .map((field) => ({ value: field.path, text: field.title }))
const said = (one: Schemas['RelationView']): Schemas['RelationCorrected'] => ({
  kind: one.kind as Schemas['RelationCorrected']['kind'],
  parts: one.parts,
})

function words({ kind: what, parts }: Schemas['RelationView']): string {
  if (what === 'in order') return `${title(parts.first!)} is not after ${title(parts.last!)}`
  if (what === 'below') return `${title(parts.less!)} is below ${title(parts.more!)}`
  if (what === 'share') return `${title(parts.amount!)} is at most 100 where ${title(parts.kind!)} says a share`
  const more = [parts.shipping, parts.tax].filter((path) => path !== undefined).map((path) => ` and ${title(path)}`)
  const less = parts.discount ? `, less ${title(parts.discount)}` : ''
  return `${title(parts.total!)} is ${title(parts.quantity!)} times ${title(parts.price!)}, summed${more.join('')}${less}`
}
const without = (at: number) => emit('keep', props.type.relations.filter((_, other) => other !== at).map(said))
function add() {
  const one = kind.value
  if (!one || !picked.value[0] || !picked.value[1]) return
  const parts = { [one.parts[0]]: picked.value[0], [one.parts[1]]: picked.value[1] }
  emit('keep', [...props.type.relations.map(said), { kind: one.kind, parts }])
  adding.value = -1
}
</script>

<template>
  <div v-if="type.relations.length || !disabled">
    <h3 class="part-head">What holds between fields</h3>
    <ul class="list">
      <li v-for="(one, at) in type.relations" :key="JSON.stringify(one.parts)" :title="one.why">
        <StateMark :state="isGuess(one.confidence) ? 'warned' : ''" /> {{ words(one) }}
        <span class="slate">({{ reason(one) }})</span>
        <BButton
          v-if="!disabled"
          variant="link"
          size="sm"
          class="p-0"
          :disabled="busy"
          :aria-label="`Does not hold: ${words(one)}`"
          @click="without(at)"
          >Does not hold</BButton
        >
      </li>
    </ul>
    <p v-if="!disabled && adding < 0" class="mb-0">
      <BButton
        v-for="(one, at) in KINDS"
        :key="one.kind"
        variant="link"
        size="sm"
        class="p-0 me-3"
        @click="((adding = at), (picked = ['', '']))"
        >One {{ one.words }} another …</BButton
      >
    </p>
    <form v-else-if="kind" class="edit" @submit.prevent="add">
      <BFormSelect v-model="picked[0]" size="sm" :options="offered(0)" aria-label="The one field" />
      <span>{{ kind.words }}</span>
      <BFormSelect v-model="picked[1]" size="sm" :options="offered(1)" aria-label="The other field" />
      <BButton size="sm" variant="outline-primary" type="submit" :disabled="busy">Keep</BButton>
      <BButton size="sm" variant="link" @click="adding = -1">Cancel</BButton>
    </form>
  </div>
</template>

<style scoped>
.list {
  margin: 0 0 4px;
  padding: 0;
  list-style: none;
}
.list li {
  padding: 3px 0;
}
.edit {
  display: grid;
  grid-template-columns: 1fr auto 1fr;
  gap: 6px;
  align-items: center;
}
</style>
