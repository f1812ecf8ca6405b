<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import DialogBox from '@/parts/DialogBox.vue'
import { useMappingFields } from '@/stations/map/useMapping'

/** By which keys a record is looked for, one after the other, where the match key finds none. */
const props = defineProps<{ id: number; keys: string[][] }>()
const emit = defineEmits<{ change: [string[][]]; close: [] }>()
const { data: mapping } = useMappingFields(toRef(props, 'id'))
const kept = ref(props.keys.map((key) => [...key]))
const titles = computed(() => Object.fromEntries(mapping.value?.fields.map((one) => [one.path, one.title]) ?? []))
const first = computed(() => {
  const { match_key, key_with = [] } = mapping.value?.mapping ?? {}
  return [match_key, ...key_with].flatMap((path) => (path ? [titles.value[path] ?? path] : []))
})
const fed = computed(() => mapping.value?.mapping.fields ?? {})
const of = (paths: string[] | undefined) =>
  (paths ?? [])
    .filter((path) => fed.value[path] && (path !== mapping.value?.mapping.match_key || first.value.length > 1))
    .map((path) => ({ value: path, text: titles.value[path] ?? path }))
const options = computed(() => of(mapping.value?.key_candidates))
/** What may stand beside the first field of a key. */
const beside = computed(() => of(mapping.value?.key_parts))
function keep() {
  emit(
    'change',
    kept.value.map((key) => key.filter(Boolean)).filter((key) => key.length),
  )
  emit('close')
}
</script>

<template>
  <DialogBox model-value title="How records are found on the site" @update:model-value="emit('close')">
    <p class="slate">Each key is tried where those before it find nothing. Its fields have to agree all of them.</p>
    <ol>
      <li>{{ first.join(' and ') || 'no match key is chosen' }} <span class="slate">the match key</span></li>
      <li v-for="(key, at) in kept" :key="at">
        <span v-for="(_, part) in key" :key="part" class="part">
          <span v-if="part" class="slate">and</span>
          <BFormSelect
            v-model="key[part]"
            size="sm"
            :options="part ? beside : options"
            :aria-label="`Field of key ${at + 2}`"
          />
        </span>
        <button type="button" class="visually-plain petrol" @click="key.push('')">and …</button>
        <button type="button" class="visually-plain brick" @click="kept.splice(at, 1)">
          Remove<span class="visually-hidden"> key {{ at + 2 }}</span>
        </button>
      </li>
    </ol>
    <div class="d-flex justify-content-between">
      <BButton variant="link" :disabled="!options.length" @click="kept.push([options[0]?.value ?? ''])"
        >Add a key</BButton
      >
      <BButton variant="primary" @click="keep">Keep</BButton>
    </div>
  </DialogBox>
</template>

<style scoped>
li {
  padding: 4px 0;
}
.part {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  margin-right: 6px;
}
button {
  margin-right: 10px;
}
</style>
