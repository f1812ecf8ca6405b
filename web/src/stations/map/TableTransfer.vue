<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { BButton, BDropdown, BDropdownDivider, BDropdownItem, BFormInput, BFormTextarea } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { counted } from '@/parts/format'
import DialogBox from '@/parts/DialogBox.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import { readPairs, writePairs } from '@/stations/map/pairs'

/** What goes in and out of a value table as a whole: pasted, exported, shared by name, kept for other imports. */
const props = defineProps<{
  values: Schemas['ValueCount'][]
  table: Schemas['ValueTable']
  name: string | null
  names: string[]
}>()
const emit = defineEmits<{ change: [Schemas['ValueTable']]; share: [string]; take: [string] }>()

const asking = ref<'paste' | 'share' | 'keep' | null>(null)
const text = ref('')
const error = ref<Error | null>(null)
const read = computed(() => readPairs(text.value))
const titles = {
  paste: 'Paste pairs',
  share: 'Share the table in this mapping',
  keep: 'Keep the table for other imports',
}
const { data: kept } = useQuery({
  queryKey: ['kept', 'tables'],
  queryFn: () => answer(api.GET('/api/kept/tables')),
})

function ask(what: 'paste' | 'share' | 'keep') {
  asking.value = what
  error.value = null
  text.value = what === 'paste' ? '' : (props.name ?? '')
}
async function done() {
  const name = text.value.trim()
  try {
    if (asking.value === 'paste')
      emit('change', { ...props.table, pairs: { ...props.table.pairs, ...read.value.pairs } })
    else if (asking.value === 'share') emit('share', name)
    else {
      await answer(api.POST('/api/kept/tables', { body: { name, table: props.table } }))
      await queries.invalidateQueries({ queryKey: ['kept', 'tables'] })
    }
    asking.value = null
  } catch (caught) {
    error.value = caught as Error
  }
}
async function takeKept(id: number) {
  const table = await answer(api.GET('/api/kept/tables/{number}', { params: { path: { number: id } } }))
  emit('change', { ...table, pairs: { ...props.table.pairs, ...table.pairs } })
}
function download() {
  const rows = props.values.map((one) => ({ ...one, site: props.table.pairs?.[one.value] ?? '' }))
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([writePairs(rows)], { type: 'text/csv' }))
  link.download = `${props.name ?? 'value-table'}.csv`
  link.click()
  URL.revokeObjectURL(link.href)
}
</script>

<template>
  <BDropdown text="Paste, export, share" variant="link" size="sm" no-caret toggle-class="p-0">
    <BDropdownItem @click="ask('paste')">Paste pairs from a spreadsheet</BDropdownItem>
    <BDropdownItem @click="download">Export as CSV</BDropdownItem>
    <BDropdownDivider />
    <BDropdownItem v-if="!name" @click="ask('share')">Share with other fields by name</BDropdownItem>
    <BDropdownItem v-for="one in names.filter((other) => other !== name)" :key="one" @click="emit('take', one)"
      >Use “{{ one }}” of this mapping</BDropdownItem
    >
    <BDropdownDivider />
    <BDropdownItem @click="ask('keep')">Save for other imports</BDropdownItem>
    <BDropdownItem v-for="one in kept ?? []" :key="one.id" @click="takeKept(one.id)"
      >Add the pairs of “{{ one.name }}”</BDropdownItem
    >
  </BDropdown>
  <DialogBox
    :model-value="!!asking"
    :title="asking ? titles[asking] : ''"
    @update:model-value="asking = $event ? asking : null"
  >
    <form @submit.prevent="done">
      <template v-if="asking === 'paste'">
        <p class="slate">
          Two columns: the supplied value, then the site's. They are added to the pairs that are there.
        </p>
        <BFormTextarea v-model="text" rows="8" class="mono" aria-label="Pairs" />
        <p v-if="text" class="mt-2 mb-0">
          {{ counted(Object.keys(read.pairs).length, 'pair')
          }}<span v-if="read.unread.length" class="brick"
            >; {{ counted(read.unread.length, 'line') }} without two cells, such as “{{ read.unread[0] }}”</span
          >
        </p>
      </template>
      <label v-else class="w-100"
        >Name <BFormInput v-model="text" maxlength="120" placeholder="such as Tiers of the old shop"
      /></label>
      <ProblemNote :error="error" class="mt-2" />
      <div class="mt-3 text-end">
        <BButton
          type="submit"
          variant="primary"
          :disabled="asking === 'paste' ? !Object.keys(read.pairs).length : !text.trim()"
          >{{ asking === 'paste' ? 'Add the pairs' : 'Save' }}</BButton
        >
      </div>
    </form>
  </DialogBox>
</template>
