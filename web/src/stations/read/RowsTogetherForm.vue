<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'

/** Rows with the same key make one record, as a person has it: by which columns, and which go into its list. */
type RowsTogether = Schemas['RowsTogether']
const props = defineProps<{ headers: string[]; lists: string[]; shape: RowsTogether | undefined }>()
const emit = defineEmits<{ take: [RowsTogether] }>()
const open = ref(false)
const key = ref([...(props.shape?.key ?? [])])
const below = ref(props.shape?.below ?? false)
const into = ref(props.shape?.into ?? props.lists[0] ?? '')
const lines = ref([...(props.shape?.lines ?? [])])
const others = computed(() => props.headers.filter((name) => !key.value.includes(name)))
const belows = [
  { value: false, text: 'on all of its rows' },
  { value: true, text: 'on its first row, blank below' },
]
const whole = computed(() => key.value.length > 0 && lines.value.some((name) => others.value.includes(name)))
function take() {
  const chosen = lines.value.filter((name) => others.value.includes(name))
  emit('take', { kind: 'rows together', key: key.value, below: below.value, lines: chosen, into: into.value })
}
</script>

<template>
  <h3 class="panel-heading">
    <span>Rows with the same key</span>
    <BButton variant="link" size="sm" class="p-0" :aria-expanded="open" @click="open = !open">{{
      open ? 'Close' : 'Choose by hand'
    }}</BButton>
  </h3>
  <div v-if="open" class="by-hand">
    <label
      >A record has the same
      <select v-model="key" multiple class="form-select form-select-sm" size="5" aria-label="Key columns">
        <option v-for="name in headers" :key="name">{{ name }}</option>
      </select></label
    >
    <label
      >which stands <BFormSelect v-model="below" size="sm" :options="belows" aria-label="Where the key stands"
    /></label>
    <label v-if="lists.length > 1">and holds <BFormSelect v-model="into" size="sm" :options="lists" /></label>
    <label
      >Each row adds to its {{ into.replaceAll('_', ' ') }}
      <select v-model="lines" multiple class="form-select form-select-sm" size="6" aria-label="Columns of each row">
        <option v-for="name in others" :key="name">{{ name }}</option>
      </select></label
    >
    <BButton size="sm" variant="primary" :disabled="!whole" @click="take">Make records so</BButton>
  </div>
</template>

<style scoped>
.by-hand label {
  display: block;
  margin-bottom: 8px;
}
</style>
