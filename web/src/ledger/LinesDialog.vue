<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import LedgerCell from '@/ledger/LedgerCell.vue'
import type { Question } from '@/ledger/useLedger'
import DialogBox from '@/parts/DialogBox.vue'
import ProblemNote from '@/parts/ProblemNote.vue'

/** All that one record holds in a list, as a small table. */
const props = defineProps<{
  id: number
  question: Question
  path: string
}>()
const emit = defineEmits<{ close: [] }>()
const { data: table, error } = useQuery({
  queryKey: ['ledger', computed(() => props.id), 'lines', computed(() => props.path), computed(() => props.question)],
  queryFn: () =>
    answer(
      api.POST('/api/imports/{import_id}/lines', {
        params: { path: { import_id: props.id } },
        body: { ...props.question, path: props.path } as Schemas['LinesQuestion'],
      }),
    ),
})
const title = computed(() =>
  table.value ? `${table.value.title} of ${table.value.record.label || table.value.record.place}` : 'Lines',
)
</script>

<template>
  <DialogBox model-value wide :title="title" @update:model-value="emit('close')">
    <ProblemNote :error="error" />
    <table v-if="table" class="table table-sm mb-0">
      <thead>
        <tr>
          <th scope="col" class="slate">No.</th>
          <th v-for="name in table.fields" :key="name" scope="col">{{ name }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(cells, at) in table.objects" :key="at">
          <th scope="row" class="slate">{{ at + 1 }}</th>
          <td v-for="(cell, place) in cells" :key="place">
            <LedgerCell :cell="cell" />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="table && !table.objects.length" class="slate mb-0">It has none.</p>
  </DialogBox>
</template>
