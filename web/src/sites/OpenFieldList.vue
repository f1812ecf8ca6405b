<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, useId } from 'vue'
import type { Schemas } from '@/api/client'

/** The parts of a record that take fields of any name, with the fields that were added to them and the names that
 * records on the site use. */
const props = defineProps<{
  type: Schemas['TypeView']
  names: Schemas['SampleView']['names']
  disabled: boolean
  busy: boolean
}>()
const emit = defineEmits<{ keep: [Schemas['AddedField'][]] }>()
const typed = ref<Record<string, string>>({})
const id = useId()

const added = computed(() => (props.type.corrected.added ?? []) as Schemas['AddedField'][])
const parts = computed(() =>
  props.type.open_fields.map((part) => ({
    ...part,
    mine: added.value.filter((one) => one.path.startsWith(`${part.path}.`)),
    used: (props.names[part.path] ?? []).filter(
      ({ name }) => !added.value.some((one) => one.path === `${part.path}.${name}`),
    ),
  })),
)

function add(part: string, name: string) {
  const bare = name.trim()
  if (!bare || bare.includes('.')) return
  emit('keep', [...added.value, { path: `${part}.${bare}`, title: '' }])
  typed.value[part] = ''
}
const remove = (path: string) =>
  emit(
    'keep',
    added.value.filter((one) => one.path !== path),
  )
</script>

<template>
  <div v-if="parts.length">
    <h3 class="part-head">Open fields</h3>
    <div v-for="part in parts" :key="part.path" class="part">
      <p class="mb-1">
        <b>{{ part.title }}</b>
        <span class="slate">
          takes {{ part.languages ? 'a text in any language' : 'fields of any name' }} ({{ part.why }})</span
        >
      </p>
      <p v-for="one in part.mine" :key="one.path" class="mb-1">
        <span class="mono">{{ one.path }}</span> <span class="slate">you added it</span>
        <BButton
          v-if="!disabled"
          variant="link"
          size="sm"
          class="p-0"
          :disabled="busy"
          :aria-label="`Take out ${one.path}`"
          @click="remove(one.path)"
          >Take out</BButton
        >
      </p>
      <template v-if="!disabled">
        <p v-if="part.used.length" class="mb-1">
          <span class="slate">In use:</span>
          <BButton
            v-for="{ name, records } in part.used.slice(0, 12)"
            :key="name"
            variant="link"
            size="sm"
            class="p-0 ms-2"
            :disabled="busy"
            :title="`${records} records have it`"
            @click="add(part.path, name)"
            >{{ name }}</BButton
          >
        </p>
        <form class="edit" @submit.prevent="add(part.path, typed[part.path] ?? '')">
          <BFormInput
            :id="`${id}-${part.path}`"
            v-model="typed[part.path]"
            size="sm"
            class="mono"
            maxlength="100"
            :aria-label="`Name of a field in ${part.title}`"
            placeholder="name"
          />
          <BButton size="sm" variant="outline-primary" type="submit" :disabled="busy">Add a field</BButton>
        </form>
      </template>
    </div>
  </div>
</template>

<style scoped>
.part {
  padding-bottom: 8px;
}
.edit {
  display: flex;
  gap: 6px;
}
</style>
