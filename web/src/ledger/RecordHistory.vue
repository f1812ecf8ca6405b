<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, toRef } from 'vue'
import { answer, api } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import { number, time } from '@/parts/format'
import type { State } from '@/parts/marks'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** What happened to one record, in every import of its site. */
const props = defineProps<{ id: number; item: number }>()
const emit = defineEmits<{ close: [] }>()
const open = computed({ get: () => true, set: () => emit('close') })
const { data: told, error } = useQuery({
  queryKey: ['record history', toRef(props, 'id'), toRef(props, 'item')],
  staleTime: 0,
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/records/{item}/history', {
        params: { path: { import_id: props.id, item: props.item } },
      }),
    ),
})
</script>

<template>
  <DialogBox v-model="open" :title="told?.key ? `What happened to ${told.key}` : 'What happened to this record'" wide>
    <ProblemNote :error="error" />
    <template v-if="told">
      <p v-if="told.record_id" class="slate">
        On the site it is <span class="mono">{{ told.record_id }}</span><template v-if="told.page">
          · <a :href="told.page" target="_blank" rel="noopener" class="text-decoration-underline">open ↗</a></template
        >
      </p>
      <ol class="happened">
        <li v-for="(one, index) in told.happened" :key="index">
          <span class="mono slate">{{ time(one.at) }}</span>
          <span
            ><StateMark :state="one.mark as State" /> {{ one.text }}
            <span class="slate"
              >· {{ one.by }}, {{ one.row === null ? one.filename : `row ${number(one.row)} of ${one.filename}` }}</span
            ></span
          >
        </li>
      </ol>
    </template>
  </DialogBox>
</template>

<style scoped>
.happened {
  margin: 0;
  padding: 0;
  list-style: none;
}
.happened li {
  display: grid;
  grid-template-columns: 160px minmax(0, 1fr);
  padding: 5px 0;
  border-bottom: 1px solid var(--rule-faint);
}
</style>
