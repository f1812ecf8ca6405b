<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, toRef } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import RunDetails from '@/stations/run/RunDetails.vue'
import RunTable from '@/stations/run/RunTable.vue'
import UndoDialog from '@/stations/run/UndoDialog.vue'
import { isUnderWay } from '@/workbench/useImport'

/** Every run of the import, the latest first, each with its plan, outcome and verification. */
const props = defineProps<{ id: number; fresh: string; titles: Record<string, string>; mayEdit: boolean }>()
const { data: runs, error } = useQuery({
  queryKey: ['runs', toRef(props, 'id'), toRef(props, 'fresh')],
  queryFn: async () =>
    // The client widens records; the schema does not.
    (await answer(
      api.GET('/api/imports/{import_id}/runs', { params: { path: { import_id: props.id } } }),
    )) as Schemas['PastRun'][],
})
/** What goes on now is shown above. */
const over = computed(() => runs.value?.filter((run) => !isUnderWay(run)) ?? [])
const open = ref<number | null>(null)
/** The runs of which the site still has something, so that they can be undone. */
const undoable = computed(() => {
  const atRest = runs.value?.every((run) => !isUnderWay(run) && run.state !== 'paused')
  const sent = over.value.filter((run) => ['main', 'pilot'].includes(run.kind) && run.done > run.taken_back)
  return props.mayEdit && atRest ? sent : []
})
const undoing = ref<{ run: number; all: boolean } | null>(null)
</script>

<template>
  <section v-if="over.length" aria-label="Runs of this import">
    <div class="head">
      <h2>Runs of this import</h2>
      <button
        v-if="undoable.length > 1"
        type="button"
        class="visually-plain brick"
        @click="undoing = { run: undoable[0]!.id, all: true }"
      >
        Undo all {{ undoable.length }} runs …
      </button>
    </div>
    <RunTable :runs="over" from="From" more="More">
      <template #from="{ run }">
        <span class="mono">{{ run.filename }}</span>
      </template>
      <template #more="{ run }">
        <button
          type="button"
          class="visually-plain petrol"
          :aria-expanded="open === run.id"
          @click="open = open === run.id ? null : run.id"
        >
          {{ open === run.id ? 'Less' : 'Details'
          }}<span class="visually-hidden"> of the run of {{ time(run.started_at) }}</span>
        </button>
      </template>
      <template #below="{ run }">
        <tr v-if="open === run.id">
          <td colspan="7" class="details">
            <RunDetails :id="id" :run="run.id" :fresh="fresh" :titles="titles" />
            <button
              v-if="undoable.some((one) => one.id === run.id)"
              type="button"
              class="visually-plain brick mt-2"
              @click="undoing = { run: run.id, all: false }"
            >
              Undo this run …<span class="visually-hidden"> of {{ time(run.started_at) }}</span>
            </button>
          </td>
        </tr>
      </template>
    </RunTable>
    <ProblemNote :error="error" />
    <UndoDialog
      v-if="undoing"
      :id="id"
      :model-value="true"
      :run="undoing.run"
      :all="undoing.all"
      :fresh="fresh"
      @update:model-value="undoing = null"
    />
  </section>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
.details {
  padding: 8px 0 14px 14px;
}
</style>
