<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import { kindOf } from '@/parts/forms'
import ProblemNote from '@/parts/ProblemNote.vue'
import SidePanel from '@/parts/SidePanel.vue'
import { useReading } from '@/reading/useReading'
import { useSources } from '@/sites/useSources'
import ShapeByHand from '@/stations/read/ShapeByHand.vue'
import { useShape, type Shape } from '@/stations/read/useShape'

/** The ways in which rows can make records: those that were found, and the sheets that records draw on. */
const props = defineProps<{
  id: number
  view: Schemas['ShapeView']
  headers: string[]
  site: number
  source: number
  disabled: boolean
}>()
const emit = defineEmits<{ close: [] }>()
const shape = useShape(computed(() => props.id))
const reading = useReading()
const busy = computed(
  () => shape.set.isPending.value || shape.addFile.isPending.value || shape.addSheet.isPending.value,
)
const error = computed(
  () => shape.set.error.value ?? shape.addFile.error.value ?? shape.addSheet.error.value ?? shape.remove.error.value,
)
const plain = computed(() => !props.view.shapes.length)
/** The other sheets of this file first, then those of others that the site has. */
const { sheets } = useSources(toRef(props, 'site'))
const there = (name: string) => props.view.beside.some((one) => one.name === name)
const notYet = computed(() => [
  ...props.view.offered
    .filter((name) => !there(name))
    .map((name) => ({ source: props.source, sheet: name, text: name, role: name })),
  ...sheets.value.filter((one) => one.source !== props.source && !there(one.role)),
])
const menu = computed(() => [
  { value: -1, text: 'Add a sheet that is here' },
  ...notYet.value.map(({ text }, value) => ({ value, text })),
])
const taken = ref(-1)
function take(at: number) {
  const one = notYet.value[at]
  taken.value = at
  if (one) shape.addSheet.mutate(one, { onSettled: () => (taken.value = -1) })
}
/** What somebody made up that is not among those that were found. */
const byHand = computed(() => {
  const found = props.view.found.filter((one) => one.chosen).map((one) => JSON.stringify(one.shape))
  return props.view.shapes.filter((one) => !found.includes(JSON.stringify(one)))
})
/** A shape makes a list, or the records; what makes the same takes its place. */
function choose(one: Shape) {
  const others = props.view.shapes.filter((other) => (other.into ?? '') !== (one.into ?? ''))
  shape.set.mutate(one.kind === 'tree' ? [one, ...others] : [...others, one])
}
function without(one: Shape) {
  shape.set.mutate(props.view.shapes.filter((other) => JSON.stringify(other) !== JSON.stringify(one)))
}
function add(input: HTMLInputElement) {
  const file = input.files?.[0]
  input.value = ''
  if (file) shape.addFile.mutate({ file, reading })
}
</script>

<template>
  <SidePanel title="How rows make records" label="How rows make records" @close="emit('close')">
    <fieldset :disabled="disabled || busy">
      <label class="way">
        <input type="radio" name="shape" :checked="plain" @change="shape.set.mutate([])" />
        <span><b>Each row is one record</b></span>
      </label>
      <label v-for="one in view.found" :key="JSON.stringify(one.shape)" class="way">
        <input
          :type="one.chosen ? 'checkbox' : 'radio'"
          name="found"
          :checked="one.chosen"
          @change="one.chosen ? without(one.shape) : choose(one.shape)"
        />
        <span>
          <b>{{ one.sentence }}</b>
          <small v-for="reason in one.reasons" :key="reason" class="slate">{{ reason }}</small>
        </span>
      </label>
      <p v-if="!view.found.length" class="slate">Nothing else is seen in the sheet.</p>
      <p v-for="one in byHand" :key="JSON.stringify(one)" class="way">
        <input type="checkbox" checked :aria-label="`Without ${kindOf(one.kind).label}`" @change="without(one)" />
        <span
          ><b>{{ kindOf(one.kind).label }}</b
          ><small class="slate">chosen by hand</small></span
        >
      </p>

      <ShapeByHand :view="view" :headers="headers" @take="choose" />

      <h3 class="panel-heading"><span>Other sheets that records draw on</span></h3>
      <p v-for="one in view.beside" :key="one.name" class="beside">
        <span class="clip" :title="one.columns.join(', ')">{{ one.name }}</span>
        <small class="slate">{{ counted(one.rows, 'row') }}, {{ counted(one.columns.length, 'column') }}</small>
        <BButton
          variant="link"
          size="sm"
          class="p-0"
          :aria-label="`Remove ${one.name}`"
          @click="shape.remove.mutate(one.name)"
          >Remove</BButton
        >
      </p>
      <p v-if="!view.beside.length" class="slate mb-1">
        None. Lines of orders, say, may stand in a sheet of their own.
      </p>
      <BFormSelect
        v-if="notYet.length"
        size="sm"
        class="mb-1"
        :model-value="taken"
        :options="menu"
        aria-label="Add a sheet that is here"
        @update:model-value="take(Number($event))"
      />
      <label v-if="!disabled" class="btn btn-link btn-sm p-0"
        >Add a file <input type="file" class="visually-hidden" @change="add($event.target as HTMLInputElement)"
      /></label>
    </fieldset>
    <ProblemNote :error="error" class="mt-2" />
  </SidePanel>
</template>

<style scoped>
.way {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  gap: 6px;
  padding: 7px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.way small {
  display: block;
}
.way input {
  margin-top: 3px;
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 8px;
  margin-bottom: 4px;
}
</style>
