<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answer, api } from '@/api/client'
import { number } from '@/parts/format'
import DialogBox from '@/parts/DialogBox.vue'
import PageWalk from '@/parts/PageWalk.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** The records of other types that a plan makes first, since links mean them and find none. */
const props = defineProps<{ id: number; planKey: string; made: Record<string, number> }>()
const open = ref(false)
const offset = ref(0)
const AT_ONCE = 100
const { data, error } = useQuery({
  queryKey: ['rehearsal', computed(() => props.id), computed(() => props.planKey), 'made', offset],
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/rehearsal/made', {
        params: { path: { import_id: props.id }, query: { offset: offset.value, count: AT_ONCE } },
      }),
    ),
  enabled: open,
  placeholderData: keepPreviousData,
})
const kinds = computed(() => Object.entries(props.made))
const states = { done: 'good', failed: 'held' } as const
</script>

<template>
  <template v-if="kinds.length">
    <h3 class="panel-heading">
      <span>Made first</span>
      <BButton size="sm" variant="link" class="p-0" @click="open = true">Look at them</BButton>
    </h3>
    <ul class="kinds">
      <li v-for="[kind, count] in kinds" :key="kind">
        <span>{{ kind.replaceAll(/[_-]/g, ' ') }} that records need and the site lacks</span
        ><span class="mono">{{ number(count) }}</span>
      </li>
    </ul>
  </template>
  <DialogBox v-if="open" v-model="open" title="Made first" wide>
    <p class="slate">Each is made once, however many records mean it, and before these are sent.</p>
    <div class="table-box">
      <table v-if="data" class="table table-sm">
        <thead>
          <tr>
            <th scope="col">Key</th>
            <th scope="col">What it has</th>
            <th scope="col">State</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in data.records" :key="`${one.record_type} ${one.key}`">
            <td class="mono">
              <a v-if="one.page" :href="one.page" target="_blank" rel="noreferrer">{{ one.key }}</a><template v-else>{{
                one.key
              }}</template>
            </td>
            <td>
              <span v-for="field in one.fields" :key="field.title" class="has"
                ><span class="slate">{{ field.title }}</span> {{ field.value }}</span
              >
            </td>
            <td class="text-nowrap">
              <StateMark :state="states[one.state as 'done'] ?? 'changed'" />
              {{ one.state === 'pending' ? 'to be made' : one.state }}
              <span v-if="one.message" class="brick text-wrap">{{ one.message }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <PageWalk v-if="data" v-model="offset" :total="data.total" :at-once="AT_ONCE" />
    <ProblemNote :error="error" />
  </DialogBox>
</template>

<style scoped>
.kinds {
  margin: 0;
  padding: 0;
  list-style: none;
}
.kinds li {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.table-box {
  max-height: 60vh;
  overflow: auto;
}
.has {
  margin-right: 12px;
}
</style>
