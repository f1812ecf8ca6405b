<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import { answer, api } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import { counted, time } from '@/parts/format'
import DifferenceTable from '@/stations/map/DifferenceTable.vue'
import type { Mapping } from '@/stations/map/useMapping'

/** An earlier file that was much like this one: its whole mapping is offered before anything is mapped by hand. */
const props = defineProps<{ id: number; titles: Record<string, string>; disabled: boolean }>()
const emit = defineEmits<{ take: [Mapping] }>()
const showing = ref(false)
const { data: earlier } = useQuery({
  queryKey: ['mapping', toRef(props, 'id'), 'earlier'],
  queryFn: () =>
    answer(api.GET('/api/imports/{import_id}/mapping/earlier', { params: { path: { import_id: props.id } } })),
})
const columns = computed(() => {
  if (!earlier.value) return ''
  const { new: fresh, gone } = earlier.value
  const parts = [fresh.length && `new: ${fresh.join(', ')}`, gone.length && `gone: ${gone.join(', ')}`]
  return parts.filter(Boolean).join('; ') || 'the same columns'
})

function take() {
  if (earlier.value) emit('take', earlier.value.mapping)
  showing.value = false
}
</script>

<template>
  <div v-if="earlier" role="status" class="earlier">
    <span
      >This file is like <b>{{ earlier.filename }}</b>, mapped by {{ earlier.by }} on {{ time(earlier.at) }}
      <span class="slate">({{ columns }})</span></span
    >
    <BButton v-if="!disabled" variant="link" size="sm" class="p-0" @click="take">Use that mapping</BButton>
    <BButton variant="link" size="sm" class="p-0" @click="showing = true"
      >{{ counted(earlier.differences.length, 'difference') }} from the suggested one</BButton
    >
    <DialogBox v-model="showing" :title="`The mapping of ${earlier.filename}`" wide>
      <p class="slate">What is suggested for this file, and what that mapping has in its place.</p>
      <DifferenceTable :differences="earlier.differences" :titles="titles" />
      <div v-if="!disabled" class="text-end mt-3">
        <BButton variant="primary" @click="take">Use that mapping</BButton>
      </div>
    </DialogBox>
  </div>
</template>
