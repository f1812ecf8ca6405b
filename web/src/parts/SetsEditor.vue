<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'

/** Columns by what they hold, for each of several sets: a table with a row a set, numbered or named. */
type Sets = Record<string, string>[] | Record<string, Record<string, string>>
const props = defineProps<{ named: boolean; value: unknown; columns: string[] }>()
const emit = defineEmits<{ change: [Sets] }>()
const rows = computed<[string, Record<string, string>][]>(() =>
  Object.entries((props.value ?? (props.named ? {} : [])) as Sets),
)
const parts = computed(() => [...new Set(rows.value.flatMap(([, set]) => Object.keys(set)))])
const options = computed(() => ['', ...props.columns].map((name) => ({ value: name, text: name || '–' })))

function take(now: [string, Record<string, string>][]) {
  emit('change', props.named ? Object.fromEntries(now) : now.map(([, set]) => set))
}
const column = (at: number, part: string, name: string) =>
  take(
    rows.value.map(([called, set], row) => {
      const rest = Object.fromEntries(Object.entries(set).filter(([other]) => other !== part))
      return [called, row !== at ? set : name ? { ...rest, [part]: name } : rest]
    }),
  )
const rename = (at: number, called: string) =>
  take(rows.value.map(([was, set], row) => [row === at ? called : was, set]))
const renamePart = (was: string, part: string) =>
  take(
    rows.value.map(([called, set]) => [
      called,
      Object.fromEntries(Object.entries(set).map(([name, from]) => [name === was ? part : name, from])),
    ]),
  )
function fresh(like: string[]): string {
  for (let number = like.length + 1; ; number++) if (!like.includes(String(number))) return String(number)
}
function addSet() {
  const names = rows.value.map(([called]) => called)
  take([...rows.value, [fresh(names), Object.fromEntries((parts.value.length ? parts.value : ['1']).map(first))]])
}
const first = (part: string): [string, string] => [part, props.columns[0] ?? '']
const addPart = () => {
  const part = fresh(parts.value)
  take(
    (rows.value.length ? rows.value : [['1', {}] as [string, Record<string, string>]]).map(([called, set]) => [
      called,
      { ...set, [part]: props.columns[0] ?? '' },
    ]),
  )
}
</script>

<template>
  <div class="sets">
    <table v-if="rows.length" class="table table-sm mb-1">
      <thead>
        <tr>
          <th scope="col" class="slate">{{ named ? 'Called' : 'Set' }}</th>
          <th v-for="part in parts" :key="part" scope="col">
            <BFormInput
              size="sm"
              lazy
              :model-value="part"
              aria-label="What the columns hold"
              @update:model-value="renamePart(part, String($event ?? '') || part)"
            />
          </th>
          <td></td>
        </tr>
      </thead>
      <tbody>
        <tr v-for="([called, set], at) in rows" :key="at">
          <th scope="row">
            <BFormInput
              v-if="named"
              size="sm"
              lazy
              :model-value="called"
              aria-label="What the set is called"
              @update:model-value="rename(at, String($event ?? '') || called)"
            />
            <template v-else>{{ at + 1 }}</template>
          </th>
          <td v-for="part in parts" :key="part">
            <BFormSelect
              size="sm"
              :model-value="set[part] ?? ''"
              :options="options"
              :aria-label="`${part} of ${named ? called : `set ${at + 1}`}`"
              @update:model-value="column(at, part, String($event))"
            />
          </td>
          <td>
            <button
              type="button"
              class="visually-plain"
              :aria-label="`Remove ${named ? called : `set ${at + 1}`}`"
              @click="take(rows.toSpliced(at, 1))"
            >
              ×
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <BButton variant="link" size="sm" class="p-0 me-2" @click="addSet">Add a set</BButton>
    <BButton variant="link" size="sm" class="p-0" @click="addPart">Add what each holds</BButton>
  </div>
</template>

<style scoped>
.sets {
  overflow-x: auto;
}
.sets :deep(.form-select),
.sets :deep(.form-control) {
  min-width: 90px;
}
</style>
