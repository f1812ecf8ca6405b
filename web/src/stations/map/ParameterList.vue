<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'

/** The parameters of a mapping, which formulas get by PARAMETER("name"). */
const props = defineProps<{ parameters: Record<string, string>; disabled: boolean }>()
const emit = defineEmits<{ change: [Record<string, string>] }>()
const name = ref('')
const value = ref('')

function set(key: string, to: string) {
  emit('change', { ...props.parameters, [key]: to.trim() })
}
function remove(key: string) {
  const rest = { ...props.parameters }
  delete rest[key]
  emit('change', rest)
}
function add() {
  set(name.value.trim(), value.value)
  name.value = ''
  value.value = ''
}
</script>

<template>
  <p class="slate">
    What is the same for every row and differs from one file to the next, such as the season. A formula has it by
    <code>PARAMETER("season")</code>.
  </p>
  <div v-for="(now, key) in parameters" :key="key" class="parameter">
    <span class="mono">{{ key }}</span>
    <BFormInput
      size="sm"
      lazy
      :model-value="now"
      :disabled="disabled"
      :aria-label="`Value of ${key}`"
      @update:model-value="set(String(key), String($event ?? ''))"
    />
    <BButton v-if="!disabled" variant="link" size="sm" class="p-0" @click="remove(String(key))">Remove</BButton>
  </div>
  <p v-if="!Object.keys(parameters).length">None yet.</p>
  <form v-if="!disabled" class="parameter" @submit.prevent="add">
    <BFormInput v-model="name" size="sm" maxlength="80" placeholder="name" aria-label="Name of a new parameter" />
    <BFormInput v-model="value" size="sm" placeholder="value" aria-label="Value of the new parameter" />
    <BButton type="submit" variant="link" size="sm" class="p-0" :disabled="!name.trim()">Add</BButton>
  </form>
</template>

<style scoped>
.parameter {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.4fr) 64px;
  align-items: center;
  gap: 10px;
  margin-bottom: 6px;
}
</style>
