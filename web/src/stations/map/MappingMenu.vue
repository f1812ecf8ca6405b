<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { BButton, BDropdown, BDropdownDivider, BDropdownItem, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'
import DialogBox from '@/parts/DialogBox.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import type { Mapping } from '@/stations/map/useMapping'
import ParameterList from '@/stations/map/ParameterList.vue'
import VersionList from '@/stations/map/VersionList.vue'

/** Mappings as a whole: their versions, and what is kept by name for other imports. */
const props = defineProps<{
  id: number
  recordType: string
  fields: { path: string; title: string }[]
  parameters: Record<string, string>
  disabled: boolean
}>()
const emit = defineEmits<{ take: [Mapping]; save: []; parameters: [Record<string, string>] }>()
const route = useRoute()
const router = useRouter()
/** In the address, so that it can be gone to. */
const versions = computed({
  get: () => route.query.show === 'versions',
  set: (open) => void router.replace({ query: { ...route.query, show: open ? 'versions' : undefined } }),
})
const keeping = ref(false)
const listing = ref(false)
const name = ref('')
const error = ref<Error | null>(null)
const { data: kept } = useQuery({
  queryKey: ['kept', 'mappings', toRef(props, 'recordType')],
  queryFn: () => answer(api.GET('/api/kept/mappings', { params: { query: { record_type: props.recordType } } })),
})
const titles = computed(() => Object.fromEntries(props.fields.map((field) => [field.path, field.title])))

async function keep() {
  error.value = null
  try {
    await answer(
      api.POST('/api/imports/{import_id}/mapping/kept', {
        params: { path: { import_id: props.id } },
        body: { name: name.value.trim() },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['kept', 'mappings'] })
    keeping.value = false
  } catch (caught) {
    error.value = caught as Error
  }
}
async function use(number: number) {
  emit('take', await answer(api.GET('/api/kept/mappings/{number}', { params: { path: { number } } })))
}
function openKeeping() {
  emit('save')
  keeping.value = true
}
function goBack(mapping: Mapping) {
  versions.value = false
  emit('take', mapping)
}
</script>

<template>
  <BDropdown text="Mapping" variant="link" no-caret dropup toggle-class="slate">
    <BDropdownItem @click="versions = true">Versions and their differences</BDropdownItem>
    <BDropdownItem @click="listing = true">Parameters</BDropdownItem>
    <BDropdownItem v-if="!disabled" @click="openKeeping">Save it by name, for other imports</BDropdownItem>
    <template v-if="kept?.length && !disabled">
      <BDropdownDivider />
      <BDropdownItem v-for="one in kept" :key="one.id" @click="use(one.id)">Use “{{ one.name }}”</BDropdownItem>
    </template>
  </BDropdown>
  <DialogBox v-model="versions" title="Versions of the mapping" wide>
    <VersionList v-if="versions" :id="id" :titles="titles" :disabled="disabled" @back="goBack" />
  </DialogBox>
  <DialogBox v-model="keeping" title="Save the mapping by name">
    <form @submit.prevent="keep">
      <label class="w-100"
        >Name <BFormInput v-model="name" maxlength="120" placeholder="such as Customers of the old shop"
      /></label>
      <p class="slate mt-2">A mapping that was saved under the same name is replaced.</p>
      <ProblemNote :error="error" />
      <div class="text-end">
        <BButton type="submit" variant="primary" :disabled="!name.trim()">Save</BButton>
      </div>
    </form>
  </DialogBox>
  <DialogBox v-model="listing" title="Parameters of the mapping">
    <ParameterList :parameters="parameters" :disabled="disabled" @change="emit('parameters', $event)" />
  </DialogBox>
</template>
